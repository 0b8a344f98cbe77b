// Values on a circle, as the source frames of a loop are.
#pragma once

#include <algorithm>
#include <cmath>

namespace garland {

// How far apart two values lie, the shorter way round a circle of `period`; on a line where period is 0.
inline double apart_on_circle(double a, double b, double period) {
    double d = std::abs(a - b);
    if (period <= 0) return d;
    if (d >= period) d = std::fmod(d, period);
    return std::min(d, period - d);
}

} // namespace garland
