#include "io/sources/pose_check.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <fmt/format.h>

namespace garland {

bool all_finite(const std::vector<V3f>& list) {
    // Bits alone, so that it is done for many numbers at once: a number whose exponent is all ones is not finite.
    std::uint32_t bad = 0;
    for (const V3f& p : list) {
        for (float v : {p.x, p.y, p.z})
            bad |= ((std::bit_cast<std::uint32_t>(v) & 0x7f800000u) + 0x00800000u) & 0x80000000u;
    }
    return bad == 0;
}

namespace {
Result<void> check_finite(const std::vector<V3f>& list, const char* what, const std::string& path) {
    if (all_finite(list)) return {};
    for (std::size_t i = 0; i < list.size(); ++i) {
        const V3f& p = list[i];
        if (std::isfinite(p.x) && std::isfinite(p.y) && std::isfinite(p.z)) continue;
        return fail(Error{ErrorCode::malformed, fmt::format("{} {} is not finite ({}, {}, {})", what, i, p.x, p.y, p.z)}
                        .at(path)
                        .advise("write this frame again"));
    }
    return {};
}
} // namespace

Result<void> check_particles(const Pose& pose, const std::string& path) {
    if (pose.ids.size() != pose.points.size()) {
        return fail(
            Error{ErrorCode::malformed, fmt::format("has {} ids for {} particles", pose.ids.size(), pose.points.size())}
                .at(path));
    }
    GARLAND_CHECK(check_finite(pose.points, "particle", path));
    GARLAND_CHECK(check_finite(pose.velocities, "the velocity of particle", path));
    std::vector<std::int64_t> sorted = pose.ids;
    std::sort(sorted.begin(), sorted.end());
    const auto twice = std::adjacent_find(sorted.begin(), sorted.end());
    if (twice != sorted.end()) {
        return fail(
            Error{ErrorCode::malformed, fmt::format("the id {} comes twice in one frame", *twice)}.at(path).advise(
                "particles are matched by their ids, so each must be there once"));
    }
    return {};
}

Result<void> check_pose(const Pose& pose, const std::string& path) {
    GARLAND_CHECK(check_finite(pose.points, "point", path));
    const Faces& faces = *pose.faces;
    std::uint32_t highest = 0;
    for (std::uint32_t c : faces.corners) highest = std::max(highest, c);
    if (faces.corners.empty() || highest < pose.points.size()) return {};
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
