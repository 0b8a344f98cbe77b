// Degrees, as people give them, and what computing with them takes.
#pragma once

#include "core/base/portable_math.h"

#include <numbers>

namespace garland {

inline constexpr double radians = std::numbers::pi / 180; // in a degree

struct SinCos {
    double s, c;
    explicit SinCos(double degrees) : s(portable::sin(degrees * radians)), c(portable::cos(degrees * radians)) {}
};

} // namespace garland
