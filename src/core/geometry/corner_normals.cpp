#include "core/geometry/corner_normals.h"

#include <numeric>
#include <utility>

namespace garland {

namespace {

constexpr float same_normal = 1e-3f; // of unit length: files are written with few digits

template <class T>
std::vector<T> at_corners(const std::vector<T>& of_points, const Faces& faces, std::size_t width = 1) {
    std::vector<T> out;
    if (of_points.empty()) return out;
    out.reserve(faces.corners.size() * width);
    for (const std::uint32_t p : faces.corners) {
        const auto first = of_points.begin() + static_cast<std::ptrdiff_t>(p * width);
        out.insert(out.end(), first, first + static_cast<std::ptrdiff_t>(width));
    }
    return out;
}

} // namespace

void turn_round(Faces& faces) {
    turn_corners_round(faces.corner_uvs, faces);
    for (Attribute& a : faces.corner_attributes) {
        turn_corners_round(a.values, faces, static_cast<std::size_t>(a.width));
        turn_corners_round(a.whole, faces, static_cast<std::size_t>(a.width));
    }
    turn_corners_round(faces.corners, faces);
}

void set_corner_normals(Pose& pose, const Faces& faces, std::vector<V3f> at_corners) {
    pose.corner_normals.clear();
    if (agree_at_points(at_corners, faces, pose.points.size(), same_normal, pose.normals)) return;
    pose.normals.clear();
    pose.corner_normals = std::move(at_corners);
}

std::vector<V3f> normals_at_corners(const Pose& pose) {
    if (pose.corner_normals.empty() && pose.normals.size() != pose.points.size()) return {};
    return pose.corner_normals.empty() ? at_corners(pose.normals, *pose.faces) : pose.corner_normals;
}

std::vector<V3f> normals_at_points(const Pose& pose) {
    if (pose.corner_normals.empty()) return pose.normals;
    std::vector<V3f> out(pose.points.size(), V3f(0));
    for (std::size_t c = 0; c < pose.faces->corners.size(); ++c) out[pose.faces->corners[c]] += pose.corner_normals[c];
    for (V3f& n : out) n.normalize(); // leaves a zero vector zero
    return out;
}

HardSplit split_where_hard(const Pose& pose) {
    const Faces& from = *pose.faces;
    constexpr std::uint32_t none = UINT32_MAX;
    HardSplit out;
    auto faces = std::make_shared<Faces>();
    faces->starts = from.starts;
    faces->corners.reserve(from.corners.size());
    std::vector<std::uint32_t> first(pose.points.size(), none), next; // split points of each point
    for (std::uint32_t c = 0; c < from.corners.size(); ++c) {
        const std::uint32_t point = from.corners[c];
        const V3f& n = pose.corner_normals[c];
        std::uint32_t at = first[point];
        while (at != none && !((pose.corner_normals[out.corner[at]] - n).length() <= same_normal)) at = next[at];
        if (at == none) {
            at = static_cast<std::uint32_t>(out.point.size());
            out.point.push_back(point);
            out.corner.push_back(c);
            next.push_back(std::exchange(first[point], at));
        }
        faces->corners.push_back(at);
    }
    out.faces = std::move(faces);
    return out;
}

std::vector<V3f> corner_normals_of_faces(const Pose& pose) {
    const HardSplit split = split_where_hard(pose);
    std::vector<V3f> points, out;
    for (const std::uint32_t p : split.point) points.push_back(pose.points[p]);
    const std::vector<V3f> fresh = point_normals(points, *split.faces);
    out.reserve(split.faces->corners.size());
    for (std::size_t c = 0; c < split.faces->corners.size(); ++c) {
        const V3f& n = fresh[split.faces->corners[c]];
        out.push_back(n == V3f(0) ? pose.corner_normals[c] : n); // faces without area tell nothing
    }
    return out;
}

Pose split_at_corners(const Pose& pose) {
    const Faces& from = *pose.faces;
    Pose out;
    out.points = at_corners(pose.points, from);
    out.normals = normals_at_corners(pose);
    out.velocities = at_corners(pose.velocities, from);
    out.colours = at_corners(pose.colours, from);
    out.uvs = from.corner_uvs.empty() ? at_corners(pose.uvs, from) : from.corner_uvs;
    for (const Attribute& a : pose.attributes) {
        Attribute& b = out.attributes.emplace_back(Attribute{a.name, a.width});
        b.vector = a.vector;
        b.values = at_corners(a.values, from, static_cast<std::size_t>(a.width));
        b.whole = at_corners(a.whole, from, static_cast<std::size_t>(a.width));
    }
    auto faces = std::make_shared<Faces>(from);
    std::iota(faces->corners.begin(), faces->corners.end(), 0u);
    faces->corner_uvs.clear();
    out.faces = std::move(faces);
    return out;
}

} // namespace garland
