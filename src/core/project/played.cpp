#include "core/project/played.h"

#include <cmath>

namespace garland {

Visits visits_of(const ArrangementShow& a, std::size_t copy) {
    const CopyPlaying& playing = *a.clocks.playing();
    if (playing.play().by != PlayBy::starts && playing.levels().rule().kind != LevelKind::zones) return {};
    return playing.visits(a.clocks.played(copy));
}

Played played_at(const ArrangementShow& a, std::size_t copy, OutputFrame t, double delay, double local,
                 const Visits& visits) {
    const CopyPlaying& playing = *a.clocks.playing();
    const double u = t.value - delay;
    Played out;
    out.level = playing.level(a.clocks.played(copy), u).value;
    const CopyPlaying::Visit* last = nullptr;
    for (const auto& visit : visits) {
        if (visit.from <= u) last = &visit;
    }
    out.never = visits.empty();
    if (!last && !visits.empty()) out.yet_to_come = true, out.entered = visits.front().from + delay;
    if (last) {
        out.from_beginning = !std::isfinite(last->from);
        if (!out.from_beginning) out.entered = last->from + delay;
        if (std::isfinite(last->to)) out.left = last->to + delay;
    }
    if (playing.play().by == PlayBy::starts || playing.play().by == PlayBy::speed)
        out.run_time = local - a.plan.first().value;
    return out;
}

} // namespace garland
