#include "core/copies/copy_times.h"

#include "core/base/levels.h"

#include <algorithm>
#include <cstddef>

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
    const bool low = source<first - 1e-9, high = source> last + 1e-9;
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

namespace {

CopyTrace trace_own(const TimingPlan& plan, const SourceClock& source, const CopyClocks::Local& own) {
    CopyTrace trace;
    trace.delay = own.delay;
    trace.rate = own.rate;
    trace.local = own.local;
    trace.timing = plan.at(OutputFrame(own.local));
    trace.moment = show(trace.timing, own.rate, source.first.value, source.last().value);
    trace.moment.local = own.local;
    trace.moment.delay = own.delay;
    trace.moment.rate = own.rate;
    if (own.absent) trace.moment.marks |= mark_absent;
    return trace;
}

} // namespace

CopyTrace trace_copy(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy, OutputFrame t) {
    return trace_own(plan, source, {copy.delay, local_of(plan, copy, t.value), copy.rate, false});
}

namespace {

constexpr std::size_t block = 256; // few enough to stay in the nearest cache

// Four numbers at once. Every level computes each lane as the plain code would, so all give the same bytes.
#pragma GCC diagnostic ignored "-Wpsabi" // passed nowhere: all that take them are built into their callers
using Four = double __attribute__((vector_size(32)));
using FourBits = long long __attribute__((vector_size(32)));

struct Block {
    alignas(64) double u[block];
    double sign[block], pass[block];
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

[[gnu::always_inline]] inline Four four(const double* from) {
    Four v;
    __builtin_memcpy(&v, from, sizeof v);
    return v;
}
[[gnu::always_inline]] inline Four all(double value) {
    return Four{value, value, value, value};
}
[[gnu::always_inline]] inline Four larger(Four a, Four b) { // as std::max
    return a < b ? b : a;
}
[[gnu::always_inline]] inline Four smaller(Four a, Four b) { // as std::min
    return b < a ? b : a;
}
// Four rows of four become four columns.
[[gnu::always_inline]] inline void transpose(Four& a, Four& b, Four& c, Four& d) {
    const Four ab0 = __builtin_shufflevector(a, b, 0, 4, 2, 6), ab1 = __builtin_shufflevector(a, b, 1, 5, 3, 7);
    const Four cd0 = __builtin_shufflevector(c, d, 0, 4, 2, 6), cd1 = __builtin_shufflevector(c, d, 1, 5, 3, 7);
    a = __builtin_shufflevector(ab0, cd0, 0, 1, 4, 5);
    b = __builtin_shufflevector(ab1, cd1, 0, 1, 4, 5);
    c = __builtin_shufflevector(ab0, cd0, 2, 3, 6, 7);
    d = __builtin_shufflevector(ab1, cd1, 2, 3, 6, 7);
}

static_assert(sizeof(CopyMoment) == 48 && offsetof(CopyMoment, speed) == 8 && offsetof(CopyMoment, pass) == 12 &&
              offsetof(CopyMoment, marks) == 16 && sizeof(SegmentTable::Row) == 64);

// SegmentTable::at and moment for four copies from i on. count: how many of them there are.
template <bool fine>
[[gnu::always_inline]] inline void moments_of_four(const SegmentTable& table, Four first, Four last, const double* rate,
                                                   const Block& b, std::size_t i, std::size_t count, CopyMoment* out) {
    Four low_half[4], high_half[4]; // of the rows: start, c0, c1, c2 · c3, low, high, before
    for (std::size_t k = 0; k < 4; ++k) {
        const double u = b.u[i + k];
        const double* row = &table.row(fine ? table.find_fine(u) : table.find(u)).start;
        low_half[k] = four(row);
        high_half[k] = four(row + 4);
    }
    transpose(low_half[0], low_half[1], low_half[2], low_half[3]);
    transpose(high_half[0], high_half[1], high_half[2], high_half[3]);
    const Four sign = four(b.sign + i), c1 = low_half[2], c2 = low_half[3], c3 = high_half[0];
    const Four v = four(b.u + i) - low_half[0];
    Four s = low_half[1] + v * (c1 + v * (c2 + v * c3));
    s = smaller(larger(s, high_half[1]), high_half[2]);
    Four way = c1 + v * (all(2) * c2 + all(3) * v * c3);
    way = ((sign < all(0)) & (v == all(0))) ? high_half[3] : way;
    const FourBits low = s<first - all(1e-9), high = s> last + all(1e-9);
    const Four pace = (low | high) ? all(0) : sign * way * four(rate + i);
    s = smaller(larger(s, first), last);
    constexpr auto flag = [](long long mark) { return FourBits{mark, mark, mark, mark}; };
    const FourBits marks = ((pace == all(0)) & flag(mark_held)) | ((pace < all(0)) & flag(mark_backward)) |
                           (low & flag(mark_clamped_first)) | (high & flag(mark_clamped_last));
    for (std::size_t k = 0; k < count; ++k) {
        CopyMoment& m = out[i + k];
        m.source = s[k];
        m.speed = static_cast<float>(pace[k]);
        m.pass = static_cast<std::int32_t>(b.pass[i + k]);
        m.marks = static_cast<std::uint8_t>(marks[k]);
    }
}

template <bool fine>
[[gnu::always_inline]] inline void moments_of_all(const SegmentTable& table, double first, double last,
                                                  const double* rate, Block& b, std::size_t count, CopyMoment* out) {
    const std::size_t whole = count / 4 * 4;
    for (std::size_t i = 0; i < whole; i += 4) moments_of_four<fine>(table, all(first), all(last), rate, b, i, 4, out);
    if (whole == count) return;
    for (std::size_t i = count; i < whole + 4; ++i) b.u[i] = b.sign[i] = b.pass[i] = 0; // block is a multiple of four
    moments_of_four<fine>(table, all(first), all(last), rate, b, whole, count - whole, out);
}

GARLAND_LEVELS
void finish_all(const SegmentTable& table, double first, double last, const double* rate, Block& b, std::size_t count,
                CopyMoment* out) {
    if (table.fine()) {
        moments_of_all<true>(table, first, last, rate, b, count, out);
    } else {
        moments_of_all<false>(table, first, last, rate, b, count, out);
    }
}

void wrapped_block(const TimingPlan& plan, double first, double last, const double* local, const double* rate,
                   std::size_t count, CopyMoment* out) {
    Block b;
    wrap_all(plan, local, count, b);
    finish_all(plan.table(), first, last, rate, b, count, out);
}

GARLAND_LEVELS
void block_moments(const TimingPlan& plan, double first, double last, const double* local, const double* rate,
                   std::size_t count, CopyMoment* out) {
    for (std::size_t i = 0; i < count; ++i) out[i] = show(plan.at(OutputFrame(local[i])), rate[i], first, last);
}

// A block of copies, or of frames of one copy: own(i) says where copy or frame i is in its own time.
template <class Own>
void moments_by_block(const TimingPlan& plan, const SourceClock& source, std::span<CopyMoment> out, const Own& own) {
    const double first = source.first.value, last = source.last().value;
    double local[block], rate[block], delay[block];
    bool absent[block];
    for (std::size_t done = 0; done < out.size(); done += block) {
        const std::size_t count = std::min(block, out.size() - done);
        for (std::size_t i = 0; i < count; ++i) {
            const CopyClocks::Local at = own(done + i);
            local[i] = at.local, rate[i] = at.rate, delay[i] = at.delay, absent[i] = at.absent;
        }
        (plan.alike() ? wrapped_block : block_moments)(plan, first, last, local, rate, count, &out[done]);
        for (std::size_t i = 0; i < count; ++i) {
            CopyMoment& m = out[done + i];
            m.local = local[i], m.delay = delay[i], m.rate = rate[i];
            m.marks = static_cast<std::uint8_t>(m.marks | static_cast<unsigned>(absent[i]) * mark_absent);
        }
    }
}

CopyClocks::Local plain_own(const TimingPlan& plan, const CopyClock& copy, double t) {
    return {copy.delay, local_of(plan, copy, t), copy.rate, false};
}

} // namespace

void copy_moments(const TimingPlan& plan, const SourceClock& source, std::span<const CopyClock> copies, OutputFrame t,
                  std::span<CopyMoment> out) {
    moments_by_block(plan, source, out.first(copies.size()),
                     [&](std::size_t i) { return plain_own(plan, copies[i], t.value); });
}

void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy,
                 std::span<const double> frames, std::span<CopyMoment> out) {
    moments_by_block(plan, source, out.first(frames.size()),
                     [&](std::size_t i) { return plain_own(plan, copy, frames[i]); });
}

CopyTrace trace_copy(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t copy,
                     OutputFrame t) {
    return trace_own(plan, source, clocks.at(plan, copy, clocks.now(t.value)));
}

void copy_moments(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t from,
                  OutputFrame t, std::span<CopyMoment> out) {
    if (clocks.plain()) return copy_moments(plan, source, clocks.still().subspan(from, out.size()), t, out);
    CopyLevels::Lately lately;
    if (clocks.only_played()) {
        const double start = plan.first().value;
        const PlayBy by = clocks.playing()->play().by;
        const bool ahead = by == PlayBy::starts || by == PlayBy::speed; // others seldom look at a table
        return moments_by_block(plan, source, out, [&](std::size_t i) {
            if (ahead) clocks.expect(from + i + 8);
            return clocks.played_at(start, from + i, t.value, lately);
        });
    }
    const CopyClocks::Now now = clocks.now(t.value);
    moments_by_block(plan, source, out, [&](std::size_t i) {
        clocks.expect(from + i + 8);
        return clocks.at(plan, from + i, now, lately);
    });
}

std::vector<CopyClocks::Now> nows_of(const CopyClocks& clocks, std::span<const double> frames) {
    std::vector<CopyClocks::Now> nows;
    if (clocks.plain()) return nows;
    nows.reserve(frames.size());
    for (double t : frames) nows.push_back(clocks.now(t));
    return nows;
}

void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t copy,
                 std::span<const double> frames, std::span<CopyMoment> out) {
    row_moments(plan, source, clocks, copy, frames, nows_of(clocks, frames), out);
}

void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t copy,
                 std::span<const double> frames, std::span<const CopyClocks::Now> nows, std::span<CopyMoment> out) {
    if (clocks.plain()) return row_moments(plan, source, clocks.still()[copy], frames, out);
    moments_by_block(plan, source, out, [&](std::size_t i) { return clocks.at(plan, copy, nows[i]); });
}

} // namespace garland
