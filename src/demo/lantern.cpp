#include "demo/festival.h"

#include "core/base/chance.h"

#include <BulletSoftBody/btSoftBody.h>
#include <cmath>
#include <memory>
#include <numbers>

namespace garland {

namespace {

constexpr double pi = std::numbers::pi;
constexpr int rows = 42, columns = 44; // of the paper body
constexpr int strands = 11, joints = 15, sides = 3;
constexpr int frame_count = 96, steps_per_frame = 16, settle_frames = 60;
constexpr double frames_per_second = 24;
constexpr std::uint64_t seed = 20;

double smooth_noise(std::uint64_t rule, double t) { // −1…1, value noise with a smooth step
    const double cell = std::floor(t), f = t - cell;
    auto at = [&](double c) {
        return 2 * chance(seed, rule, static_cast<std::uint64_t>(static_cast<std::int64_t>(c) + 1'000'000)) - 1;
    };
    const double w = f * f * (3 - 2 * f);
    return at(cell) + w * (at(cell + 1) - at(cell));
}

// Gusts along x, with some cross wind; metres a second.
btVector3 wind(double seconds) {
    const double gust = 1.4 + 2.3 * smooth_noise(1, seconds * 0.9) + 1.1 * smooth_noise(2, seconds * 2.7);
    const double cross = 1.2 * smooth_noise(3, seconds * 1.1) + 0.6 * smooth_noise(4, seconds * 3.1);
    return {static_cast<btScalar>(gust), 0, static_cast<btScalar>(cross)};
}

// Profile of the body from the top collar (v = 0) to the bottom collar (v = 1): radius and height.
double radius_at(double v) {
    const double collar = 0.075;
    if (v < 0.06 || v > 0.94) return collar;
    const double u = (v - 0.06) / 0.88;
    const double ribs = 0.006 * std::sin(2 * pi * 9 * u);
    return collar + 0.155 * std::pow(std::sin(pi * u), 0.62) + ribs;
}
double height_at(double v) { return -0.22 - 0.46 * v; }

int body_index(int row, int column) { return row * columns + (column + columns) % columns; }

V3f to_v3f(const btVector3& v) { return {v.x(), v.y(), v.z()}; }

struct Bodies {
    btSoftBodyWorldInfo world;
    std::unique_ptr<btSoftBody> paper;
    std::unique_ptr<btSoftBody> tassel;
};

void build_paper(Bodies& b) {
    std::vector<btVector3> at;
    std::vector<btScalar> mass;
    for (int r = 0; r < rows; ++r) {
        const double v = static_cast<double>(r) / (rows - 1);
        for (int c = 0; c < columns; ++c) {
            const double angle = 2 * pi * c / columns;
            at.emplace_back(static_cast<btScalar>(radius_at(v) * std::cos(angle)), static_cast<btScalar>(height_at(v)),
                            static_cast<btScalar>(radius_at(v) * std::sin(angle)));
            mass.push_back(btScalar(0.12 / (rows * columns)));
        }
    }
    at.emplace_back(0, 0, 0); // the hook
    mass.push_back(0);
    b.paper = std::make_unique<btSoftBody>(&b.world, static_cast<int>(at.size()), at.data(), mass.data());
    btSoftBody& paper = *b.paper;
    btSoftBody::Material* cloth = paper.appendMaterial();
    cloth->m_kLST = btScalar(0.9);
    for (int r = 0; r < rows; ++r) {
        for (int c = 0; c < columns; ++c) {
            paper.appendLink(body_index(r, c), body_index(r, c + 1), cloth);
            paper.appendLink(body_index(r, c), body_index(r, c + 2), cloth);
            if (r + 1 < rows) {
                paper.appendLink(body_index(r, c), body_index(r + 1, c), cloth);
                paper.appendLink(body_index(r, c), body_index(r + 1, c + 1), cloth);
                paper.appendLink(body_index(r, c), body_index(r + 1, c - 1), cloth);
                paper.appendFace(body_index(r, c), body_index(r + 1, c), body_index(r + 1, c + 1), cloth);
                paper.appendFace(body_index(r, c), body_index(r + 1, c + 1), body_index(r, c + 1), cloth);
            }
            if (r + 2 < rows) paper.appendLink(body_index(r, c), body_index(r + 2, c), cloth);
        }
    }
    for (int c = 0; c < columns; c += 4) paper.appendLink(rows * columns, body_index(0, c), cloth);
    paper.m_cfg.aeromodel = btSoftBody::eAeroModel::V_TwoSided;
    paper.m_cfg.kDG = btScalar(0.010);
    paper.m_cfg.kLF = btScalar(0.001);
    paper.m_cfg.kDP = btScalar(0.0012);
    paper.m_cfg.piterations = 6;
    paper.m_cfg.kMT = btScalar(0.022);
    paper.setPose(false, true);
}

void build_tassel(Bodies& b) {
    std::vector<btVector3> at;
    std::vector<btScalar> mass;
    for (int s = 0; s < strands; ++s) {
        const double angle = 2 * pi * s / strands, spread = 0.018;
        for (int j = 0; j < joints; ++j) {
            const double wide = spread * (0.5 + 0.5 * std::min(j, 3) / 3.0);
            at.emplace_back(static_cast<btScalar>(wide * std::cos(angle)),
                            static_cast<btScalar>(height_at(1) - 0.02 - 0.026 * j),
                            static_cast<btScalar>(wide * std::sin(angle)));
            mass.push_back(j == 0 ? btScalar(0) : btScalar(0.0008));
        }
    }
    b.tassel = std::make_unique<btSoftBody>(&b.world, static_cast<int>(at.size()), at.data(), mass.data());
    btSoftBody::Material* thread = b.tassel->appendMaterial();
    thread->m_kLST = 1;
    btSoftBody::Material* bend = b.tassel->appendMaterial();
    bend->m_kLST = btScalar(0.12);
    for (int s = 0; s < strands; ++s) {
        for (int j = 0; j + 1 < joints; ++j) {
            b.tassel->appendLink(s * joints + j, s * joints + j + 1, thread);
            if (j + 2 < joints) b.tassel->appendLink(s * joints + j, s * joints + j + 2, bend);
        }
    }
    b.tassel->m_cfg.kDP = btScalar(0.004);
    b.tassel->m_cfg.piterations = 24;
}

// The frame of the bottom collar: its middle and two of its directions, to carry the tassel's roots.
struct Collar {
    btVector3 middle, x, z;
};
Collar bottom_collar(const btSoftBody& paper) {
    Collar f;
    f.middle.setZero();
    const int r = rows - 1;
    for (int c = 0; c < columns; ++c) f.middle += paper.m_nodes[body_index(r, c)].m_x;
    f.middle /= columns;
    f.x = (paper.m_nodes[body_index(r, 0)].m_x - paper.m_nodes[body_index(r, columns / 2)].m_x).normalized();
    f.z = (paper.m_nodes[body_index(r, columns / 4)].m_x - paper.m_nodes[body_index(r, 3 * columns / 4)].m_x).normalized();
    return f;
}

void advance(Bodies& b, double seconds, btScalar dt) {
    const btVector3 gust = wind(seconds);
    b.paper->setWindVelocity(gust);
    b.paper->predictMotion(dt);
    b.paper->solveConstraints();
    b.paper->integrateMotion();

    const Collar collar = bottom_collar(*b.paper);
    const btVector3 down = collar.x.cross(collar.z).normalized();
    for (int s = 0; s < strands; ++s) {
        const double angle = 2 * pi * s / strands;
        btSoftBody::Node& root = b.tassel->m_nodes[s * joints];
        root.m_x = collar.middle + (collar.x * btScalar(std::cos(angle)) + collar.z * btScalar(std::sin(angle))) *
                                       btScalar(0.009) + down * btScalar(0.02);
        root.m_q = root.m_x;
        root.m_v.setZero();
        for (int j = 1; j < joints; ++j) {
            btSoftBody::Node& node = b.tassel->m_nodes[s * joints + j];
            const double flutter = 0.35 * smooth_noise(10 + static_cast<std::uint64_t>(s), seconds * 3.3 + 0.17 * j);
            const btVector3 relative = gust * btScalar(1 + flutter) - node.m_v;
            node.m_f += relative * btScalar(0.0016);
        }
    }
    b.tassel->predictMotion(dt);
    b.tassel->solveConstraints();
    b.tassel->integrateMotion();
}

// All points as the mesh has them: cord, paper, tassel tubes.
std::vector<V3f> gather_points(const Bodies& b) {
    std::vector<V3f> points;
    points.reserve(rows * columns + strands * joints * sides + 8 * 3);
    V3f top(0);
    for (int c = 0; c < columns; ++c) top += to_v3f(b.paper->m_nodes[body_index(0, c)].m_x);
    top /= static_cast<float>(columns);
    for (int j = 0; j < 2; ++j) { // the cord: a thin tube from the hook to the collar
        for (int k = 0; k < 6; ++k) {
            const double angle = 2 * pi * k / 6;
            points.push_back(top * static_cast<float>(j) + V3f(static_cast<float>(0.006 * std::cos(angle)), 0,
                                                               static_cast<float>(0.006 * std::sin(angle))));
        }
    }
    for (int i = 0; i < rows * columns; ++i) points.push_back(to_v3f(b.paper->m_nodes[i].m_x));
    for (int s = 0; s < strands; ++s) {
        for (int j = 0; j < joints; ++j) {
            const V3f here = to_v3f(b.tassel->m_nodes[s * joints + j].m_x);
            const V3f next = to_v3f(b.tassel->m_nodes[s * joints + std::min(j + 1, joints - 1)].m_x);
            const V3f before = to_v3f(b.tassel->m_nodes[s * joints + std::max(j - 1, 0)].m_x);
            const V3f along = (next - before).normalized();
            V3f side = along.cross(V3f(0.3f, 0.1f, 1.0f)).normalized();
            const V3f other = along.cross(side);
            const float thick = 0.0065f * (j + 1 == joints ? 0.4f : 1.0f);
            for (int k = 0; k < sides; ++k) {
                const double angle = 2 * pi * k / sides;
                points.push_back(here + (side * static_cast<float>(std::cos(angle)) +
                                         other * static_cast<float>(std::sin(angle))) * thick);
            }
        }
    }
    return points;
}

void add_quad(Faces& faces, int a, int b, int c, int d) {
    if (faces.starts.empty()) faces.starts.push_back(0);
    for (int i : {a, b, c, d}) faces.corners.push_back(static_cast<std::uint32_t>(i));
    faces.starts.push_back(static_cast<std::uint32_t>(faces.corners.size()));
}

Pose build_mesh() {
    Pose mesh;
    auto faces = std::make_shared<Faces>();
    auto colour = [&](double r, double g, double b) {
        mesh.colours.emplace_back(static_cast<float>(r), static_cast<float>(g), static_cast<float>(b));
    };
    for (int k = 0; k < 6; ++k) add_quad(*faces, k, (k + 1) % 6, 6 + (k + 1) % 6, 6 + k);
    for (int k = 0; k < 12; ++k) colour(0.32, 0.24, 0.16);
    const int paper = 12;
    for (int r = 0; r < rows; ++r) {
        const double v = static_cast<double>(r) / (rows - 1);
        for (int c = 0; c < columns; ++c) {
            const bool collar = v < 0.06 || v > 0.94;
            const double u = (v - 0.06) / 0.88;
            const double glow = std::sin(pi * std::min(std::max(u, 0.0), 1.0));
            const bool rib = std::cos(2 * pi * 9 * u + pi / 2) > 0.55;
            if (collar) colour(0.86, 0.62, 0.22);
            else colour((rib ? 0.80 : 0.93) + 0.07 * glow, 0.16 + 0.40 * glow * (rib ? 0.6 : 1), 0.07 + 0.13 * glow);
            if (r + 1 < rows) {
                add_quad(*faces, paper + body_index(r, c), paper + body_index(r, c + 1), paper + body_index(r + 1, c + 1),
                         paper + body_index(r + 1, c));
            }
        }
    }
    const int tassel = paper + rows * columns;
    for (int s = 0; s < strands; ++s) {
        for (int j = 0; j < joints; ++j) {
            for (int k = 0; k < sides; ++k) {
                const double fade = static_cast<double>(j) / joints;
                if (j == 0) colour(0.86, 0.62, 0.22);
                else colour(0.82 - 0.14 * fade, 0.20 + 0.06 * fade, 0.30 + 0.10 * fade);
                if (j + 1 == joints) continue;
                const int at = tassel + (s * joints + j) * sides, k2 = (k + 1) % sides;
                add_quad(*faces, at + k, at + k2, at + sides + k2, at + sides + k);
            }
        }
    }
    mesh.faces = faces;
    return mesh;
}

} // namespace

Result<LanternCache> simulate_lantern(Progress& progress) {
    Bodies bodies;
    bodies.world.m_gravity.setValue(0, btScalar(-9.81), 0);
    bodies.world.air_density = btScalar(1.2);
    bodies.world.m_sparsesdf.Initialize();
    build_paper(bodies);
    build_tassel(bodies);

    LanternCache out;
    const auto dt = static_cast<btScalar>(1 / (frames_per_second * steps_per_frame));
    int step = 0;
    auto one_frame = [&] {
        for (int i = 0; i < steps_per_frame; ++i, ++step) advance(bodies, step * static_cast<double>(dt), dt);
    };
    for (int f = 0; f < settle_frames + frame_count; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(f) / (settle_frames + frame_count), "the lantern sways in the wind");
        if (f >= settle_frames) {
            out.frames.push_back(gather_points(bodies));
            std::vector<V3f> velocity = out.frames.back();
            one_frame();
            out.velocities.push_back(std::move(velocity));
        } else {
            one_frame();
        }
    }
    const auto after = gather_points(bodies);
    // Velocities by central differences over the frames; forward at the first.
    for (std::size_t f = 0; f < out.frames.size(); ++f) {
        const auto& next = f + 1 < out.frames.size() ? out.frames[f + 1] : after;
        const auto& before = f > 0 ? out.frames[f - 1] : out.frames[0];
        const auto scale = static_cast<float>(frames_per_second / (f > 0 ? 2 : 1));
        for (std::size_t i = 0; i < next.size(); ++i) out.velocities[f][i] = (next[i] - before[i]) * scale;
    }
    out.base = build_mesh();
    out.base.points = out.frames.front();
    return out;
}

} // namespace garland
