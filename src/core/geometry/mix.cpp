// The inner loops of blending, built for several processor levels that give the same bytes (no contraction).
#include "core/geometry/blend.h"

#include "core/base/levels.h"

#include <algorithm>
#include <cstring>

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
