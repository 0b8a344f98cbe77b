#include "io/pose_check.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> check_pose(const Pose& pose, const std::string& path) {
    if (pose.points.empty()) {
        return fail(Error{ErrorCode::malformed, "the mesh is empty: it has no points"}.at(path));
    }
    for (std::size_t i = 0; i < pose.points.size(); ++i) {
        const V3f& p = pose.points[i];
        if (std::isfinite(p.x) && std::isfinite(p.y) && std::isfinite(p.z)) continue;
        return fail(Error{ErrorCode::malformed, fmt::format("point {} is not finite ({}, {}, {})", i, p.x, p.y, p.z)}
                        .at(path)
                        .advise("write this frame again"));
    }
    const Faces& faces = *pose.faces;
    for (std::size_t c = 0; c < faces.corners.size(); ++c) {
        if (faces.corners[c] < pose.points.size()) continue;
        std::size_t face = 0;
        while (faces.starts[face + 1] <= c) ++face;
        return fail(Error{ErrorCode::malformed, fmt::format("face {} points to point {}, but there are only {}", face,
                                                            faces.corners[c], pose.points.size())}
                        .at(path));
    }
    return {};
}

} // namespace garland
