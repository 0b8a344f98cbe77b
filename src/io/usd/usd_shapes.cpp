// The shapes that UsdGeom describes by their sizes, as meshes.
#include "io/usd/usd_scene.h"

#include "core/base/portable_math.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

constexpr int around = 32, up = 16;

// A body of rings about the z axis, from below to above; a radius of 0 is a pole.
struct Ring {
    double radius, z;
};

Pose turned(const std::vector<Ring>& rings) {
    Pose out;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    std::vector<std::uint32_t> first;
    for (const Ring& r : rings) {
        first.push_back(static_cast<std::uint32_t>(out.points.size()));
        const int n = r.radius > 0 ? around : 1;
        for (int k = 0; k < n; ++k) {
            const double angle = 2 * M_PI * k / around;
            out.points.emplace_back(static_cast<float>(r.radius * portable::cos(angle)),
                                    static_cast<float>(r.radius * portable::sin(angle)), static_cast<float>(r.z));
        }
    }
    auto face = [&](std::initializer_list<std::uint32_t> corners) {
        faces->corners.insert(faces->corners.end(), corners);
        faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
    };
    for (std::size_t i = 0; i + 1 < rings.size(); ++i) {
        const std::uint32_t a = first[i], b = first[i + 1];
        for (std::uint32_t k = 0; k < around; ++k) {
            const std::uint32_t next = (k + 1) % around;
            if (rings[i].radius > 0 && rings[i + 1].radius > 0) face({a + k, a + next, b + next, b + k});
            if (rings[i].radius > 0 && !(rings[i + 1].radius > 0)) face({a + k, a + next, b});
            if (!(rings[i].radius > 0) && rings[i + 1].radius > 0) face({a, b + next, b + k});
        }
    }
    out.faces = faces;
    return out;
}

Pose box(double size) {
    Pose out;
    const auto h = static_cast<float>(size / 2);
    for (int i = 0; i < 8; ++i) out.points.emplace_back(i & 1 ? h : -h, i & 2 ? h : -h, i & 4 ? h : -h);
    auto faces = std::make_shared<Faces>();
    faces->corners = {0, 2, 3, 1, 4, 5, 7, 6, 0, 1, 5, 4, 2, 6, 7, 3, 0, 4, 6, 2, 1, 3, 7, 5};
    for (std::uint32_t i = 0; i <= 6; ++i) faces->starts.push_back(i * 4);
    out.faces = faces;
    return out;
}

Pose sheet(double width, double length) {
    Pose out;
    const auto w = static_cast<float>(width / 2), l = static_cast<float>(length / 2);
    out.points = {{-w, -l, 0}, {w, -l, 0}, {w, l, 0}, {-w, l, 0}};
    auto faces = std::make_shared<Faces>();
    faces->corners = {0, 1, 2, 3}, faces->starts = {0, 4};
    out.faces = faces;
    return out;
}

std::vector<Ring> dome(double radius, double z, int from, int to) {
    std::vector<Ring> out;
    for (int i = from; i <= to; ++i) {
        const double angle = M_PI * (static_cast<double>(i) / up - 0.5);
        out.push_back({i == 0 || i == up ? 0 : radius * portable::cos(angle), z + radius * portable::sin(angle)});
    }
    return out;
}

} // namespace

bool is_usd_shape(std::string_view type) {
    return type == "Sphere" || type == "Cube" || type == "Cylinder" || type == "Cone" || type == "Capsule" ||
           type == "Plane";
}

Pose usd_shape(const UsdScene& scene, int prim, double time) {
    const UsdPrim& p = scene.prim(prim);
    auto size = [&](const char* name, double usual) {
        const double v = scene.number(p, name, usual, time);
        if (!(v >= 0)) scene.bad(p, fmt::format("has the {} {}", name, v));
        return v;
    };
    Pose out;
    if (p.type == "Cube") {
        out = box(size("size", 2));
    } else if (p.type == "Plane") {
        out = sheet(size("width", 2), size("length", 2));
    } else if (p.type == "Sphere") {
        out = turned(dome(size("radius", 1), 0, 0, up));
    } else {
        const bool capsule = p.type == "Capsule";
        const double r = size("radius", capsule ? 0.5 : 1), half = size("height", capsule ? 1 : 2) / 2;
        if (capsule) {
            auto rings = dome(r, -half, 0, up / 2), above = dome(r, half, up / 2, up);
            rings.insert(rings.end(), above.begin(), above.end());
            out = turned(rings);
        } else {
            std::vector<Ring> rings{{0, -half}, {r, -half}};
            if (p.type != "Cone") rings.push_back({r, half});
            rings.push_back({0, half});
            out = turned(rings);
        }
    }
    const std::string axis = scene.word(p, "axis", "Z", time);
    if (p.type != "Cube" && p.type != "Sphere" && axis != "Z") {
        for (V3f& v : out.points) v = axis == "X" ? V3f(v.z, v.x, v.y) : V3f(v.y, v.z, v.x);
    }
    auto faces = std::make_shared<Faces>(*out.faces);
    usd_primvars(scene, prim, time, out, faces.get());
    if (scene.word(p, "orientation", "rightHanded", time) == "leftHanded") {
        for (std::size_t f = 0; f < faces->count(); ++f)
            std::reverse(faces->corners.begin() + faces->starts[f], faces->corners.begin() + faces->starts[f + 1]);
    }
    out.faces = faces;
    return out;
}

} // namespace garland
