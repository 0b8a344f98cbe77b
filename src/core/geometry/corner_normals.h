// Normals at the corners of faces, where those of one point differ: hard edges.
#pragma once

#include "core/geometry/pose.h"

#include <algorithm>
#include <cstddef>
#include <vector>

namespace garland {

// Values of corners as values of points, where all corners of every point agree within `tolerance`; otherwise false,
// and `out` is of no use. at_corners: one a corner of the faces.
template <class V>
bool agree_at_points(const std::vector<V>& at_corners, const Faces& faces, std::size_t points, float tolerance,
                     std::vector<V>& out) {
    out.assign(points, V(0));
    std::vector<char> known(points, 0);
    for (std::size_t c = 0; c < faces.corners.size(); ++c) {
        const std::uint32_t p = faces.corners[c];
        if (!known[p]) {
            out[p] = at_corners[c], known[p] = 1;
        } else if (!((out[p] - at_corners[c]).length() <= tolerance)) {
            return false;
        }
    }
    return true;
}

// Values of corners, face by face the other way round, as where the faces are turned over.
template <class V>
void turn_corners_round(std::vector<V>& at_corners, const Faces& faces, std::size_t width = 1) {
    if (at_corners.size() != faces.corners.size() * width) return;
    for (std::size_t f = 0; f < faces.count(); ++f) {
        for (std::size_t a = faces.starts[f], b = faces.starts[f + 1]; a + 1 < b; ++a) {
            --b;
            for (std::size_t k = 0; k < width; ++k) std::swap(at_corners[a * width + k], at_corners[b * width + k]);
        }
    }
}
// The faces themselves, with everything that is kept for their corners.
void turn_round(Faces& faces);

// Gives a pose the normals of the corners of `faces`: as those of points where all corners of every point agree.
void set_corner_normals(Pose& pose, const Faces& faces, std::vector<V3f> at_corners);

// One a corner: the pose's own, or those of its points; empty where it has neither.
std::vector<V3f> normals_at_corners(const Pose& pose);
// One a point: the pose's own, or the mean of its corners, unit length; empty where it has neither.
std::vector<V3f> normals_at_points(const Pose& pose);

// One a corner, made anew from the faces: corners of a point that have one normal now are smooth together, others are
// apart.
std::vector<V3f> corner_normals_of_faces(const Pose& pose);

// Points split where their corners have other normals, and nowhere else.
struct HardSplit {
    std::shared_ptr<const Faces> faces;       // the same, over split points; their shape alone
    std::vector<std::uint32_t> point, corner; // of each split point: the point it is, and the first corner that has it
};
HardSplit split_where_hard(const Pose& pose);

// The same faces over points that belong to one corner each, in the order of corners, with normals of points; for what
// keeps values of points only. Texture coordinates of corners become those of points.
Pose split_at_corners(const Pose& pose);

} // namespace garland
