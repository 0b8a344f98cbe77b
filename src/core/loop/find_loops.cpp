#include "core/loop/find_loops.h"

#include <algorithm>
#include <cmath>

namespace garland {

std::vector<LoopCandidate> find_loops(const FrameMatrix& m, const LoopWish& wish) {
    const auto frames = static_cast<std::int64_t>(m.frames);
    std::vector<LoopCandidate> all;
    float most = 0;
    for (float v : m.values) most = std::max(most, v);
    if (!(most > 0)) return all;
    const std::int64_t longest = wish.longest > 0 ? std::min(wish.longest, frames - 1) : frames - 1;
    for (std::int64_t a = std::max(wish.settle, wish.before); a < frames; ++a) {
        for (std::int64_t length = std::max<std::int64_t>(wish.shortest, 1); length <= longest && a + length < frames; ++length) {
            double squares = 0;
            int seen = 0;
            for (std::int64_t i = -wish.around; i <= wish.around; ++i) {
                if (a + i < 0 || a + length + i >= frames) continue;
                const double d = m.at(static_cast<std::size_t>(a + i), static_cast<std::size_t>(a + length + i));
                squares += d * d;
                ++seen;
            }
            const double gap = m.at(static_cast<std::size_t>(a), static_cast<std::size_t>(a + length));
            all.push_back({m.first + a, length, std::sqrt(squares / std::max(seen, 1)), gap, 0});
        }
    }
    std::sort(all.begin(), all.end(), [](const LoopCandidate& x, const LoopCandidate& y) {
        return std::tuple(x.score, -x.length, x.start) < std::tuple(y.score, -y.length, y.start); // of equal ones the longer
    });
    std::vector<LoopCandidate> out;
    const std::int64_t near = wish.around + 2;
    for (const LoopCandidate& c : all) {
        if (static_cast<int>(out.size()) >= wish.most) break;
        const bool told = std::any_of(out.begin(), out.end(), [&](const LoopCandidate& o) { return std::abs(o.start - c.start) < near && std::abs(o.length - c.length) < near; });
        if (told) continue;
        out.push_back(c);
        const double step = m.usual_step(c.start, c.start + c.length);
        out.back().steps = step > 0 ? c.gap / step : 0;
    }
    return out;
}

} // namespace garland
