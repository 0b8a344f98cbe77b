// A kernel (see cmake/rooms.cmake): the difference of two poses.
#include "core/base/levels.h"
#include "core/loop/pose_distance.h"

namespace garland {

// Eight numbers that are worked on together, wherever they lie; processors with shorter vectors take them in parts.
using Eight = float __attribute__((vector_size(32), aligned(4), may_alias));

static inline const Eight& at(const float* p) {
    return *reinterpret_cast<const Eight*>(p);
}

// Thirty-two sums beside each other, the same on every processor.
GARLAND_LEVELS static double block(const float* a, const float* b, std::size_t count) {
    Eight s0{}, s1{}, s2{}, s3{};
    std::size_t i = 0;
    for (; i + 32 <= count; i += 32) {
        const Eight d0 = at(a + i) - at(b + i), d1 = at(a + i + 8) - at(b + i + 8);
        const Eight d2 = at(a + i + 16) - at(b + i + 16), d3 = at(a + i + 24) - at(b + i + 24);
        s0 += d0 * d0;
        s1 += d1 * d1;
        s2 += d2 * d2;
        s3 += d3 * d3;
    }
    const Eight all = (s0 + s1) + (s2 + s3);
    double sum = 0;
    for (int k = 0; k < 8; ++k) sum += all[k];
    for (; i < count; ++i) {
        const double d = static_cast<double>(a[i]) - b[i];
        sum += d * d;
    }
    return sum;
}

double squared_difference(const float* a, const float* b, std::size_t count) {
    double sum = 0;
    for (std::size_t i = 0; i < count; i += difference_piece)
        sum += block(a + i, b + i, count - i < difference_piece ? count - i : difference_piece);
    return sum;
}

void squared_differences(const float* const* a, std::size_t rows, const float* const* b, std::size_t columns,
                         std::size_t count, double* sums) {
    for (std::size_t i = 0; i < count; i += difference_piece) {
        const std::size_t n = count - i < difference_piece ? count - i : difference_piece;
        for (std::size_t r = 0; r < rows; ++r) {
            for (std::size_t c = 0; c < columns; ++c) sums[r * columns + c] += block(a[r] + i, b[c] + i, n);
        }
    }
}

} // namespace garland
