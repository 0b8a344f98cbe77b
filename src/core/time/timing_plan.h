// A timing prepared for evaluation: any output frame, in any order, the same bytes on every machine.
#pragma once

#include "core/time/segment_table.h"
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
    TimingSample at(OutputFrame local) const { return finish(fold(local)); }

    // The same in two steps, so that a loop over many copies can take each step for all of them: where in the span τ
    // falls, and what is shown there.
    struct Folded {
        double u = 0;                  // output frames from the span's start, 0 … its length
        double sign = 1;               // of time: 1 forward, −1 backward, 0 at rest
        double run = 0, run_slope = 0; // added by run_on: source frames, source frames per output frame
        std::int64_t pass = 0;
        Part part = Part::span;
        bool absent = false;
    };
    Folded fold(OutputFrame local) const;
    TimingSample finish(const Folded& f) const;
    struct Wrapped {
        double u, sign, pass;
    };
    static Wrapped wrap(double x, double period, double length, bool there_and_back);
    // Set when before and after fold alike without a count there is no slider and nothing is hidden inside: then
    // fold(τ) is wrap(τ − first, period, length, …), and what is shown there is table().at(…).
    bool alike() const { return alike_ && !table_.hides(); }
    double period() const { return after_.period; }
    double length() const { return after_.length; }
    // Output frames after which what follows the span is the same again; 0 where it does not go on endlessly.
    double loop() const {
        const bool turns = after_.mode == OutsideMode::repeat || after_.mode == OutsideMode::there_and_back;
        if (!turns || !std::isinf(after_.passes)) return 0;
        return after_.mode == OutsideMode::there_and_back ? 2 * after_.period : after_.period; // there, and back
    }
    bool there_and_back() const { return after_.mode == OutsideMode::there_and_back; }
    const SegmentTable& table() const { return table_; }

    // The cross-fade of phrases at τ: a second pose that is mixed in by `weight`.
    struct Fading {
        double weight = 0;            // 0: no second pose; up to 1
        double weight_slope = 0;      // a output frame
        double source = 0, slope = 0; // of the second pose
        double left = 0;              // output frames until it is gone
    };
    bool fades() const { return !fades_.empty(); }

    // Where the slider stands, in per cent; and the output frame of the form's own span that is played then,
    // counted from its start. Without a slider both tell of the span frame itself.
    bool has_slider() const { return has_slider_; }
    double slider_at(const TimingSample& sample) const;
    double form_frame(const TimingSample& sample) const;
    Fading fading(OutputFrame local) const;

    // How long the pose at τ has been standing still, and how long it will: in the timing's output frames, infinite
    // where nothing else ever comes. Not held: the source is on its way there.
    struct Rest {
        bool held = false;
        double passed = 0, left = 0;
    };
    Rest rest_at(OutputFrame local) const;

    OutputFrame first() const { return OutputFrame(first_); }
    OutputFrame last() const { return OutputFrame(first_ + after_.length); } // of the span

  private:
    struct Side {
        OutsideMode mode = OutsideMode::hold;
        double period = 1;
        double length = 0; // of the span, as this side sees it
        double passes = 0; // how many are played beyond the span; infinity: endless
        double end_slope = 0;
    };
    struct Pieces;
    void fold_into(double x, const Side& side, Folded& out) const;
    static void rest(bool at_last, const Side& side, Folded& out);
    void outside(double x, const Side& side, Folded& out) const;

    double first_ = 0;
    bool alike_ = false;             // before and after repeat (or both go there and back) without a count
    bool ends_in_next_pass_ = false; // the span's very end already belongs to what follows
    bool has_slider_ = false;
    Side before_, after_;
    SegmentTable table_;  // the form's own span
    SegmentTable slider_; // per cent over output frames
    std::vector<Fade> fades_;
};

// ---- evaluation, inline so that the loops over copies are built as one

GARLAND_INLINE TimingSample TimingPlan::finish(const Folded& f) const {
    TimingSample out;
    double u = f.u, slope = f.sign;
    bool hidden = f.absent;
    if (has_slider_) {
        const std::uint32_t key = slider_.find(u);
        const auto share = slider_.at(u, key, f.sign);
        hidden |= slider_.hides() && slider_.hidden(key);
        const double to_span = table_.length() / 100;
        u = std::clamp(share.value * to_span, 0.0, table_.length());
        slope *= share.slope * to_span;
    }
    const std::uint32_t stretch = table_.find(u);
    const auto here = table_.at(u, stretch, slope);
    out.source = here.value + f.run;
    out.slope = slope * here.slope + f.run_slope;
    out.span_frame = first_ + f.u;
    out.pass = f.pass;
    out.part = f.part;
    out.absent = hidden || (table_.hides() && table_.hidden(stretch));
    return out;
}

// x, output frames from the span's first key, in passes of `period` frames over a span of `length`. Only selects, so
// that a loop over many copies becomes one over vectors.
GARLAND_INLINE TimingPlan::Wrapped TimingPlan::wrap(double x, double period, double length, bool there_and_back) {
    x = x == x ? x : 0.0;
    double pass = std::floor(x / period);
    double u = x - pass * period;
    // x itself, and the multiple that is taken off it, may each be off by half a unit in the last place; a multiple of
    // the period is the very start of a pass, also before the span.
    const double blur = (std::abs(x) + period) * 0x1p-52;
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
    const Wrapped w = wrap(x, side.period, side.length, folds);
    out.pass = static_cast<std::int64_t>(w.pass);
    out.u = w.u;
    out.sign = w.sign;
    if (std::abs(w.pass) > side.passes) { // every pass has been played: hold the pose of its far end
        const bool after = x > 0;
        const bool odd = folds && (static_cast<std::int64_t>(side.passes) & 1) != 0;
        out.pass = static_cast<std::int64_t>(after ? side.passes : -side.passes);
        rest(after != odd, side, out);
    }
}

GARLAND_INLINE void TimingPlan::rest(bool at_last, const Side& side, Folded& out) {
    out.u = at_last ? side.length : 0;
    out.sign = 0;
}

// x outside 0 … the side's length.
GARLAND_INLINE void TimingPlan::outside(double x, const Side& side, Folded& out) const {
    const bool after = x > 0;
    out.part = after ? Part::after : Part::before;
    switch (side.mode) {
    case OutsideMode::hold: return rest(after, side, out);
    case OutsideMode::absent: out.absent = true; return rest(after, side, out);
    case OutsideMode::run_on:
        rest(after, side, out);
        out.run = side.end_slope * (after ? x - side.length : x);
        out.run_slope = side.end_slope;
        return;
    case OutsideMode::repeat:
    case OutsideMode::there_and_back: return fold_into(x, side, out);
    }
}

GARLAND_INLINE TimingPlan::Folded TimingPlan::fold(OutputFrame local) const {
    Folded out;
    const double x = local.value - first_, length = after_.length;
    if (alike_) { // both sides fold alike, so the span is just pass 0: nothing to guess
        out.part = static_cast<Part>(1 + static_cast<int>(x > length) - static_cast<int>(x < 0));
        fold_into(x, after_, out);
    } else if (x >= 0 && x <= length && !(x == length && ends_in_next_pass_)) {
        out.u = x;
    } else if (x < 0) {
        outside(x, before_, out);
    } else if (x >= length) { // a seamless repeat starts anew at the span's very end, a turn is on its way back there
        outside(x, after_, out);
    } else {
        out.sign = 0; // NaN
    }
    return out;
}

} // namespace garland
