#include "core/copies/copy_times.h"

#include "core/base/levels.h"

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
    const bool low = sample.source<first - 1e-9, high = sample.source> last + 1e-9;
    const double speed = sample.slope * rate * static_cast<double>(!(low | high));
    m.speed = static_cast<float>(speed);
    m.pass = static_cast<std::int32_t>(std::clamp<std::int64_t>(sample.pass, INT32_MIN, INT32_MAX));
    auto mark = [](bool is, Mark which) { return static_cast<unsigned>(is) * which; }; // no branch to guess wrong
    m.marks = static_cast<std::uint8_t>(mark(sample.absent, mark_absent) | mark(speed == 0, mark_held) |
                                        mark(speed < 0, mark_backward) | mark(low, mark_clamped_first) |
                                        mark(high, mark_clamped_last));
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

namespace {

constexpr std::size_t block = 256; // few enough to stay in the nearest cache

// One block in short loops over plain arrays: the first becomes one over vectors, the others have nothing to wait for.
GARLAND_LEVELS
void wrapped_block(const TimingPlan& plan, double first, double last, const double* local, const double* rate,
                   std::size_t count, CopyMoment* out) {
    double u[block], sign[block], pass[block];
    std::uint32_t stretch[block];
    const double start = plan.first().value, period = plan.period(), length = plan.length();
    const bool folds = plan.there_and_back();
    for (std::size_t i = 0; i < count; ++i) {
        const auto w = TimingPlan::wrap(local[i] - start, period, length, folds);
        u[i] = w.u;
        sign[i] = w.sign;
        pass[i] = w.pass;
    }
    for (std::size_t i = 0; i < count; ++i) stretch[i] = plan.find(u[i]);
    for (std::size_t i = 0; i < count; ++i) {
        TimingPlan::Folded f;
        f.u = u[i];
        f.sign = sign[i];
        f.pass = static_cast<std::int64_t>(pass[i]);
        out[i] = show(plan.finish(f, stretch[i]), rate[i], first, last);
    }
}

GARLAND_LEVELS
void block_moments(const TimingPlan& plan, double first, double last, const double* local, const double* rate,
                   std::size_t count, CopyMoment* out) {
    for (std::size_t i = 0; i < count; ++i) out[i] = show(plan.at(OutputFrame(local[i])), rate[i], first, last);
}

} // namespace

void copy_moments(const TimingPlan& plan, const SourceClock& source, std::span<const CopyClock> copies, OutputFrame t,
                  std::span<CopyMoment> out) {
    const double first = source.first.value, last = source.last().value;
    double local[block], rate[block];
    for (std::size_t from = 0; from < copies.size(); from += block) {
        const std::size_t count = std::min(block, copies.size() - from);
        for (std::size_t i = 0; i < count; ++i) {
            local[i] = local_time(plan, copies[from + i], t.value);
            rate[i] = copies[from + i].rate;
        }
        (plan.alike() ? wrapped_block : block_moments)(plan, first, last, local, rate, count, &out[from]);
    }
}

void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy,
                 std::span<const double> frames, std::span<CopyMoment> out) {
    const double first = source.first.value, last = source.last().value;
    double local[block], rate[block];
    std::fill(rate, rate + block, copy.rate);
    for (std::size_t from = 0; from < frames.size(); from += block) {
        const std::size_t count = std::min(block, frames.size() - from);
        for (std::size_t i = 0; i < count; ++i) local[i] = local_time(plan, copy, frames[from + i]);
        (plan.alike() ? wrapped_block : block_moments)(plan, first, last, local, rate, count, &out[from]);
    }
}

} // namespace garland
