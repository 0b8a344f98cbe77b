// A paper box with hard edges, and how far normals of corners are from those of the faces they belong to.
#pragma once

#include "core/geometry/pose.h"

#include <algorithm>

namespace garland::testing {

// The normal of a flat face, by its first three corners.
inline V3f face_normal(const Pose& pose, std::size_t f) {
    const std::uint32_t* c = &pose.faces->corners[pose.faces->starts[f]];
    return (pose.points[c[1]] - pose.points[c[0]]).cross(pose.points[c[2]] - pose.points[c[0]]).normalized();
}

// Two units wide about its middle; six faces of four corners.
inline Pose hard_box() {
    Pose box;
    for (int i = 0; i < 8; ++i)
        box.points.emplace_back(i & 1 ? 1.0f : -1.0f, i & 2 ? 1.0f : -1.0f, i & 4 ? 1.0f : -1.0f);
    auto faces = std::make_shared<Faces>();
    faces->corners = {0, 4, 6, 2, 1, 3, 7, 5, 0, 1, 5, 4, 2, 6, 7, 3, 0, 2, 3, 1, 4, 5, 7, 6};
    for (std::uint32_t f = 0; f <= 6; ++f) faces->starts.push_back(f * 4);
    box.faces = faces;
    for (std::size_t f = 0; f < 6; ++f) box.corner_normals.insert(box.corner_normals.end(), 4, face_normal(box, f));
    return box;
}

// side: −1 where the faces are turned over and the normals are not.
inline float furthest_from_faces(const Pose& pose, float side = 1) {
    if (pose.corner_normals.size() != pose.faces->corners.size()) return 1e9f;
    float worst = 0;
    for (std::size_t f = 0; f < pose.faces->count(); ++f) {
        for (std::uint32_t c = pose.faces->starts[f]; c < pose.faces->starts[f + 1]; ++c)
            worst = std::max(worst, (pose.corner_normals[c] - face_normal(pose, f) * side).length());
    }
    return worst;
}

} // namespace garland::testing
