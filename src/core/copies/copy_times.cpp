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

constexpr std::size_t block = 128; // few enough to stay in the nearest cache

// Four numbers at once. Every level computes each lane as the plain code would, so all give the same bytes.
#pragma GCC diagnostic ignored "-Wpsabi" // passed nowhere: all that take them are built into their callers
using Four = double __attribute__((vector_size(32)));
using FourBits = long long __attribute__((vector_size(32)));
using Two = double __attribute__((vector_size(16)));
using FourFloats = float __attribute__((vector_size(16)));
using FourInts = int __attribute__((vector_size(16)));

// Copies, or frames of one copy. Arrays a page apart would hinder each other's loads: none is.
template <class T>
struct alignas(64) Column {
    T at[block];
    T apart[8];
    T& operator[](std::size_t i) { return at[i]; }
    const T& operator[](std::size_t i) const { return at[i]; }
};
struct Block {
    Column<double> local, rate, delay; // where they are in their own time
    Column<std::int64_t> absent;       // mark_absent or 0
    Column<double> u, sign, pass;      // local, wrapped
    Column<std::int32_t> slice;        // of the table, in which u is
    Column<double> source, way;        // what the table says there, and its slope
};

template <bool folds>
[[gnu::always_inline]] inline void wrap_each(const TimingPlan& plan, std::size_t count, Block& b) {
    const double start = plan.first().value, period = plan.period(), length = plan.length();
    const SegmentTable& table = plan.table();
    for (std::size_t i = 0; i < count; ++i) {
        const auto w = TimingPlan::wrap(b.local[i] - start, period, length, folds);
        b.slice[i] = table.slice(w.u);
        b.u[i] = w.u;
        b.sign[i] = w.sign;
        b.pass[i] = std::min(std::max(w.pass, -2147483648.0), 2147483647.0);
    }
}

GARLAND_LEVELS
void wrap_all(const TimingPlan& plan, std::size_t count, Block& b) {
    if (plan.there_and_back()) {
        wrap_each<true>(plan, count, b);
    } else {
        wrap_each<false>(plan, count, b);
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

static_assert(sizeof(CopyMoment) == 48 && offsetof(CopyMoment, source) == 0 && offsetof(CopyMoment, speed) == 8 &&
              offsetof(CopyMoment, pass) == 12 && offsetof(CopyMoment, marks) == 16 &&
              offsetof(CopyMoment, local) == 24 && offsetof(CopyMoment, delay) == 32 &&
              offsetof(CopyMoment, rate) == 40 && sizeof(SegmentTable::Row) == 64);

// Four copies' moments, whole: what a moment has is six times eight bytes, written as two pieces.
[[gnu::always_inline]] inline void put_four(Four source, Four pace, Four pass, FourBits marks, Four local, Four delay,
                                            Four rate, CopyMoment* out) {
    const auto speeds = reinterpret_cast<FourInts>(__builtin_convertvector(pace, FourFloats));
    const FourInts passes = __builtin_convertvector(pass, FourInts);
    Four both = reinterpret_cast<Four>(__builtin_shufflevector(speeds, passes, 0, 4, 1, 5, 2, 6, 3, 7));
    auto flags = reinterpret_cast<Four>(marks);
    transpose(source, both, flags, local);
    const auto put = [](CopyMoment* to, Four begin, Two end) {
        __builtin_memcpy(static_cast<void*>(to), &begin, sizeof begin);
        __builtin_memcpy(reinterpret_cast<char*>(to) + sizeof begin, &end, sizeof end);
    };
    put(out, source, __builtin_shufflevector(delay, rate, 0, 4));
    put(out + 1, both, __builtin_shufflevector(delay, rate, 1, 5));
    put(out + 2, flags, __builtin_shufflevector(delay, rate, 2, 6));
    put(out + 3, local, __builtin_shufflevector(delay, rate, 3, 7));
}

[[gnu::always_inline]] inline void put(Four v, double* to) {
    __builtin_memcpy(to, &v, sizeof v);
}

// SegmentTable::at for four copies from i on. By itself, and moments_of_four too: together they are so long that the
// processor does not get to the next four before these are done.
template <bool fine>
[[gnu::always_inline]] inline void look_up_four(const SegmentTable& table, Block& b, std::size_t i) {
    Four low_half[4], high_half[4]; // of the rows: start, c0, c1, c2 · c3, low, high, before
    for (std::size_t k = 0; k < 4; ++k) {
        const double u = b.u[i + k];
        const std::int32_t slice = b.slice[i + k];
        const double* row = &table.row(fine ? table.find_fine(u, slice) : table.find(u, slice)).start;
        low_half[k] = four(row);
        high_half[k] = four(row + 4);
    }
    transpose(low_half[0], low_half[1], low_half[2], low_half[3]);
    transpose(high_half[0], high_half[1], high_half[2], high_half[3]);
    const Four sign = four(&b.sign[i]), c1 = low_half[2], c2 = low_half[3], c3 = high_half[0];
    const Four v = four(&b.u[i]) - low_half[0];
    const Four s = low_half[1] + v * (c1 + v * (c2 + v * c3));
    const Four way = c1 + v * (all(2) * c2 + all(3) * v * c3);
    put(smaller(larger(s, high_half[1]), high_half[2]), &b.source[i]);
    put(((sign < all(0)) & (v == all(0))) ? high_half[3] : way, &b.way[i]);
}

// moment() for four copies from i on.
[[gnu::always_inline]] inline void moments_of_four(Four first, Four last, const Block& b, std::size_t i,
                                                   CopyMoment* out) {
    const Four s = four(&b.source[i]), rate = four(&b.rate[i]);
    const FourBits low = s<first - all(1e-9), high = s> last + all(1e-9);
    const Four pace = (low | high) ? all(0) : four(&b.sign[i]) * four(&b.way[i]) * rate;
    constexpr auto flag = [](long long mark) { return FourBits{mark, mark, mark, mark}; };
    FourBits absent;
    __builtin_memcpy(&absent, &b.absent[i], sizeof absent);
    const FourBits marks = ((pace == all(0)) & flag(mark_held)) | ((pace < all(0)) & flag(mark_backward)) |
                           (low & flag(mark_clamped_first)) | (high & flag(mark_clamped_last)) | absent;
    put_four(smaller(larger(s, first), last), pace, four(&b.pass[i]), marks, four(&b.local[i]), four(&b.delay[i]), rate,
             out);
}

template <bool fine>
[[gnu::always_inline]] inline void moments_of_all(const SegmentTable& table, double first, double last, Block& b,
                                                  std::size_t count, CopyMoment* out) {
    const std::size_t whole = count / 4 * 4;
    for (std::size_t i = count; i < whole + 4 && whole < count; ++i) { // block is a multiple of four
        b.u[i] = b.sign[i] = b.pass[i] = b.local[i] = b.rate[i] = b.delay[i] = 0;
        b.absent[i] = 0, b.slice[i] = 0;
    }
    for (std::size_t i = 0; i < count; i += 4) look_up_four<fine>(table, b, i);
    for (std::size_t i = 0; i < whole; i += 4) moments_of_four(all(first), all(last), b, i, out + i);
    if (whole == count) return;
    CopyMoment rest[4];
    moments_of_four(all(first), all(last), b, whole, rest);
    std::copy(rest, rest + (count - whole), out + whole);
}

GARLAND_LEVELS
void finish_all(const SegmentTable& table, double first, double last, Block& b, std::size_t count, CopyMoment* out) {
    if (table.fine()) {
        moments_of_all<true>(table, first, last, b, count, out);
    } else {
        moments_of_all<false>(table, first, last, b, count, out);
    }
}

void wrapped_block(const TimingPlan& plan, double first, double last, Block& b, std::size_t count, CopyMoment* out) {
    wrap_all(plan, count, b);
    finish_all(plan.table(), first, last, b, count, out);
}

GARLAND_LEVELS
void block_moments(const TimingPlan& plan, double first, double last, Block& b, std::size_t count, CopyMoment* out) {
    for (std::size_t i = 0; i < count; ++i) {
        CopyMoment& m = out[i];
        m = show(plan.at(OutputFrame(b.local[i])), b.rate[i], first, last);
        m.local = b.local[i], m.delay = b.delay[i], m.rate = b.rate[i];
        m.marks = static_cast<std::uint8_t>(m.marks | b.absent[i]);
    }
}

// Copies, or frames of one copy, block by block: fill(b, done, count) says where those from `done` on are in their own
// time.
template <class Fill>
void moments_by_block(const TimingPlan& plan, const SourceClock& source, std::span<CopyMoment> out, const Fill& fill) {
    const double first = source.first.value, last = source.last().value;
    Block b;
    for (std::size_t done = 0; done < out.size(); done += block) {
        const std::size_t count = std::min(block, out.size() - done);
        fill(b, done, count);
        (plan.alike() ? wrapped_block : block_moments)(plan, first, last, b, count, &out[done]);
    }
}

// own(i) says it of each.
template <class Own>
auto each_by(const Own& own) {
    return [&own](Block& b, std::size_t done, std::size_t count) {
        for (std::size_t i = 0; i < count; ++i) {
            const CopyClocks::Local at = own(done + i);
            b.local[i] = at.local, b.rate[i] = at.rate, b.delay[i] = at.delay;
            b.absent[i] = at.absent ? mark_absent : 0;
        }
    };
}

// Where nothing changes in time.
GARLAND_LEVELS
void fill_plain(const TimingPlan& plan, const CopyClock* copies, double t, std::size_t count, Block& b) {
    const double start = plan.first().value;
    for (std::size_t i = 0; i < count; ++i) {
        const double delay = copies[i].delay, rate = copies[i].rate;
        b.delay[i] = delay, b.rate[i] = rate;
        b.local[i] = start + rate * (t - delay - start); // as local_of
        b.absent[i] = 0;
    }
}

} // namespace

void copy_moments(const TimingPlan& plan, const SourceClock& source, std::span<const CopyClock> copies, OutputFrame t,
                  std::span<CopyMoment> out) {
    moments_by_block(plan, source, out.first(copies.size()), [&](Block& b, std::size_t done, std::size_t count) {
        fill_plain(plan, &copies[done], t.value, count, b);
    });
}

void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy,
                 std::span<const double> frames, std::span<CopyMoment> out) {
    const auto own = [&](std::size_t i) {
        return CopyClocks::Local{copy.delay, local_of(plan, copy, frames[i]), copy.rate, false};
    };
    moments_by_block(plan, source, out.first(frames.size()), each_by(own));
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
        const auto played = [&](std::size_t i) {
            if (ahead) clocks.expect(from + i + 8);
            return clocks.played_at(start, from + i, t.value, lately);
        };
        return moments_by_block(plan, source, out, each_by(played));
    }
    const CopyClocks::Now now = clocks.now(t.value);
    const auto own = [&](std::size_t i) {
        clocks.expect(from + i + 8);
        return clocks.at(plan, from + i, now, lately);
    };
    moments_by_block(plan, source, out, each_by(own));
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
    const auto own = [&](std::size_t i) { return clocks.at(plan, copy, nows[i]); };
    moments_by_block(plan, source, out, each_by(own));
}

} // namespace garland
