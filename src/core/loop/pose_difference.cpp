// A kernel (see cmake/rooms.cmake): the difference of two poses.
#include "core/base/levels.h"
#include "core/loop/pose_distance.h"

namespace garland {

// Sixteen sums beside each other, the same on every processor.
GARLAND_LEVELS static double block(const float* a, const float* b, std::size_t count) {
    float sums[16] = {};
    std::size_t i = 0;
    for (; i + 16 <= count; i += 16) {
        for (std::size_t k = 0; k < 16; ++k) {
            const float d = a[i + k] - b[i + k];
            sums[k] += d * d;
        }
    }
    double sum = 0;
    for (float v : sums) sum += v;
    for (; i < count; ++i) {
        const double d = static_cast<double>(a[i]) - b[i];
        sum += d * d;
    }
    return sum;
}

double squared_difference(const float* a, const float* b, std::size_t count) {
    constexpr std::size_t piece = 4096; // so that few floats are added up before doubles take over
    double sum = 0;
    for (std::size_t i = 0; i < count; i += piece) sum += block(a + i, b + i, count - i < piece ? count - i : piece);
    return sum;
}

} // namespace garland
