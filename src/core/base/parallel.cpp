#include "core/base/parallel.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#if defined(__SSE2__)
#include <xmmintrin.h>
#endif

namespace garland {

#if defined(__SSE2__)
FlushDenormals::FlushDenormals() : before_(_mm_getcsr()) {
    _mm_setcsr(before_ | 0x8040u);
}
FlushDenormals::~FlushDenormals() {
    _mm_setcsr(before_);
}
#else
FlushDenormals::FlushDenormals() : before_(0) {}
FlushDenormals::~FlushDenormals() = default;
#endif

void parallel_for(std::size_t count, std::size_t grain, const std::function<void(std::size_t, std::size_t)>& body) {
    if (count == 0) return;
    if (count <= grain) {
        FlushDenormals flush;
        body(0, count);
        return;
    }
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, grain), [&](const auto& range) {
        FlushDenormals flush;
        body(range.begin(), range.end());
    });
}

} // namespace garland
