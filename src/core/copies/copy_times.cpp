#include "core/copies/copy_times.h"

#include "core/base/levels.h"

#include <algorithm>

namespace garland {

namespace {

inline double local_of(const TimingPlan& plan, const CopyClock& copy, double t) {
    const double start = plan.first().value;
    return start + copy.rate * (t - copy.delay - start);
}

// speed: ds/dt before the source's range is looked at. Only selects: no branch to guess wrong.
GARLAND_INLINE CopyMoment moment(double source, double speed, double first, double last, std::int32_t pass,
                                 bool absent) {
    CopyMoment m;
    m.source = std::min(std::max(source, first), last);
    // A thousandth of a rounding error outside the range is not a clamp.
    const bool low = source < first - 1e-9, high = source > last + 1e-9;
    speed *= static_cast<double>(!(low | high));
    m.speed = static_cast<float>(speed);
    m.pass = pass;
    auto mark = [](bool is, Mark which) { return static_cast<unsigned>(is) * which; };
    m.marks = static_cast<std::uint8_t>(mark(absent, mark_absent) | mark(speed == 0, mark_held) |
                                        mark(speed < 0, mark_backward) | mark(low, mark_clamped_first) |
                                        mark(high, mark_clamped_last));
    return m;
}

inline CopyMoment show(const TimingSample& sample, double rate, double first, double last) {
    const auto pass = static_cast<std::int32_t>(std::clamp<std::int64_t>(sample.pass, INT32_MIN, INT32_MAX));
    return moment(sample.source, sample.slope * rate, first, last, pass, sample.absent);
}

} // namespace

OutputFrame local_time(const TimingPlan& plan, const CopyClock& copy, OutputFrame t) {
    return OutputFrame(local_of(plan, copy, t.value));
}

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
    trace.local = local_of(plan, copy, t.value);
    trace.timing = plan.at(OutputFrame(trace.local));
    trace.moment = show(trace.timing, copy.rate, source.first.value, source.last().value);
    return trace;
}

namespace {

constexpr std::size_t block = 256; // few enough to stay in the nearest cache

// Copies in short loops over plain arrays: two become loops over vectors, and the two look-ups and stores in between must
// not (gathered into vectors piece by piece they take three times as long).
struct Block {
    alignas(64) double u[block];
    double sign[block], pass[block], source[block];
    double slope[block], before[block];
    float speed[block];
    std::int64_t marks[block];
    double pad[8]; // arrays a page apart would hinder each other's loads
};

GARLAND_LEVELS
void wrap_all(const TimingPlan& plan, const double* local, std::size_t count, Block& b) {
    const double start = plan.first().value, period = plan.period(), length = plan.length();
    const bool folds = plan.there_and_back();
    for (std::size_t i = 0; i < count; ++i) {
        const auto w = TimingPlan::wrap(local[i] - start, period, length, folds);
        b.u[i] = w.u;
        b.sign[i] = w.sign;
        b.pass[i] = std::min(std::max(w.pass, -2147483648.0), 2147483647.0);
    }
}

template <bool fine>
[[gnu::optimize("no-tree-vectorize")]] void look_up_all(const StretchTable& table, std::size_t count, Block& b) {
    for (std::size_t i = 0; i < count; ++i) {
        const double u = b.u[i];
        const StretchTable::Row& r = table.row(fine ? table.find_fine(u) : table.find(u));
        const double v = u - r.start;
        const double value = r.c[0] + v * (r.c[1] + v * (r.c[2] + v * r.c[3]));
        b.source[i] = std::min(std::max(value, r.low), r.high);
        b.slope[i] = r.c[1] + v * (2 * r.c[2] + 3 * v * r.c[3]);
        b.before[i] = r.before;
        b.u[i] = v;
    }
}

// As StretchTable::at and moment, for all at once.
GARLAND_LEVELS
void mark_all(double first, double last, const double* rate, std::size_t count, Block& b) {
    for (std::size_t i = 0; i < count; ++i) {
        const double way = (b.sign[i] < 0) & (b.u[i] == 0) ? b.before[i] : b.slope[i];
        const double s = b.source[i];
        const bool low = s < first - 1e-9, high = s > last + 1e-9;
        const double pace = low | high ? 0.0 : b.sign[i] * way * rate[i];
        b.source[i] = std::min(std::max(s, first), last);
        b.speed[i] = static_cast<float>(pace);
        constexpr std::int64_t held = mark_held, backward = mark_backward, at_first = mark_clamped_first,
                               at_last = mark_clamped_last, none = 0;
        b.marks[i] = (pace == 0 ? held : none) | (pace < 0 ? backward : none) | (low ? at_first : none) |
                     (high ? at_last : none);
    }
}

[[gnu::optimize("no-tree-vectorize")]] void store_all(const Block& b, std::size_t count, CopyMoment* out) {
    for (std::size_t i = 0; i < count; ++i) {
        out[i].source = b.source[i];
        out[i].speed = b.speed[i];
        out[i].pass = static_cast<std::int32_t>(b.pass[i]);
        out[i].marks = static_cast<std::uint8_t>(b.marks[i]);
    }
}

void wrapped_block(const TimingPlan& plan, double first, double last, const double* local, const double* rate,
                   std::size_t count, CopyMoment* out) {
    Block b;
    wrap_all(plan, local, count, b);
    plan.table().fine() ? look_up_all<true>(plan.table(), count, b) : look_up_all<false>(plan.table(), count, b);
    mark_all(first, last, rate, count, b);
    store_all(b, count, out);
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
            local[i] = local_of(plan, copies[from + i], t.value);
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
        for (std::size_t i = 0; i < count; ++i) local[i] = local_of(plan, copy, frames[from + i]);
        (plan.alike() ? wrapped_block : block_moments)(plan, first, last, local, rate, count, &out[from]);
    }
}

} // namespace garland
