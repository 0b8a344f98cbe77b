// The inner loops of blending, built for several processor levels that give the same bytes (no contraction).
#include "core/geometry/blend.h"

#include <algorithm>
#include <cstring>

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(GARLAND_NO_CLONES)
#define GARLAND_LEVELS __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define GARLAND_LEVELS
#endif

namespace garland {

GARLAND_LEVELS static void mix_between(const float* a, const float* b, float w, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = a[i] + w * (b[i] - a[i]);
}

void mix(const float* a, const float* b, float w, float* out, std::size_t count) {
    const float* same = w == 0.0f ? a : w == 1.0f ? b : nullptr;
    if (same) {
        if (same != out) std::memmove(out, same, count * sizeof(float));
        return;
    }
    mix_between(a, b, w, out, count);
}

} // namespace garland
