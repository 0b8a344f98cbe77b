// Cubics between two values: the one place for their bases and their polynomial.
#pragma once

#include "core/base/levels.h"

#include <algorithm>
#include <span>

namespace garland {

// Weights at w = 0 … 1 of the way: of the value at the start and at the end, and of the slopes with which the curve
// leaves the one and arrives at the other, both for the whole way (C. Hermite, 1878: interpolation by values and
// slopes).
template <typename T>
struct HermiteBasis {
    T start, end, leave, arrive;
    explicit constexpr HermiteBasis(T w) {
        const T w2 = w * w, w3 = w2 * w;
        start = 2 * w3 - 3 * w2 + 1;
        end = 3 * w2 - 2 * w3;
        leave = w3 - 2 * w2 + w;
        arrive = w3 - w2;
    }
};

// The same with no slope at either end, from 0 to 1: the eased way, its slope, and its integral from 0.
constexpr double ease(double w) {
    return w * w * (3 - 2 * w);
}
constexpr double ease_slope(double w) {
    return 6 * w * (1 - w);
}
constexpr double ease_integral(double w) {
    return w * w * w * (1 - w / 2);
}

// c[0] + u·(c[1] + u·(c[2] + u·c[3])) and its slope.
GARLAND_INLINE double cubic(std::span<const double, 4> c, double u) {
    return c[0] + u * (c[1] + u * (c[2] + u * c[3]));
}
GARLAND_INLINE double cubic_slope(std::span<const double, 4> c, double u) {
    return c[1] + u * (2 * c[2] + 3 * u * c[3]);
}

} // namespace garland
