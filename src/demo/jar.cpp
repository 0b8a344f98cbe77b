#include "demo/quay.h"

#include "core/base/chance.h"

#include <cmath>
#include <map>
#include <numbers>

#if defined(__GNUC__)
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wold-style-cast"
#endif
#include <btBulletDynamicsCommon.h>
#if defined(__GNUC__)
#pragma GCC diagnostic pop
#endif

namespace garland {

namespace {

constexpr double pi = std::numbers::pi;
constexpr int around = 48, up = 30, shards = 48, frames = 96;
constexpr double frame_rate = 24, height = 0.46, wall = 0.012, drop = 0.95;
constexpr std::uint64_t seed = 77;

double radius_at(double v) { // of the jar's outside, v = 0 at its foot, 1 at its lip
    const double belly = 0.095 + 0.075 * std::sin(pi * std::min(1.0, v * 1.12));
    const double neck = v > 0.82 ? 0.018 * (v - 0.82) / 0.18 : 0;
    return belly * (v > 0.72 ? 1 - 0.55 * (v - 0.72) / 0.28 : 1) + neck;
}

V3d place(int i, int j, double inward) { // j = 0 is the middle of the foot
    if (j == 0) return V3d(0, inward - height / 2, 0);
    const double v = (j - 1.0) / (up - 1), angle = 2 * pi * i / around, r = std::max(radius_at(v) - inward, 0.001);
    return V3d(r * std::cos(angle), (v - 0.5) * height + (j == 1 ? inward : 0), r * std::sin(angle));
}

// Which shard each cell of the wall belongs to: the nearest of seeded points on it.
std::vector<int> cells_of_shards() {
    std::vector<V3d> seeds;
    for (int s = 0; s < shards; ++s) {
        const auto n = static_cast<std::uint64_t>(s);
        seeds.push_back(place(static_cast<int>(chance(seed, 1, n) * around),
                              1 + static_cast<int>(chance(seed, 2, n) * (up - 1)), 0));
    }
    std::vector<int> owner(static_cast<std::size_t>(around * up));
    for (int j = 0; j < up; ++j) {
        for (int i = 0; i < around; ++i) {
            const V3d middle = (place(i, j, 0) + place(i + 1, j, 0) + place(i + 1, j + 1, 0) + place(i, j + 1, 0)) / 4;
            int best = 0;
            for (int s = 1; s < shards; ++s) {
                if ((seeds[static_cast<std::size_t>(s)] - middle).length2() <
                    (seeds[static_cast<std::size_t>(best)] - middle).length2())
                    best = s;
            }
            owner[static_cast<std::size_t>(j * around + i)] = best;
        }
    }
    return owner;
}

// A shard's wall with both sides and its broken rim, about its own middle.
struct Shard {
    PartMesh mesh;
    V3d middle{0, 0, 0};
};

Shard make_shard(const std::vector<int>& owner, int s) {
    Shard out;
    std::map<std::pair<int, int>, std::uint32_t> corner[2];
    Pose& pose = out.mesh.base;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    auto at = [&](int i, int j, int side) {
        const std::pair key(j == 0 ? 0 : i % around, j);
        const auto [found, fresh] = corner[side].try_emplace(key, static_cast<std::uint32_t>(pose.points.size()));
        if (fresh) {
            pose.points.emplace_back(place(key.first, j, side ? wall : 0));
            const float shade =
                0.86f + 0.14f * static_cast<float>(chance(seed, 3, static_cast<std::uint64_t>(j * around + key.first)));
            pose.colours.push_back((side        ? V3f(0.55f, 0.30f, 0.20f)
                                    : j % 9 < 2 ? V3f(0.85f, 0.72f, 0.55f)
                                                : V3f(0.70f, 0.36f, 0.22f)) *
                                   shade);
            pose.uvs.emplace_back(static_cast<float>(key.first) / around, static_cast<float>(j) / up);
        }
        return found->second;
    };
    auto quad = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c, std::uint32_t d) {
        std::vector<std::uint32_t> list;
        for (std::uint32_t v : {a, b, c, d}) {
            if (list.empty() || (list.back() != v && list.front() != v)) list.push_back(v);
        }
        if (list.size() < 3) return;
        faces->corners.insert(faces->corners.end(), list.begin(), list.end());
        faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
    };
    auto mine = [&](int i, int j) {
        return j >= 0 && j < up && owner[static_cast<std::size_t>(j * around + (i + around) % around)] == s;
    };
    for (int j = 0; j < up; ++j) {
        for (int i = 0; i < around; ++i) {
            if (!mine(i, j)) continue;
            quad(at(i, j, 0), at(i, j + 1, 0), at(i + 1, j + 1, 0), at(i + 1, j, 0));
            quad(at(i, j, 1), at(i + 1, j, 1), at(i + 1, j + 1, 1), at(i, j + 1, 1));
            if (!mine(i, j - 1) && j > 0) quad(at(i, j, 0), at(i + 1, j, 0), at(i + 1, j, 1), at(i, j, 1));
            if (!mine(i, j + 1)) quad(at(i + 1, j + 1, 0), at(i, j + 1, 0), at(i, j + 1, 1), at(i + 1, j + 1, 1));
            if (!mine(i - 1, j)) quad(at(i, j + 1, 0), at(i, j, 0), at(i, j, 1), at(i, j + 1, 1));
            if (!mine(i + 1, j)) quad(at(i + 1, j, 0), at(i + 1, j + 1, 0), at(i + 1, j + 1, 1), at(i + 1, j, 1));
        }
    }
    faces->materials = {"clay"};
    faces->material_of.assign(faces->count(), 0);
    V3d sum(0);
    for (const V3f& p : pose.points) sum += V3d(p);
    if (!pose.points.empty()) out.middle = sum / static_cast<double>(pose.points.size());
    for (V3f& p : pose.points) p = V3f(V3d(p) - out.middle);
    pose.faces = faces;
    pose.normals = point_normals(pose.points, *faces);
    return out;
}

btVector3 bt(const V3d& v) {
    return {static_cast<btScalar>(v.x), static_cast<btScalar>(v.y), static_cast<btScalar>(v.z)};
}

} // namespace

namespace {

// Each shard a node of its own, moved and turned by its two tracks.
KeyedModel model_of(std::vector<Shard>& parts, std::vector<KeyTrack>& moves, std::vector<KeyTrack>& turns) {
    KeyedModel model;
    for (std::size_t s = 0; s < parts.size(); ++s) {
        PartNode& node = model.nodes.emplace_back();
        node.name = "shard_" + std::to_string(s + 1);
        node.meshes = {static_cast<int>(s)};
        model.meshes.push_back(std::move(parts[s].mesh));
        turns[s].width = 4, turns[s].rotation = true;
        model.channels.push_back({static_cast<int>(s), PartPath::translation, static_cast<int>(model.tracks.size())});
        model.tracks.push_back(std::move(moves[s]));
        model.channels.push_back({static_cast<int>(s), PartPath::rotation, static_cast<int>(model.tracks.size())});
        model.tracks.push_back(std::move(turns[s]));
    }
    return model;
}

// Whole in the air: free fall with a slow turn.
struct Fall {
    V3d spin{1.1, 0.4, -0.9}, sideways{0.35, 0, 0.1};

    PieceTransform at(double t) const {
        const Quatd tilt = Quatd().setAxisAngle(V3d(0, 0, 1), 0.5);
        PieceTransform jar;
        jar.position = V3d(0, drop + height / 2, 0) + sideways * t - V3d(0, 0.5 * 9.81 * t * t, 0);
        jar.rotation = (Quatd().setAxisAngle(spin.normalized(), spin.length() * t) * tilt).normalized();
        return jar;
    }
    // Seconds until its lowest point meets the quay.
    double impact() const {
        double t = 0;
        for (bool touches = false; !touches; t += 1.0 / 960) {
            const PieceTransform jar = at(t);
            const auto turn = jar.rotation.toMatrix33();
            for (int j = 0; j <= up && !touches; ++j) {
                for (int i = 0; i < around && !touches; ++i)
                    touches = (place(i, j, 0) * turn + jar.position).y <= 0.002;
            }
        }
        return t;
    }
};

// The shards as rigid bodies over the ground, at the moment the jar meets it.
struct World {
    btDefaultCollisionConfiguration configuration;
    btCollisionDispatcher dispatcher{&configuration};
    btDbvtBroadphase broad;
    btSequentialImpulseConstraintSolver solver;
    btDiscreteDynamicsWorld dynamics{&dispatcher, &broad, &solver, &configuration};
    btStaticPlaneShape floor{btVector3(0, 1, 0), 0};
    btRigidBody ground{btRigidBody::btRigidBodyConstructionInfo(0, nullptr, &floor)};
    std::vector<std::unique_ptr<btConvexHullShape>> hulls;
    std::vector<std::unique_ptr<btDefaultMotionState>> states;
    std::vector<std::unique_ptr<btRigidBody>> bodies;

    World(const std::vector<Shard>& parts, const Fall& fall) {
        dynamics.setGravity(btVector3(0, btScalar(-9.81), 0));
        ground.setFriction(btScalar(0.8));
        ground.setRestitution(btScalar(0.25));
        dynamics.addRigidBody(&ground);
        const double impact = fall.impact();
        const PieceTransform jar = fall.at(impact);
        const auto turn = jar.rotation.toMatrix33();
        for (std::size_t s = 0; s < parts.size(); ++s) {
            auto& hull = hulls.emplace_back(std::make_unique<btConvexHullShape>());
            for (const V3f& p : parts[s].mesh.base.points) hull->addPoint(bt(V3d(p) * 0.97), false);
            hull->recalcLocalAabb();
            hull->setMargin(btScalar(0.002));
            const auto mass = static_cast<btScalar>(0.0004 * static_cast<double>(parts[s].mesh.base.points.size()));
            btVector3 inertia;
            hull->calculateLocalInertia(mass, inertia);
            const V3d arm = parts[s].middle * turn, at = arm + jar.position;
            const btQuaternion q(static_cast<btScalar>(jar.rotation.v.x), static_cast<btScalar>(jar.rotation.v.y),
                                 static_cast<btScalar>(jar.rotation.v.z), static_cast<btScalar>(jar.rotation.r));
            states.push_back(std::make_unique<btDefaultMotionState>(btTransform(q, bt(at))));
            btRigidBody::btRigidBodyConstructionInfo info(mass, states.back().get(), hull.get(), inertia);
            info.m_friction = btScalar(0.7);
            info.m_restitution = btScalar(0.3);
            info.m_linearDamping = btScalar(0.05);
            info.m_angularDamping = btScalar(0.25);
            auto& body = bodies.emplace_back(std::make_unique<btRigidBody>(info));
            // The blow goes up through the wall and outward, weaker further from where it landed.
            const double near = std::exp(-std::max(at.y, 0.0) * 3.5);
            const V3d out = V3d(arm.x, 0.25 * std::abs(arm.y), arm.z).normalized() * (0.2 + 0.6 * near);
            const V3d falling = fall.sideways - V3d(0, 9.81 * impact, 0);
            body->setLinearVelocity(bt(falling * (1 - 0.75 * near) + out + fall.spin.cross(arm)));
            body->setAngularVelocity(bt(fall.spin * (1 + 4 * chance(seed, 5, s))));
            body->setSleepingThresholds(btScalar(0.02), btScalar(0.05));
            dynamics.addRigidBody(body.get());
        }
    }
    World(const World&) = delete;
    ~World() {
        dynamics.removeRigidBody(&ground);
        for (auto& body : bodies) dynamics.removeRigidBody(body.get());
    }
    PieceTransform at(std::size_t shard) const {
        const btTransform& body = bodies[shard]->getWorldTransform();
        const btQuaternion q = body.getRotation();
        PieceTransform out;
        out.position = V3d(body.getOrigin().x(), body.getOrigin().y(), body.getOrigin().z());
        out.rotation = Quatd(q.w(), q.x(), q.y(), q.z()).normalized();
        return out;
    }
};

} // namespace

Result<KeyedModel> break_jar(Progress& progress) {
    const std::vector<int> owner = cells_of_shards();
    std::vector<Shard> parts;
    for (int s = 0; s < shards; ++s) {
        Shard shard = make_shard(owner, s);
        if (!shard.mesh.base.points.empty()) parts.push_back(std::move(shard));
    }

    const Fall fall;
    const double impact = fall.impact();
    World world(parts, fall);
    std::vector<KeyTrack> moves(parts.size()), turns(parts.size());
    double now = impact;
    for (int f = 0; f < frames; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(f) / frames, "breaking the jar");
        const double t = f / frame_rate;
        while (t > impact && now + 1e-9 < t) { // steps of a 240th, the last one cut to the frame
            const double step = std::min(1.0 / 240, t - now);
            world.dynamics.stepSimulation(static_cast<btScalar>(step), 0);
            now += step;
        }
        for (std::size_t s = 0; s < parts.size(); ++s) {
            PieceTransform at = fall.at(t);
            if (t <= impact) {
                at.position += parts[s].middle * at.rotation.toMatrix33();
            } else {
                at = world.at(s);
            }
            moves[s].times.push_back(t), turns[s].times.push_back(t);
            for (int k = 0; k < 3; ++k) moves[s].values.push_back(static_cast<float>(at.position[k]));
            for (double q : {at.rotation.v.x, at.rotation.v.y, at.rotation.v.z, at.rotation.r})
                turns[s].values.push_back(static_cast<float>(q));
        }
    }
    return model_of(parts, moves, turns);
}

} // namespace garland
