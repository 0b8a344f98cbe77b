// A timing prepared for evaluation: any output frame, in any order, the same bytes on every machine.
#pragma once

#include "core/base/levels.h"
#include "core/time/timing.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <vector>

namespace garland {

enum class Part : std::uint8_t { before, span, after };

struct TimingSample {
    double source = 0;     // source frame, not yet held inside the source's own range
    double slope = 0;      // ds/dt: source frames per output frame
    double span_frame = 0; // where in the timing's own span this falls, as an output frame
    std::int64_t pass = 0; // 0: the span itself; 1, 2 … after it; −1, −2 … before it
    Part part = Part::span;
    bool absent = false; // nothing is shown
};

class TimingPlan {
  public:
    TimingPlan() = default;
    // The timing must be valid.
    explicit TimingPlan(const Timing& timing);

    // M(τ) with before and after. Pure; a NaN gives the first pose.
    TimingSample at(OutputFrame local) const {
        const Folded f = fold(local);
        return finish(f, find(f.u));
    }

    // The same in three steps, so that a loop over many copies can take each step for all of them: where in the span τ
    // falls, which stretch that is, and what is shown there.
    struct Folded {
        double u = 0;                  // output frames from the span's first key, 0 … length
        double sign = 1;               // of time: 1 forward, −1 backward, 0 at rest
        double run = 0, run_slope = 0; // added by run_on: source frames, source frames per output frame
        std::int64_t pass = 0;
        Part part = Part::span;
        bool absent = false;
    };
    Folded fold(OutputFrame local) const;
    struct Wrapped {
        double u, sign, pass;
    };
    static Wrapped wrap(double x, double period, double length, bool there_and_back);
    // Set when before and after fold alike without a count: then fold(τ) is wrap(τ − first, period, length, …).
    bool alike() const { return alike_; }
    double period() const { return after_.period; }
    double length() const { return length_; }
    bool there_and_back() const { return after_.mode == OutsideMode::there_and_back; }
    std::uint32_t find(double u) const;
    TimingSample finish(const Folded& f, std::uint32_t stretch) const;

    OutputFrame first() const { return OutputFrame(first_); }
    OutputFrame last() const { return OutputFrame(first_ + length_); }

  private:
    struct Side {
        OutsideMode mode = OutsideMode::hold;
        double period = 1;
        double passes = 0; // how many are played beyond the span; infinity: endless
        double end_slope = 0;
    };
    void fold_into(double x, const Side& side, Folded& out) const;
    void rest(bool at_last, Folded& out) const;
    void outside(double x, const Side& side, Folded& out) const;

    double first_ = 0, length_ = 0;
    double first_source_ = 0, last_source_ = 0;
    double buckets_per_frame_ = 0;
    bool alike_ = false;             // before and after repeat (or both go there and back) without a count
    bool ends_in_next_pass_ = false; // the span's very end already belongs to what follows
    Side before_, after_;
    std::vector<Stretch> stretches_;     // closed by one flat stretch that stands for the last key
    std::vector<double> starts_;         // of the stretches, closed by infinity
    std::vector<std::uint32_t> buckets_; // for each equal slice of the span, the stretch in which it starts
};

// ---- evaluation, inline so that the loops over copies are built as one
// ------------------------------------------------

GARLAND_INLINE std::uint32_t TimingPlan::find(double u) const {
    const auto slice =
        static_cast<std::uint32_t>(static_cast<std::int32_t>(u * buckets_per_frame_)); // u ≤ length: in range
    std::uint32_t i = buckets_[slice];
    i += starts_[i + 1] <= u; // the usual single step, without a branch to guess wrong
    while (starts_[i + 1] <= u) ++i;
    return i;
}

GARLAND_INLINE TimingSample TimingPlan::finish(const Folded& f, std::uint32_t i) const {
    TimingSample out;
    const Stretch& s = stretches_[i];
    double v = f.u - s.start;
    const double value = s.c[0] + v * (s.c[1] + v * (s.c[2] + v * s.c[3]));
    out.source = std::min(std::max(value, s.low), s.high) + f.run;
    // Played backward, a key leads into the stretch before it.
    const bool before = f.sign < 0 && v == 0 && i > 0;
    const Stretch& way = stretches_[before ? i - 1 : i];
    v = before ? way.length : v;
    out.slope = f.sign * (way.c[1] + v * (2 * way.c[2] + 3 * v * way.c[3])) + f.run_slope;
    out.span_frame = first_ + f.u;
    out.pass = f.pass;
    out.part = f.part;
    out.absent = f.absent;
    return out;
}

// x, output frames from the span's first key, in passes of `period` frames over a span of `length`. Only selects, so
// that a loop over many copies becomes one over vectors.
GARLAND_INLINE TimingPlan::Wrapped TimingPlan::wrap(double x, double period, double length, bool there_and_back) {
    x = x == x ? x : 0.0;
    double pass = std::floor(x / period);
    double u = x - pass * period;
    // x itself may be off by half a unit in its last place; a multiple of the period is the very start of a pass.
    const double blur = std::abs(x) * 0x1p-52;
    const bool under = u < 0, over = period - u <= blur;
    pass += over ? 1.0 : under ? -1.0 : 0.0;
    u = over ? 0.0 : under ? u + period : u;
    u = u <= blur ? 0.0 : u;
    u = u < period ? u : period;
    const double half = pass * 0.5;
    const bool backward = there_and_back & (half != std::floor(half));
    const bool gap = u > length; // between the last frame and the wrap the last pose stays
    u = u < length ? u : length;
    return {backward ? length - u : u, gap ? 0.0 : backward ? -1.0 : 1.0, pass};
}

GARLAND_INLINE void TimingPlan::fold_into(double x, const Side& side, Folded& out) const {
    const bool folds = side.mode == OutsideMode::there_and_back;
    const Wrapped w = wrap(x, side.period, length_, folds);
    out.pass = static_cast<std::int64_t>(w.pass);
    out.u = w.u;
    out.sign = w.sign;
    if (std::abs(w.pass) > side.passes) { // every pass has been played: hold the pose of its far end
        const bool after = x > 0;
        const bool odd = folds && (static_cast<std::int64_t>(side.passes) & 1) != 0;
        out.pass = static_cast<std::int64_t>(after ? side.passes : -side.passes);
        rest(after != odd, out);
    }
}

GARLAND_INLINE void TimingPlan::rest(bool at_last, Folded& out) const {
    out.u = at_last ? length_ : 0;
    out.sign = 0;
}

// x outside 0 … length.
GARLAND_INLINE void TimingPlan::outside(double x, const Side& side, Folded& out) const {
    const bool after = x > 0;
    out.part = after ? Part::after : Part::before;
    switch (side.mode) {
    case OutsideMode::hold: return rest(after, out);
    case OutsideMode::absent: out.absent = true; return rest(after, out);
    case OutsideMode::run_on:
        rest(after, out);
        out.run = side.end_slope * (after ? x - length_ : x);
        out.run_slope = side.end_slope;
        return;
    case OutsideMode::repeat:
    case OutsideMode::there_and_back: return fold_into(x, side, out);
    }
}

GARLAND_INLINE TimingPlan::Folded TimingPlan::fold(OutputFrame local) const {
    Folded out;
    const double x = local.value - first_;
    if (alike_) { // both sides fold alike, so the span is just pass 0: nothing to guess
        out.part = static_cast<Part>(1 + static_cast<int>(x > length_) - static_cast<int>(x < 0));
        fold_into(x, after_, out);
    } else if (x >= 0 && x <= length_ && !(x == length_ && ends_in_next_pass_)) {
        out.u = x;
    } else if (x < 0) {
        outside(x, before_, out);
    } else if (x >= length_) {
        outside(x, after_,
                out); // a seamless repeat starts anew at the span's very end, a turn is on its way back there
    } else {
        rest(false, out); // NaN
    }
    return out;
}

} // namespace garland
