// Particles, keyed parts and volumes between their frames.
#include "support/case.h"
#include "support/notation.h"

#include "core/geometry/halves.h"
#include "core/geometry/keyed_model.h"
#include "core/geometry/level_set.h"
#include "core/geometry/particles.h"
#include "core/geometry/stand_in.h"
#include "core/geometry/volume.h"
#include "core/source/sampler.h"

#include <Eigen/Geometry>
#include <Imath/half.h>
#include <cmath>
#include <numbers>
#include <random>

using namespace garland;
using namespace garland::testing;

namespace {

std::shared_ptr<Pose> particles(std::vector<std::int64_t> ids, std::vector<V3f> points) {
    auto p = std::make_shared<Pose>();
    p->ids = std::move(ids);
    p->points = std::move(points);
    return p;
}

Attribute scalar(const char* name, std::vector<float> values) {
    return {name, 1, std::move(values)};
}

V3f place_of(const Pose& p, std::int64_t id) {
    for (std::size_t i = 0; i < p.ids.size(); ++i) {
        if (p.ids[i] == id) return p.points[i];
    }
    return V3f(std::nanf(""));
}
bool has(const Pose& p, std::int64_t id) {
    return std::find(p.ids.begin(), p.ids.end(), id) != p.ids.end();
}

// A ball of smoke about a middle, falling off smoothly, that moves.
VolumePtr ball(V3d middle, V3f speed, double radius = 0.4) {
    DenseGrid d{"density", 64, 64, 64, 0.05, V3d(-1.6)};
    DenseGrid v = d;
    v.name = "velocity";
    for (int z = 0; z < 64; ++z) {
        for (int y = 0; y < 64; ++y) {
            for (int x = 0; x < 64; ++x) {
                const double r = (d.origin + V3d(x, y, z) * d.voxel - middle).length() / radius;
                d.values.push_back(r < 1 ? static_cast<float>((1 - r * r) * (1 - r * r)) : 0.0f);
                v.vectors.push_back(r < 2.5 ? speed : V3f(0));
            }
        }
    }
    return volume_from({d, v});
}

V3d centre(const Volume& volume, double* mass = nullptr) {
    V3d sum(0);
    double total = 0;
    for (double x = -1.5; x < 1.5; x += 0.05) {
        for (double y = -1.5; y < 1.5; y += 0.05) {
            for (double z = -1.5; z < 1.5; z += 0.05) {
                const double value = value_at(volume, "density", V3f(V3d(x, y, z)));
                total += value;
                sum += V3d(x, y, z) * value;
            }
        }
    }
    if (mass) *mass = total;
    return sum / total;
}

Pose sphere(double radius, int n = 48) {
    Pose pose;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    for (int j = 0; j <= n; ++j) {
        for (int i = 0; i < 2 * n; ++i) {
            const double a = std::numbers::pi * i / n, b = std::numbers::pi * j / n;
            pose.points.emplace_back(V3d(std::sin(b) * std::cos(a), std::cos(b), std::sin(b) * std::sin(a)) * radius);
        }
    }
    for (std::uint32_t j = 0; j < static_cast<std::uint32_t>(n); ++j) {
        for (std::uint32_t i = 0; i < 2 * static_cast<std::uint32_t>(n); ++i) {
            const std::uint32_t w = 2 * static_cast<std::uint32_t>(n), next = (i + 1) % w;
            for (std::uint32_t c : {j * w + i, j * w + next, (j + 1) * w + next, (j + 1) * w + i})
                faces->corners.push_back(c);
            faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
        }
    }
    pose.faces = faces;
    return pose;
}

KeyTrack track(std::vector<double> times, std::vector<double> values, KeyWay way, int width = 1) {
    KeyTrack t;
    t.times = std::move(times), t.values = std::move(values), t.way = way, t.width = width;
    return t;
}

double value(const KeyTrack& t, double time) {
    double out = 0;
    sample(t, time, {&out, 1});
    return out;
}

} // namespace

class KindsTest : public QObject {
    Q_OBJECT
  private slots:
    void particles_are_matched_by_id() {
        auto a = particles({7, 3, 9}, {V3f(0), V3f(1, 0, 0), V3f(2, 0, 0)});
        auto b = particles({3, 9, 7}, {V3f(1, 2, 0), V3f(2, 4, 0), V3f(0, 8, 0)});
        const PosePtr p = blend(a, b, 0.25, SubFrame::linear, 1);
        QCOMPARE(p->ids, a->ids);
        QCOMPARE(place_of(*p, 7), V3f(0, 2, 0));
        QCOMPARE(place_of(*p, 3), V3f(1, 0.5f, 0));
        QCOMPARE(place_of(*p, 9), V3f(2, 1, 0));
        QCOMPARE(blend(a, b, 1, SubFrame::linear, 1), PosePtr(b)); // the stored pose itself
    }
    void births_and_deaths_at_whole_frames_without_ages() {
        auto a = particles({1, 2}, {V3f(0), V3f(5, 0, 0)});
        auto b = particles({1, 4}, {V3f(1, 0, 0), V3f(9, 0, 0)});
        const PosePtr p = blend(a, b, 0.9, SubFrame::linear, 1);
        QVERIFY(has(*p, 1) && has(*p, 2) && !has(*p, 4));
        QCOMPARE(place_of(*p, 2), V3f(5, 0, 0));
    }
    void births_and_deaths_at_their_own_times_with_ages() {
        // Half a second between the frames. 2 dies 0.2 s after a; 4 was born 0.1 s before b.
        auto a = particles({1, 2}, {V3f(0), V3f(5, 0, 0)});
        a->velocities = {V3f(2, 0, 0), V3f(0, 1, 0)};
        a->attributes = {scalar("age", {1, 0.8f}), scalar("life", {9, 1})};
        auto b = particles({1, 4}, {V3f(1, 0, 0), V3f(9, 0, 0)});
        b->velocities = {V3f(2, 0, 0), V3f(0, 0, 10)};
        b->attributes = {scalar("age", {1.5f, 0.1f}), scalar("life", {9, 3})};
        for (double w : {0.1, 0.3, 0.39, 0.41, 0.7, 0.79, 0.81, 0.95}) {
            const PosePtr p = blend(a, b, w, SubFrame::smooth, 0.5);
            QCOMPARE(has(*p, 2), w * 0.5 < 0.2);
            QCOMPARE(has(*p, 4), (1 - w) * 0.5 <= 0.1);
            QVERIFY((place_of(*p, 1) - V3f(static_cast<float>(w), 0, 0)).length() < 1e-6f);
            if (has(*p, 2))
                QVERIFY((place_of(*p, 2) - V3f(5, static_cast<float>(w * 0.5), 0)).length() <
                        1e-6f); // goes on along its velocity
            if (has(*p, 4)) {
                QVERIFY((place_of(*p, 4) - V3f(9, 0, static_cast<float>(-10 * (1 - w) * 0.5))).length() < 1e-5f);
                const Attribute* age = find_scalar(*p, "age");
                QVERIFY(age && std::abs(age->values.back() - (0.1 - (1 - w) * 0.5)) < 1e-6);
            }
        }
    }
    void smooth_particles_are_exact_on_cubics() {
        // x = t³ − t over frames 0 … 3, its velocities as slopes, or through four frames for a parabola.
        auto at = [](double t) {
            auto p = particles({5}, {V3f(static_cast<float>(t * t * t - t), 0, 0)});
            p->velocities = {V3f(static_cast<float>(3 * t * t - 1), 0, 0)};
            return p;
        };
        const PosePtr p = blend(at(1), at(2), 0.3, SubFrame::smooth, 1);
        QVERIFY(std::abs(p->points[0].x - (1.3f * 1.3f * 1.3f - 1.3f)) < 1e-5f);
        auto plain = [](double t) { return PosePtr(particles({5}, {V3f(static_cast<float>(t * t), 0, 0)})); };
        const PosePtr q = blend_through({plain(0), 1}, plain(1), plain(2), {plain(3), 1}, 0.25);
        QVERIFY(std::abs(q->points[0].x - 1.5625f) < 1e-6f);
    }
    void meshes_are_carried_along_velocities() {
        auto a = std::make_shared<Pose>(tetrahedron());
        a->velocities.assign(4, V3f(0, 0, 2));
        auto b = std::make_shared<Pose>(sphere(1, 4));
        b->velocities.assign(b->points.size(), V3f(4, 0, 0));
        QVERIFY(!mixable(*a, *b));
        QCOMPARE(carried(a, b, 0.25, 2)->points[0], a->points[0] + V3f(0, 0, 1));
        QCOMPARE(carried(a, b, 0.75, 2)->points[3], b->points[3] - V3f(2, 0, 0));
        QCOMPARE(moved_along(a, 0), PosePtr(a));
    }

    // Khronos Group, glTF 2.0 specification, appendix C.2 to C.5: the formulas written out here once more.
    void tracks_follow_the_specification() {
        const KeyTrack step = track({1, 2, 4}, {10, 20, 40}, KeyWay::step);
        QCOMPARE(value(step, 0), 10.0);
        QCOMPARE(value(step, 1.999), 10.0);
        QCOMPARE(value(step, 2), 20.0);
        QCOMPARE(value(step, 9), 40.0);
        const KeyTrack line = track({1, 2, 4}, {10, 20, 40}, KeyWay::linear);
        QCOMPARE(value(line, 1.5), 15.0);
        QCOMPARE(value(line, 3), 30.0);
        QCOMPARE(value(line, 0.2), 10.0);
        // in-tangent, value, out-tangent
        const KeyTrack cubic = track({1, 3}, {0, 5, 2, -1, 8, 0}, KeyWay::cubic);
        for (double time : {1.0, 1.3, 2.0, 2.9, 3.0}) {
            const double td = 2, t = (time - 1) / td, v0 = 5, b0 = 2, v1 = 8, a1 = -1;
            const double wanted = (2 * t * t * t - 3 * t * t + 1) * v0 + td * (t * t * t - 2 * t * t + t) * b0 +
                                  (-2 * t * t * t + 3 * t * t) * v1 + td * (t * t * t - t * t) * a1;
            QVERIFY(std::abs(value(cubic, time) - wanted) < 1e-9);
        }
    }
    void rotations_agree_with_eigen() {
        std::mt19937 random(4);
        std::normal_distribution<float> normal;
        for (int round = 0; round < 200; ++round) {
            const Eigen::Quaternionf a =
                Eigen::Quaternionf(normal(random), normal(random), normal(random), normal(random)).normalized();
            const Eigen::Quaternionf b =
                Eigen::Quaternionf(normal(random), normal(random), normal(random), normal(random)).normalized();
            KeyTrack t = track({0, 1}, {a.x(), a.y(), a.z(), a.w(), b.x(), b.y(), b.z(), b.w()}, KeyWay::linear, 4);
            t.rotation = true;
            for (double w : {0.1, 0.5, 0.83}) {
                double out[4];
                sample(t, w, out);
                const Eigen::Quaterniond mine(out[3], out[0], out[1], out[2]);
                const Eigen::Quaterniond theirs = a.cast<double>().slerp(w, b.cast<double>());
                QVERIFY(mine.angularDistance(theirs) < 1e-6);
            }
        }
    }
    void hierarchies_agree_with_eigen() {
        KeyedModel m;
        m.nodes.resize(3);
        m.nodes[1].parent = 0, m.nodes[2].parent = 1;
        m.nodes[0].translation = V3d(1, 2, 3);
        m.nodes[0].rotation = Quatd().setAxisAngle(V3d(0, 1, 0), 0.7);
        m.nodes[1].scale = V3d(2, 1, 0.5);
        m.nodes[2].translation = V3d(0, 1, 0);
        PartMesh mesh;
        mesh.base = tetrahedron();
        m.meshes.push_back(mesh);
        m.nodes[2].meshes = {0};
        m.tracks.push_back(track({0, 2}, {0, 0, 0, 4, 0, 0}, KeyWay::linear, 3));
        m.channels.push_back({1, PartPath::translation, 0});
        m.tracks.push_back(track({0, 2}, {0, 0, 0, 1, 0.6f, 0, 0, 0.8f}, KeyWay::linear, 4));
        m.tracks.back().rotation = true;
        m.channels.push_back({2, PartPath::rotation, 1});
        const PosePtr pose = pose_at(m, *shared_parts(m), 1);
        using Eigen::AngleAxisd;
        using Eigen::Vector3d;
        Eigen::Affine3d all = Eigen::Translation3d(1, 2, 3) * AngleAxisd(0.7, Vector3d::UnitY()) *
                              Eigen::Affine3d(Eigen::Translation3d(2, 0, 0)) * Eigen::Scaling(2.0, 1.0, 0.5) *
                              Eigen::Affine3d(Eigen::Translation3d(0, 1, 0)) *
                              Eigen::Quaterniond(1, 0, 0, 0).slerp(0.5, Eigen::Quaterniond(0.8, 0.6, 0, 0));
        for (std::size_t i = 0; i < 4; ++i) {
            const V3f& p = mesh.base.points[i];
            const Vector3d wanted = all * Vector3d(p.x, p.y, p.z);
            QVERIFY((V3d(pose->points[i]) - V3d(wanted.x(), wanted.y(), wanted.z())).length() < 1e-5);
        }
        QCOMPARE(m.root(), 1); // its parents are still
        QCOMPARE(pose->attributes[0].whole[0], 2);
        // Velocities are those of the motion.
        const PosePtr later = pose_at(m, *shared_parts(m), 1.01), sooner = pose_at(m, *shared_parts(m), 0.99);
        for (std::size_t i = 0; i < 4; ++i)
            QVERIFY((pose->velocities[i] - (later->points[i] - sooner->points[i]) * 50.0f).length() < 0.01f);
    }
    void morphs_and_skins() {
        KeyedModel m;
        m.nodes.resize(2);
        m.nodes[1].translation = V3d(0, 5, 0);
        PartMesh mesh;
        mesh.base = tetrahedron();
        mesh.targets.resize(1);
        mesh.targets[0].points.assign(4, V3f(0, 0, 8));
        mesh.joint_sets = 1;
        mesh.joints.assign(4, {0, 1, 0, 0});
        mesh.weights.assign(4, {0.25f, 0.75f, 0, 0});
        m.meshes.push_back(mesh);
        m.nodes[0].meshes = {0};
        m.nodes[0].skin = 0;
        m.nodes[0].translation = V3d(100, 0, 0); // the specification: a skinned mesh does not follow its own node
        m.skins.push_back({{0, 1}, {M44d().setTranslation(V3d(-100, 0, 0)), M44d()}});
        m.tracks.push_back(track({0, 1}, {0, 1}, KeyWay::linear));
        m.channels.push_back({0, PartPath::weights, 0});
        const PosePtr pose = pose_at(m, *shared_parts(m), 0.5);
        for (std::size_t i = 0; i < 4; ++i)
            QVERIFY((pose->points[i] - (mesh.base.points[i] + V3f(0, 3.75f, 4))).length() < 1e-5f);
    }

    void volumes_mix_voxel_by_voxel() {
        const VolumePtr a = ball(V3d(0), V3f(1, 0, 0)), b = ball(V3d(0.3, 0.2, 0), V3f(0, 2, 0));
        const VolumePtr half = mix(*a, *b, 0.3);
        for (double x = -0.6; x < 0.8; x += 0.05) { // on voxels
            const V3f p(static_cast<float>(x), 0.1f, 0.05f);
            const float from = value_at(*a, "density", p), to = value_at(*b, "density", p);
            QVERIFY(std::abs(value_at(*half, "density", p) - (from + 0.3f * (to - from))) < 1e-5f);
        }
    }
    void a_grid_that_only_one_has_fades() {
        const VolumePtr both = ball(V3d(0), V3f(1, 0, 0));
        DenseGrid other{"heat", 4, 4, 4, 0.05, V3d(0)};
        other.values.assign(64, 2);
        const VolumePtr b = volume_from({other});
        const VolumePtr mixed = mix(*both, *b, 0.25);
        QCOMPARE(mixed->facts().size(), std::size_t(3));
        QVERIFY(std::abs(value_at(*mixed, "heat", V3f(0.05f)) - 0.5f) < 1e-6f);
        QVERIFY(std::abs(value_at(*mixed, "density", V3f(0)) - 0.75f * value_at(*both, "density", V3f(0))) < 1e-6f);
    }
    void carried_smoke_moves_instead_of_fading() {
        // Over half a second, at 1 m/s along x: 0.5 m. Mixed, it is twice there and half as thick; carried, once and
        // whole.
        const VolumePtr a = ball(V3d(-0.25, 0, 0), V3f(1, 0, 0)), b = ball(V3d(0.25, 0, 0), V3f(1, 0, 0));
        double mass_a = 0, mass = 0;
        centre(*a, &mass_a);
        for (double w : {0.25, 0.5, 0.8}) {
            const VolumePtr moving = mix_carried(*a, *b, w, 0.5);
            const V3d at = centre(*moving, &mass);
            QVERIFY2(std::abs(at.x - (-0.25 + 0.5 * w)) < 0.01, qPrintable(QString::number(at.x)));
            QVERIFY(std::abs(mass / mass_a - 1) < 0.02);
            QVERIFY(std::abs(value_at(*moving, "density", V3f(static_cast<float>(-0.25 + 0.5 * w), 0, 0)) - 1) < 0.03f);
        }
        QVERIFY(value_at(*mix(*a, *b, 0.5), "density", V3f(0)) < 0.8f);
    }
    void volumes_turn_with_their_axes() {
        const VolumePtr v = ball(V3d(0.2, 0.4, 0.6), V3f(1, 2, 3));
        const VolumePtr up = moved(*v, true, 2);
        QVERIFY((centre(*moved(*v, true, 1)) - V3d(0.2, 0.6, -0.4)).length() < 0.02);
        QVERIFY(std::abs(value_at(*up, "density", V3f(0.4f, 1.2f, -0.8f)) -
                         value_at(*v, "density", V3f(0.2f, 0.4f, 0.6f))) < 1e-3f);
        QVERIFY(std::abs(up->facts()[1].most - 2 * v->facts()[1].most) < 1e-4);
    }
    // A sphere's volume is 4/3·π·r³; halfway between the distance fields of radius 1 and 1.2 lies radius 1.1.
    void level_sets_hold_the_volume_of_a_sphere() {
        const Pose small = sphere(1), large = sphere(1.08, 40);
        QVERIFY(std::abs(enclosed_volume(small) / (4.0 / 3 * std::numbers::pi) - 1) < 0.01);
        for (double w : {0.25, 0.5, 0.75}) {
            const auto between = between_level_sets(small, large, w, 0.04, Progress::none());
            QVERIFY(between);
            const double r = 1 + 0.08 * w, wanted = 4.0 / 3 * std::numbers::pi * r * r * r;
            QVERIFY2(std::abs(enclosed_volume(**between) / wanted - 1) < 0.01,
                     qPrintable(QString::number(enclosed_volume(**between) / wanted)));
        }
        QCOMPARE(between_level_sets(small, large, 0.5, 0, Progress::none()).error().code, ErrorCode::invalid);
        QCOMPARE(between_level_sets(small, large, 0.5, 1e-4, Progress::none()).error().code, ErrorCode::too_large);
    }
    void a_field_becomes_a_surface_that_faces_outward() {
        DenseGrid d{"field", 40, 40, 40, 0.1, V3d(-2)};
        for (int z = 0; z < 40; ++z) {
            for (int y = 0; y < 40; ++y) {
                for (int x = 0; x < 40; ++x)
                    d.values.push_back(static_cast<float>(3 - (d.origin + V3d(x, y, z) * 0.1).length()));
            }
        }
        QVERIFY(std::abs(enclosed_volume(*surface_of(d, 1.5)) / (4.0 / 3 * std::numbers::pi * 1.5 * 1.5 * 1.5) - 1) <
                0.02);
    }

    // IEEE 754-2008 binary16, as Imath converts it: all 65 536 of them.
    void every_half_converts_alike() {
        std::vector<std::uint16_t> bits(65536);
        for (std::size_t i = 0; i < bits.size(); ++i) bits[i] = static_cast<std::uint16_t>(i);
        std::vector<float> fast(bits.size()), mixed(bits.size());
        from_halves(bits.data(), fast.data(), bits.size());
        mix_halves(bits.data(), bits.data(), 0.5f, mixed.data(), bits.size());
        for (std::size_t i = 0; i < bits.size(); ++i) {
            Imath::half h;
            h.setBits(bits[i]);
            const float wanted = h;
            QVERIFY(std::isnan(wanted) ? std::isnan(fast[i]) : wanted == fast[i]);
            if (std::isfinite(wanted)) QVERIFY(mixed[i] == wanted);
        }
    }
    void halves_mix_as_floats_do() {
        std::vector<std::uint16_t> a, b;
        for (int i = 0; i < 37; ++i)
            a.push_back(Imath::half(0.37f * static_cast<float>(i)).bits()),
                b.push_back(Imath::half(5 - 0.21f * static_cast<float>(i)).bits());
        std::vector<float> fa(37), fb(37), mixed(37), wanted(37);
        from_halves(a.data(), fa.data(), 37), from_halves(b.data(), fb.data(), 37);
        for (float w : {0.0f, 0.3f, 0.75f, 1.0f}) {
            mix_halves(a.data(), b.data(), w, mixed.data(), 37);
            mix(fa.data(), fb.data(), w, wanted.data(), 37);
            QCOMPARE(mixed, wanted);
        }
    }
    void what_has_no_faces_is_drawn_by_small_ones() {
        auto p = particles({1, 2}, {V3f(0), V3f(1, 0, 0)});
        p->attributes = {scalar("size", {0.2f, 0.4f})};
        const PosePtr drawn = stand_in(p);
        QCOMPARE(drawn->faces->count(), std::size_t(16));
        QVERIFY(std::abs(bounds(*drawn).max.x - 1.2f) < 1e-6f);
        for (const V3f& n : point_normals(drawn->points, *drawn->faces)) QVERIFY(n.length() > 0.9f);
        const std::vector<V3f> outward = point_normals(drawn->points, *drawn->faces);
        for (std::size_t i = 0; i < outward.size(); ++i) QVERIFY(outward[i].dot(drawn->normals[i]) > 0.5f);
        auto smoke = std::make_shared<Pose>();
        smoke->volume = ball(V3d(0), V3f(1, 0, 0));
        const PosePtr cells = stand_in(smoke, 500);
        QVERIFY(cells->faces->count() > 100 && cells->faces->count() <= 500 * 8);
        const auto mesh = std::make_shared<Pose>(tetrahedron());
        QCOMPARE(stand_in(mesh), PosePtr(mesh));
        QCOMPARE(stand_in(particles({}, {}))->points.size(), std::size_t(0));
    }
    void bounds_are_of_all_points_however_many() {
        std::mt19937 some(3);
        std::uniform_real_distribution<float> at(-3, 3);
        for (std::size_t count = 0; count < 40; ++count) {
            std::vector<V3f> points(count);
            for (V3f& p : points) p = V3f(at(some), at(some), at(some));
            Imath::Box3f expected;
            for (const V3f& p : points) expected.extendBy(p);
            QVERIFY(bounds_of(points) == expected);
        }
    }
};
GARLAND_TEST_CASE(KindsTest)
#include "kinds_test.moc"
