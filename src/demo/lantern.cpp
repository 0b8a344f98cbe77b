#include "demo/festival.h"

#include "core/base/chance.h"
#include "core/base/cubic.h"

#include <cmath>
#include <numbers>

namespace garland {

namespace {

constexpr double pi = std::numbers::pi;
constexpr int rows = 42, columns = 44; // of the paper body
constexpr int strands = 11, joints = 15, sides = 3;
constexpr int frame_count = 96, steps_per_frame = 40, settle_frames = 60;
constexpr double frames_per_second = 24;
constexpr double paper_drag = 1.6; // newton seconds a cubic metre; about ½ · density of air · 2.5 m/s
constexpr std::uint64_t seed = 20;

double smooth_noise(std::uint64_t rule, double t) { // −1…1, value noise with a smooth step
    const double cell = std::floor(t), f = t - cell;
    auto at = [&](double c) {
        return 2 * chance(seed, rule, static_cast<std::uint64_t>(static_cast<std::int64_t>(c) + 1'000'000)) - 1;
    };
    const double w = ease(f);
    return at(cell) + w * (at(cell + 1) - at(cell));
}

// Gusts along x, with some cross wind; metres a second.
V3d wind(double seconds) {
    const double gust = 1.4 + 2.3 * smooth_noise(1, seconds * 0.9) + 1.1 * smooth_noise(2, seconds * 2.7);
    const double cross = 1.2 * smooth_noise(3, seconds * 1.1) + 0.6 * smooth_noise(4, seconds * 3.1);
    return {gust, 0, cross};
}

// Profile of the body from the top collar (v = 0) to the bottom collar (v = 1): radius and height.
double radius_at(double v) {
    const double collar = 0.075;
    if (v < 0.06 || v > 0.94) return collar;
    const double u = (v - 0.06) / 0.88;
    const double ribs = 0.006 * std::sin(2 * pi * 9 * u);
    return collar + 0.155 * std::pow(std::max(std::sin(pi * u), 0.0), 0.62) + ribs;
}
double height_at(double v) {
    return -0.22 - 0.46 * v;
}

int body_index(int row, int column) {
    return row * columns + (column + columns) % columns;
}

// Threads and paper as points with distance constraints, advanced by position-based dynamics with compliance and many
// small steps (Macklin, Müller and Chentanez 2016; Macklin et al. 2019). One pass of the constraints a step.
struct Cloth {
    struct Link {
        int a, b;
        double rest, compliance; // metres; metres a newton
    };
    std::vector<V3d> at, before, speed, force;
    std::vector<double> inverse_mass; // 1/kg; 0: carried by something else
    std::vector<Link> links;

    int add(V3d place, double mass) {
        at.push_back(place);
        inverse_mass.push_back(mass > 0 ? 1 / mass : 0);
        return static_cast<int>(at.size()) - 1;
    }
    void link(int a, int b, double compliance) { links.push_back({a, b, (at_(a) - at_(b)).length(), compliance}); }
    void ready() {
        before = at;
        speed.assign(at.size(), V3d(0));
        force.assign(at.size(), V3d(0));
    }
    const V3d& at_(int i) const { return at[static_cast<std::size_t>(i)]; }

    void step(double dt, double damping) {
        for (std::size_t i = 0; i < at.size(); ++i) {
            before[i] = at[i];
            if (inverse_mass[i] == 0) continue;
            speed[i] += (V3d(0, -9.81, 0) + force[i] * inverse_mass[i]) * dt;
            speed[i] *= 1 - damping * dt;
            at[i] += speed[i] * dt;
        }
        for (const Link& l : links) {
            const auto a = static_cast<std::size_t>(l.a), b = static_cast<std::size_t>(l.b);
            const V3d d = at[a] - at[b];
            const double length = d.length(), w = inverse_mass[a] + inverse_mass[b];
            if (length == 0 || w == 0) continue;
            const V3d move = d * ((length - l.rest) / (length * (w + l.compliance / (dt * dt))));
            at[a] -= move * inverse_mass[a];
            at[b] += move * inverse_mass[b];
        }
        for (std::size_t i = 0; i < at.size(); ++i) {
            if (inverse_mass[i] > 0) speed[i] = (at[i] - before[i]) / dt;
        }
        // Paper and thread rub: speeds along a link even out, which takes the jitter out and leaves the swing.
        for (const Link& l : links) {
            const auto a = static_cast<std::size_t>(l.a), b = static_cast<std::size_t>(l.b);
            const V3d d = (at[a] - at[b]).normalized();
            const double w = inverse_mass[a] + inverse_mass[b];
            if (w == 0) continue;
            const V3d change = d * ((speed[a] - speed[b]).dot(d) * 0.35 / w);
            speed[a] -= change * inverse_mass[a];
            speed[b] += change * inverse_mass[b];
        }
    }
};

struct Bodies {
    Cloth paper, tassel;
    int hook = 0;
};

void build_paper(Bodies& b) {
    Cloth& paper = b.paper;
    for (int r = 0; r < rows; ++r) {
        const double v = static_cast<double>(r) / (rows - 1);
        for (int c = 0; c < columns; ++c) {
            const double angle = 2 * pi * c / columns;
            const bool bottom = r + 1 == rows; // carries a small weight and the tassel
            paper.add(V3d(radius_at(v) * std::cos(angle), height_at(v), radius_at(v) * std::sin(angle)),
                      (bottom ? 0.05 : 0.10 / rows) / columns);
        }
    }
    b.hook = paper.add(V3d(0), 0);
    for (int c = 0; c < columns; c += 4) paper.link(b.hook, body_index(0, c), 1e-6);
    for (int r = 0; r < rows; ++r) {
        const bool hoop = r % 4 == 1 || r == 0 || r + 1 == rows; // bamboo rings keep the paper round
        for (int c = 0; c < columns; ++c) {
            paper.link(body_index(r, c), body_index(r, c + 1), 1e-5);
            paper.link(body_index(r, c), body_index(r, c + 3), hoop ? 1e-5 : 6e-3);
            if (hoop && c < columns / 2) paper.link(body_index(r, c), body_index(r, c + columns / 2), 2e-4);
            if (r + 1 < rows) {
                paper.link(body_index(r, c), body_index(r + 1, c), 1e-4);
                paper.link(body_index(r, c), body_index(r + 1, c + 1), 2e-3);
                paper.link(body_index(r, c), body_index(r + 1, c - 1), 2e-3);
            }
            if (r + 2 < rows) paper.link(body_index(r, c), body_index(r + 2, c), 8e-3);
        }
    }
    paper.ready();
}

void build_tassel(Bodies& b) {
    for (int s = 0; s < strands; ++s) {
        const double angle = 2 * pi * s / strands;
        for (int j = 0; j < joints; ++j) {
            const double wide = 0.018 * (0.5 + 0.5 * std::min(j, 3) / 3.0);
            b.tassel.add(V3d(wide * std::cos(angle), height_at(1) - 0.02 - 0.026 * j, wide * std::sin(angle)),
                         j == 0 ? 0 : 0.0008);
        }
        for (int j = 0; j + 1 < joints; ++j) {
            b.tassel.link(s * joints + j, s * joints + j + 1, 1e-6);
            if (j + 2 < joints) b.tassel.link(s * joints + j, s * joints + j + 2, 2e-2);
        }
    }
    b.tassel.ready();
}

// Wind on the paper: every quad is pushed along its normal by the air's speed against it.
void blow(Cloth& paper, const V3d& gust) {
    for (V3d& f : paper.force) f = V3d(0);
    for (int r = 0; r + 1 < rows; ++r) {
        for (int c = 0; c < columns; ++c) {
            const int quad[4] = {body_index(r, c), body_index(r, c + 1), body_index(r + 1, c + 1),
                                 body_index(r + 1, c)};
            const V3d across = paper.at_(quad[2]) - paper.at_(quad[0]), other = paper.at_(quad[3]) - paper.at_(quad[1]);
            const V3d area = across.cross(other) * 0.5; // along the normal, square metres
            const double size = area.length();
            if (size == 0) continue;
            V3d speed(0);
            for (int i : quad) speed += paper.speed[static_cast<std::size_t>(i)] * 0.25;
            const double against = (gust - speed).dot(area) / size;
            const V3d push = area * (paper_drag * against / 4);
            for (int i : quad) paper.force[static_cast<std::size_t>(i)] += push;
        }
    }
}

// The frame of the bottom collar, to carry the tassel's roots.
struct Collar {
    V3d middle, x, z;
};
Collar bottom_collar(const Cloth& paper) {
    Collar f{V3d(0), V3d(0), V3d(0)};
    const int r = rows - 1;
    for (int c = 0; c < columns; ++c) f.middle += paper.at_(body_index(r, c)) / columns;
    f.x = (paper.at_(body_index(r, 0)) - paper.at_(body_index(r, columns / 2))).normalized();
    f.z = (paper.at_(body_index(r, columns / 4)) - paper.at_(body_index(r, 3 * columns / 4))).normalized();
    return f;
}

void advance(Bodies& b, double seconds, double dt) {
    const V3d gust = wind(seconds);
    blow(b.paper, gust);
    b.paper.step(dt, 0.35);

    const Collar collar = bottom_collar(b.paper);
    const V3d down = collar.x.cross(collar.z).normalized();
    for (int s = 0; s < strands; ++s) {
        const double angle = 2 * pi * s / strands;
        const auto root = static_cast<std::size_t>(s * joints);
        b.tassel.at[root] =
            collar.middle + (collar.x * std::cos(angle) + collar.z * std::sin(angle)) * 0.009 + down * 0.02;
        for (int j = 1; j < joints; ++j) {
            const auto i = root + static_cast<std::size_t>(j);
            const double flutter = 0.5 * smooth_noise(10 + static_cast<std::uint64_t>(s), seconds * 3.3 + 0.17 * j);
            b.tassel.force[i] = (gust * (1 + flutter) - b.tassel.speed[i]) * 0.0014;
        }
    }
    b.tassel.step(dt, 0.3);
}

V3f to_v3f(const V3d& v) {
    return V3f(v);
}

// All points as the mesh has them: cord, paper, tassel tubes.
std::vector<V3f> gather_points(const Bodies& b) {
    std::vector<V3f> points;
    points.reserve(rows * columns + strands * joints * sides + 8 * 3);
    V3f top(0);
    for (int c = 0; c < columns; ++c) top += to_v3f(b.paper.at_(body_index(0, c)));
    top /= static_cast<float>(columns);
    for (int j = 0; j < 2; ++j) { // the cord: a thin tube from the hook to the collar
        for (int k = 0; k < 6; ++k) {
            const double angle = 2 * pi * k / 6;
            points.push_back(top * static_cast<float>(j) + V3f(static_cast<float>(0.006 * std::cos(angle)), 0,
                                                               static_cast<float>(0.006 * std::sin(angle))));
        }
    }
    for (int i = 0; i < rows * columns; ++i) points.push_back(to_v3f(b.paper.at_(i)));
    for (int s = 0; s < strands; ++s) {
        for (int j = 0; j < joints; ++j) {
            const V3f here = to_v3f(b.tassel.at_(s * joints + j));
            const V3f next = to_v3f(b.tassel.at_(s * joints + std::min(j + 1, joints - 1)));
            const V3f before = to_v3f(b.tassel.at_(s * joints + std::max(j - 1, 0)));
            const V3f along = (next - before).normalized();
            V3f side = along.cross(V3f(0.3f, 0.1f, 1.0f)).normalized();
            const V3f other = along.cross(side);
            const float thick = 0.0065f * (j + 1 == joints ? 0.4f : 1.0f);
            for (int k = 0; k < sides; ++k) {
                const double angle = 2 * pi * k / sides;
                points.push_back(
                    here +
                    (side * static_cast<float>(std::cos(angle)) + other * static_cast<float>(std::sin(angle))) * thick);
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
            if (collar)
                colour(0.86, 0.62, 0.22);
            else
                colour((rib ? 0.80 : 0.93) + 0.07 * glow, 0.16 + 0.40 * glow * (rib ? 0.6 : 1), 0.07 + 0.13 * glow);
            if (r + 1 < rows) {
                add_quad(*faces, paper + body_index(r, c), paper + body_index(r, c + 1),
                         paper + body_index(r + 1, c + 1), paper + body_index(r + 1, c));
            }
        }
    }
    const int tassel = paper + rows * columns;
    for (int s = 0; s < strands; ++s) {
        for (int j = 0; j < joints; ++j) {
            for (int k = 0; k < sides; ++k) {
                const double fade = static_cast<double>(j) / joints;
                if (j == 0)
                    colour(0.86, 0.62, 0.22);
                else
                    colour(0.82 - 0.14 * fade, 0.20 + 0.06 * fade, 0.30 + 0.10 * fade);
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
    build_paper(bodies);
    build_tassel(bodies);

    LanternCache out;
    const double dt = 1 / (frames_per_second * steps_per_frame);
    int step = 0;
    auto one_frame = [&] {
        for (int i = 0; i < steps_per_frame; ++i, ++step) advance(bodies, step * dt, dt);
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
