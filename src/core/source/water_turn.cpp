// The one loop of water that asks for sines: a kernel (see cmake/rooms.cmake).
#include "core/base/levels.h"
#include "core/source/water_waves.h"

#include <cmath>

namespace garland {

GARLAND_LEVELS static void turn_all(const double* turns, double moment, float* cosines, float* sines, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        const double phase = turns[i] * moment;
        const double part = phase - std::floor(phase); // [0, 1]
        const double quarter = std::floor(part * 4 + 0.5);
        const auto x = static_cast<float>((part - quarter * 0.25) * 6.283185307179586); // −π/4 … π/4
        const float x2 = x * x;
        // Taylor, to x⁹ and x⁸: below 1e-8 here.
        const float s = x * (1 + x2 * (-1.0f / 6 + x2 * (1.0f / 120 + x2 * (-1.0f / 5040 + x2 * (1.0f / 362880)))));
        const float c = 1 + x2 * (-0.5f + x2 * (1.0f / 24 + x2 * (-1.0f / 720 + x2 * (1.0f / 40320))));
        const double q = quarter - 4 * std::floor(quarter * 0.25); // 0 … 3
        const bool swap = q == 1 || q == 3;
        const float a = swap ? s : c, b = swap ? c : s;
        cosines[i] = q == 1 || q == 2 ? -a : a;
        sines[i] = q >= 2 ? -b : b;
    }
}

void turn_waves(const double* turns, double moment, float* cosines, float* sines, std::size_t count) {
    turn_all(turns, moment, cosines, sines, count);
}

} // namespace garland
