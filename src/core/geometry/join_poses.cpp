#include "core/geometry/join_poses.h"

#include "core/geometry/corner_normals.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

template <class T>
void add(std::vector<T>& to, const std::vector<T>& from, std::size_t before, std::size_t count, T usual) {
    const bool has = count > 0 && from.size() == count;
    if (!has && to.empty()) return;
    to.resize(before, usual);
    if (has) {
        to.insert(to.end(), from.begin(), from.end());
    } else {
        to.resize(before + count, usual);
    }
}

void add_values(std::vector<Attribute>& to, const std::vector<Attribute>& from, std::size_t before, std::size_t count) {
    for (const Attribute& a : from) {
        const auto known = std::find_if(to.begin(), to.end(), [&](const Attribute& b) { return b.name == a.name; });
        if (known != to.end()) continue;
        Attribute& fresh = to.emplace_back(Attribute{a.name, a.width});
        fresh.vector = a.vector;
        const std::size_t old = before * static_cast<std::size_t>(a.width);
        if (a.whole.empty()) {
            fresh.values.resize(old, 0);
        } else {
            fresh.whole.resize(old, 0);
        }
    }
    for (Attribute& b : to) {
        const auto a = std::find_if(from.begin(), from.end(), [&](const Attribute& o) { return o.name == b.name; });
        const auto width = static_cast<std::size_t>(b.width);
        const bool fits = a != from.end() && a->width == b.width;
        const bool whole = !b.whole.empty() || (b.values.empty() && fits && !a->whole.empty());
        if (whole) {
            if (fits && !a->whole.empty()) {
                b.whole.insert(b.whole.end(), a->whole.begin(), a->whole.end());
            } else if (fits) {
                for (const float v : a->values) b.whole.push_back(static_cast<std::int32_t>(std::lround(v)));
            }
            b.whole.resize((before + count) * width, 0);
        } else {
            if (fits && a->whole.empty()) {
                b.values.insert(b.values.end(), a->values.begin(), a->values.end());
            } else if (fits) {
                b.values.insert(b.values.end(), a->whole.begin(), a->whole.end());
            }
            b.values.resize((before + count) * width, 0);
        }
    }
}

} // namespace

// Of corners as soon as one of them has normals of corners; before its faces are added.
void PoseJoiner::add_normals(const Pose& one) {
    normals_ &= one.normals.size() == one.points.size() || !one.corner_normals.empty();
    if (!normals_) return;
    if (one.corner_normals.empty() && all_.corner_normals.empty()) {
        all_.normals.insert(all_.normals.end(), one.normals.begin(), one.normals.end());
        return;
    }
    if (all_.corner_normals.empty()) { // those before
        for (const std::uint32_t c : faces_.corners) all_.corner_normals.push_back(all_.normals[c]);
        all_.normals.clear();
    }
    const std::vector<V3f> more = normals_at_corners(one);
    all_.corner_normals.insert(all_.corner_normals.end(), more.begin(), more.end());
}

void PoseJoiner::add(const Pose& one, std::int32_t part) {
    ++added_;
    const std::size_t before = all_.points.size(), count = one.points.size();
    const auto first = static_cast<std::uint32_t>(before);
    garland::add(all_.velocities, one.velocities, before, count, V3f(0));
    garland::add(all_.colours, one.colours, before, count, V3f(1));
    garland::add(all_.uvs, one.uvs, before, count, V2f(0));
    add_normals(one);
    add_values(all_.attributes, one.attributes, before, count);
    all_.points.insert(all_.points.end(), one.points.begin(), one.points.end());
    part_.whole.insert(part_.whole.end(), count, part);

    const Faces& f = *one.faces;
    const std::size_t corners = faces_.corners.size(), polygons = faces_.count();
    if (faces_.starts.empty()) faces_.starts.push_back(0);
    garland::add(faces_.corner_uvs, f.corner_uvs, corners, f.corners.size(), V2f(0));
    add_values(faces_.attributes, f.attributes, polygons, f.count());
    add_values(faces_.corner_attributes, f.corner_attributes, corners, f.corners.size());
    for (const std::uint32_t c : f.corners) faces_.corners.push_back(first + c);
    for (std::size_t k = 0; k < f.count(); ++k)
        faces_.starts.push_back(faces_.starts.back() + f.starts[k + 1] - f.starts[k]);
    faces_.pictures.insert(f.pictures.begin(), f.pictures.end());
    if (f.materials.empty() && faces_.materials.empty()) return;
    auto number_of = [this](const std::string& name) {
        const auto at = std::find(faces_.materials.begin(), faces_.materials.end(), name);
        const auto index = static_cast<std::uint32_t>(at - faces_.materials.begin());
        if (at == faces_.materials.end()) faces_.materials.push_back(name);
        return index;
    };
    if (faces_.material_of.size() < polygons) faces_.material_of.resize(polygons, number_of(""));
    for (std::size_t k = 0; k < f.count(); ++k) {
        const std::size_t own = f.material_of.size() == f.count() ? f.material_of[k] : 0;
        faces_.material_of.push_back(number_of(own < f.materials.size() ? f.materials[own] : ""));
    }
}

Pose PoseJoiner::take(bool parts) {
    if (!normals_ || all_.normals.size() != all_.points.size()) all_.normals.clear();
    if (!normals_ || all_.corner_normals.size() != faces_.corners.size()) all_.corner_normals.clear();
    const bool taken = std::any_of(all_.attributes.begin(), all_.attributes.end(),
                                   [](const Attribute& a) { return a.name == "part"; });
    if (parts && !taken) all_.attributes.push_back(std::move(part_));
    all_.faces = std::make_shared<Faces>(std::move(faces_));
    return std::move(all_);
}

} // namespace garland
