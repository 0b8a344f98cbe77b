// What may be a place, a turn or a size in the scene.
#pragma once

#include "core/geometry/pose.h"

#include <cmath>

namespace garland {

// Three numbers, and less than 10⁹ away.
inline bool usable(const V3d& v) {
    return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z) && v.length() < 1e9;
}

} // namespace garland
