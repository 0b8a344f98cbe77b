// What every reader asks of a pose before handing it out.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"

namespace garland {

// Errors: malformed, naming the first point that is not finite or the first face that points past the points. A pose
// without points and faces is fine: there is nothing in that frame.
Result<void> check_pose(const Pose& pose, const std::string& path);

// The same for particles, which may be none: ids as many as points and each once; finite values. Errors: malformed.
Result<void> check_particles(const Pose& pose, const std::string& path);

bool all_finite(const std::vector<V3f>& list);

// The most points one pose may have, so that 32-bit indices reach them all.
inline constexpr std::uint64_t point_limit = 1'000'000'000;

} // namespace garland
