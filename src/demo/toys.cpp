// The pinwheel and the fan.
#include "demo/quay.h"

#include <cmath>
#include <numbers>

namespace garland {

namespace {

constexpr double pi = std::numbers::pi;

void add_face(Faces& faces, std::initializer_list<std::uint32_t> corners) {
    if (faces.starts.empty()) faces.starts.push_back(0);
    faces.corners.insert(faces.corners.end(), corners);
    faces.starts.push_back(static_cast<std::uint32_t>(faces.corners.size()));
}

PartMesh finished(Pose pose, Faces faces, V3f colour, const char* material) {
    PartMesh mesh;
    faces.materials = {material};
    faces.material_of.assign(faces.count(), 0);
    pose.faces = std::make_shared<Faces>(std::move(faces));
    if (pose.colours.empty()) pose.colours.assign(pose.points.size(), colour);
    pose.normals = point_normals(pose.points, *pose.faces);
    mesh.base = std::move(pose);
    return mesh;
}

PartMesh stick() {
    Pose pose;
    Faces faces;
    const int sides = 8;
    for (int end = 0; end < 2; ++end) {
        for (int i = 0; i < sides; ++i) {
            const double a = 2 * pi * i / sides;
            pose.points.emplace_back(V3d(0.011 * std::cos(a), end * 0.9, 0.011 * std::sin(a)));
        }
    }
    for (std::uint32_t i = 0; i < sides; ++i) add_face(faces, {i, i + sides, (i + 1) % sides + sides, (i + 1) % sides});
    return finished(std::move(pose), std::move(faces), V3f(0.72f, 0.55f, 0.33f), "bamboo");
}

// One sail: a paper quarter whose tip is bent to the hub.
PartMesh blade(int index) {
    Pose pose;
    Faces faces;
    const int n = 10;
    const double start = index * pi / 2;
    for (int i = 0; i <= n; ++i) {
        const double u = static_cast<double>(i) / n;
        for (int j = 0; j <= n; ++j) {
            const double v = static_cast<double>(j) / n;
            const double r = 0.24 * (0.06 + 0.94 * u), a = start + v * (pi / 2) * (1 - 0.45 * u * v);
            const double bulge = 0.075 * std::sin(pi * v) * u;
            pose.points.emplace_back(V3d(r * std::cos(a), r * std::sin(a), bulge));
            pose.uvs.emplace_back(static_cast<float>(u), static_cast<float>(v));
        }
    }
    for (std::uint32_t i = 0; i < n; ++i) {
        for (std::uint32_t j = 0; j < n; ++j) {
            const std::uint32_t a = i * (n + 1) + j;
            add_face(faces, {a, a + n + 1, a + n + 2, a + 1});
        }
    }
    const V3f colours[] = {{0.93f, 0.36f, 0.30f}, {0.97f, 0.76f, 0.28f}, {0.33f, 0.66f, 0.62f}, {0.95f, 0.92f, 0.84f}};
    return finished(std::move(pose), std::move(faces), colours[index], "paper");
}

PartMesh ribbon() {
    Pose pose;
    Faces faces;
    for (int i = 0; i <= 6; ++i) {
        const double u = i / 6.0;
        for (double side : {-0.5, 0.5}) pose.points.emplace_back(V3d(0.02 * side, -0.16 * u, 0.012 * std::sin(9 * u)));
    }
    for (std::uint32_t i = 0; i < 6; ++i) add_face(faces, {i * 2, i * 2 + 2, i * 2 + 3, i * 2 + 1});
    return finished(std::move(pose), std::move(faces), V3f(0.85f, 0.28f, 0.42f), "ribbon");
}

void animate(KeyedModel& model, int node, PartPath path, KeyTrack track) {
    track.rotation = path == PartPath::rotation;
    track.width = track.rotation ? 4 : 3;
    model.channels.push_back({node, path, static_cast<int>(model.tracks.size())});
    model.tracks.push_back(std::move(track));
}

void add(std::vector<double>& to, const Quatd& q) {
    for (double v : {q.v.x, q.v.y, q.v.z, q.r}) to.push_back(static_cast<float>(v));
}

} // namespace

KeyedModel pinwheel() {
    KeyedModel model;
    auto node = [&](const char* name, int parent, V3d at, std::vector<int> meshes) {
        PartNode& n = model.nodes.emplace_back();
        n.name = name, n.parent = parent, n.translation = at, n.meshes = std::move(meshes);
        return static_cast<int>(model.nodes.size()) - 1;
    };
    model.meshes.push_back(stick());
    for (int i = 0; i < 4; ++i) model.meshes.push_back(blade(i));
    model.meshes.push_back(ribbon());
    const int pole = node("stick", -1, V3d(0), {0});
    const int head = node("head", pole, V3d(0, 0.88, 0), {});
    const int wheel = node("wheel", head, V3d(0, 0, 0.035), {1, 2, 3, 4});
    const int tail = node("ribbon", head, V3d(0, -0.03, -0.02), {5});

    // The wheel: twelve quarter turns in four seconds, faster in the gust in the middle.
    KeyTrack turns;
    const int at[] = {0, 12, 22, 29, 35, 41, 47, 53, 60, 67, 77, 87, 96}; // frames
    for (int i = 0; i <= 12; ++i) {
        turns.times.push_back(at[i] / 24.0);
        add(turns.values, Quatd().setAxisAngle(V3d(0, 0, 1), i * pi / 2));
    }
    animate(model, wheel, PartPath::rotation, std::move(turns));

    KeyTrack sway; // in-tangent, value, out-tangent
    sway.way = KeyWay::cubic;
    const double angles[] = {0, 0.35, -0.1, -0.4, 0}, slopes[] = {0.3, 0, -0.45, 0, 0.3};
    for (int i = 0; i < 5; ++i) {
        sway.times.push_back(i);
        const Quatd q = Quatd().setAxisAngle(V3d(0, 1, 0), angles[i]);
        const double half = slopes[i] / 2; // d(sin(a/2), cos(a/2))
        const float slope[4] = {0, static_cast<float>(half * q.r), 0, static_cast<float>(-half * q.v.y)};
        sway.values.insert(sway.values.end(), slope, slope + 4);
        add(sway.values, q);
        sway.values.insert(sway.values.end(), slope, slope + 4);
    }
    animate(model, head, PartPath::rotation, std::move(sway));

    KeyTrack flips;
    flips.way = KeyWay::step;
    for (int i = 0; i <= 8; ++i) {
        flips.times.push_back(i * 0.5);
        add(flips.values, Quatd().setAxisAngle(V3d(1, 0, 0), i % 2 == 0 ? 0.25 : -0.5));
    }
    animate(model, tail, PartPath::rotation, std::move(flips));
    return model;
}

std::vector<PosePtr> fan_shapes() {
    std::vector<PosePtr> out;
    const int folds = 16;
    auto faces = std::make_shared<Faces>();
    for (std::uint32_t i = 0; i < folds; ++i) add_face(*faces, {i * 2, i * 2 + 1, i * 2 + 3, i * 2 + 2});
    for (double open : {0.06, 0.3, 0.62, 0.9, 1.0}) {
        auto pose = std::make_shared<Pose>();
        for (int i = 0; i <= folds; ++i) {
            const double a = pi / 2 + (0.5 - static_cast<double>(i) / folds) * open * pi * 0.92;
            const double ridge = (i % 2 ? 0.5 : -0.5) * (0.05 - 0.036 * open);
            for (double r : {0.09, 0.34})
                pose->points.emplace_back(V3d(r * std::cos(a), r * std::sin(a), ridge * (0.4 + r)));
        }
        pose->faces = faces;
        out.push_back(pose);
    }
    return out;
}

} // namespace garland
