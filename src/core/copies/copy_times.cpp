#include "core/copies/copy_times.h"

#include <algorithm>

namespace garland {

namespace {

inline double local_time(const TimingPlan& plan, const CopyClock& copy, double t) {
    const double start = plan.first().value;
    return start + copy.rate * (t - copy.delay - start);
}

inline CopyMoment show(const TimingSample& sample, double rate, double first, double last) {
    CopyMoment m;
    m.source = std::min(std::max(sample.source, first), last);
    // A thousandth of a rounding error outside the range is not a clamp.
    const bool low = sample.source < first - 1e-9, high = sample.source > last + 1e-9;
    const double speed = low || high ? 0 : sample.slope * rate;
    m.speed = static_cast<float>(speed);
    m.pass = static_cast<std::int32_t>(std::clamp<std::int64_t>(sample.pass, INT32_MIN, INT32_MAX));
    m.marks = static_cast<std::uint8_t>((sample.absent ? mark_absent : 0) | (speed == 0 ? mark_held : 0) |
                                        (speed < 0 ? mark_backward : 0) | (low ? mark_clamped_first : 0) |
                                        (high ? mark_clamped_last : 0));
    return m;
}

} // namespace

std::vector<CopyClock> copy_clocks(const Arrangement& arrangement, std::span<const CopyId> ids) {
    std::vector<CopyClock> clocks(ids.size());
    const auto count = static_cast<std::int64_t>(ids.size());
    for (const Spread& spread : arrangement.spreads) {
        if (!spread.on) continue;
        for (std::int64_t i = 0; i < count; ++i) {
            CopyClock& clock = clocks[static_cast<std::size_t>(i)];
            const double value = value_of(spread, ids[static_cast<std::size_t>(i)], i, count);
            if (spread.target == Target::delay) {
                clock.delay += value;
            } else {
                clock.rate += value / 100;
            }
        }
    }
    for (CopyClock& clock : clocks) clock.rate = std::max(clock.rate, 0.001); // several slowing spreads add up
    if (!arrangement.nudges.empty()) {
        for (std::size_t i = 0; i < ids.size(); ++i) {
            auto at = std::lower_bound(arrangement.nudges.begin(), arrangement.nudges.end(), ids[i],
                                       [](const Nudge& n, CopyId id) { return n.copy < id; });
            if (at != arrangement.nudges.end() && at->copy == ids[i]) clocks[i].delay += at->frames;
        }
    }
    return clocks;
}

CopyTrace trace_copy(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy, OutputFrame t) {
    CopyTrace trace;
    trace.delay = copy.delay;
    trace.rate = copy.rate;
    trace.local = local_time(plan, copy, t.value);
    trace.timing = plan.at(OutputFrame(trace.local));
    trace.moment = show(trace.timing, copy.rate, source.first.value, source.last().value);
    return trace;
}

void copy_moments(const TimingPlan& plan, const SourceClock& source, std::span<const CopyClock> copies, OutputFrame t,
                  std::span<CopyMoment> out) {
    const double first = source.first.value, last = source.last().value;
    for (std::size_t i = 0; i < copies.size(); ++i) {
        out[i] = show(plan.at(OutputFrame(local_time(plan, copies[i], t.value))), copies[i].rate, first, last);
    }
}

void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy,
                 std::span<const double> frames, std::span<CopyMoment> out) {
    const double first = source.first.value, last = source.last().value;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        out[i] = show(plan.at(OutputFrame(local_time(plan, copy, frames[i]))), copy.rate, first, last);
    }
}

} // namespace garland
