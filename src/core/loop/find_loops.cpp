#include "core/loop/find_loops.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace garland {

namespace {
bool better(const LoopCandidate& x, const LoopCandidate& y) {
    return std::tuple(x.score, -x.length, x.start) <
           std::tuple(y.score, -y.length, y.start); // of equal ones the longer
}
} // namespace

Result<std::vector<LoopCandidate>> find_loops(const FrameMatrix& m, const LoopWish& wish, Progress& progress) {
    const auto frames = static_cast<std::int64_t>(m.frames);
    // Each candidate that is told hides fewer than (2·near)² others: the best so many are all that can ever be told.
    const std::int64_t near = wish.around + 2;
    const auto enough = static_cast<std::size_t>(std::max(wish.most, 1)) * static_cast<std::size_t>(4 * near * near);
    std::vector<LoopCandidate> all; // a heap, the worst one on top
    float most = 0;
    for (float v : m.values) most = std::max(most, v);
    if (!(most > 0)) return all;
    const auto rows = static_cast<double>(std::max<std::int64_t>(frames, 1));
    const std::int64_t longest = wish.longest > 0 ? std::min(wish.longest, frames - 1) : frames - 1;
    for (std::int64_t a = std::max(wish.settle, wish.before); a < frames; ++a) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        if (a % 64 == 0) progress.report(static_cast<double>(a) / rows, "looking for loops");
        for (std::int64_t length = std::max<std::int64_t>(wish.shortest, 1); length <= longest && a + length < frames;
             ++length) {
            double squares = 0;
            int seen = 0;
            for (std::int64_t i = -wish.around; i <= wish.around; ++i) {
                if (a + i < 0 || a + length + i >= frames) continue;
                const double d = m.at(static_cast<std::size_t>(a + i), static_cast<std::size_t>(a + length + i));
                squares += d * d;
                ++seen;
            }
            const double gap = m.at(static_cast<std::size_t>(a), static_cast<std::size_t>(a + length));
            const LoopCandidate c{m.first + a, length, std::sqrt(squares / std::max(seen, 1)), gap, 0};
            if (all.size() >= enough) {
                if (!better(c, all.front())) continue;
                std::pop_heap(all.begin(), all.end(), better);
                all.pop_back();
            }
            all.push_back(c);
            std::push_heap(all.begin(), all.end(), better);
        }
    }
    std::sort(all.begin(), all.end(), better);
    std::vector<LoopCandidate> out;
    for (const LoopCandidate& c : all) {
        if (static_cast<int>(out.size()) >= wish.most) break;
        const bool told = std::any_of(out.begin(), out.end(), [&](const LoopCandidate& o) {
            return std::abs(o.start - c.start) < near && std::abs(o.length - c.length) < near;
        });
        if (told) continue;
        out.push_back(c);
        const double step = m.usual_step(c.start, c.start + c.length);
        out.back().steps = step > 0 ? c.gap / step : 0;
    }
    return out;
}

std::optional<OwnLoop> own_loop(const FrameMatrix& m) {
    if (m.frames < 8) return {};
    const std::size_t last = m.frames - 1;
    OwnLoop out;
    out.usual = m.usual_step();
    out.step = m.at(last, 0);
    if (!(out.usual > 0)) return {};
    // On its way: what lies two steps apart across the wrap is further apart than one step, on both sides.
    const double across = m.at(last - 1, 0), beyond = m.at(last, 1), inside = m.at(0, 2);
    if (out.step <= 0.05 * out.usual && beyond <= 1.5 * m.at(0, 1) && across <= 1.5 * m.at(last - 1, last)) {
        out.last_is_first = true;
        out.period = static_cast<std::int64_t>(last);
        return out;
    }
    const bool a_step =
        out.step >= 0.5 * out.usual && out.step <= 1.5 * std::max({out.usual, static_cast<double>(m.at(0, 1)),
                                                                   static_cast<double>(m.at(last - 1, last))});
    const bool on_its_way = across > 1.2 * out.step && beyond > 1.2 * out.step && across <= 2 * inside + out.usual &&
                            beyond <= 2 * inside + out.usual;
    if (!a_step || !on_its_way) return {};
    out.period = static_cast<std::int64_t>(m.frames);
    return out;
}

} // namespace garland
