#include "core/time/timing_plan.h"

#include "core/base/cubic.h"

#include <algorithm>
#include <limits>
#include <optional>

namespace garland {

namespace {

// What stands for the very last place of a curve, and what comes after it.
Stretch end_of(double length, double value, double slope) {
    Stretch end;
    end.start = length;
    end.c[0] = end.low = end.high = value;
    end.c[1] = slope;
    return end;
}

} // namespace

namespace {

// How a form of timing begins and ends, for what comes before and after it.
struct Ends {
    double head = 0, tail = 0; // slopes: source frames per output frame
    double last = 0;           // source frame
    double run_from = 0;       // output frames from its start where "run on" goes on
};

Ends ends_of(const Timing& timing, const std::vector<Stretch>& parts, double length) {
    Ends out;
    out.run_from = length;
    switch (timing.form) {
    case TimingForm::positions:
        out.last = timing.map.keys.back().source.value;
        if (!parts.empty()) out.head = parts.front().c[1], out.tail = parts.back().slope(parts.back().length);
        if (const Key& k = timing.map.keys.back(); k.toward == Toward::free) {
            out.tail = k.leave;
            if (parts.empty()) out.head = k.leave;
        }
        break;
    case TimingForm::speeds: {
        out.last = timing.speeds.from.value;
        if (!parts.empty()) {
            const Stretch& s = parts.back();
            const auto& keys = timing.speeds.keys;
            const SpeedKey &a = keys[keys.size() - 2], &b = keys.back();
            out.last = s.c[0] + s.length * (a.toward == Toward::step ? a.speed : 0.5 * (a.speed + b.speed));
        }
        out.head = timing.speeds.keys.front().speed;
        out.tail = timing.speeds.keys.back().speed;
        break;
    }
    case TimingForm::phrases: {
        const Phrase& last = timing.phrases.list.back();
        out.last = last_shown(last).value;
        out.head = parts.front().c[1];
        out.tail = end_direction(last) * last.speed;
        if (!last.holds()) out.run_from = length - 1 / last.speed; // where its last frame begins
        break;
    }
    }
    return out;
}

} // namespace

TimingPlan::TimingPlan(const Timing& timing) {
    first_ = span_first(timing).value;
    const double length = form_length(timing);
    std::vector<Stretch> parts = stretches(timing);
    Ends ends = ends_of(timing, parts, length);
    if (timing.form == TimingForm::phrases) fades_ = garland::fades(timing.phrases, timing.turn_twice);
    const bool rests = timing.after.mode == OutsideMode::hold || timing.after.mode == OutsideMode::absent;

    const double span = span_length(timing);
    has_slider_ = timing.slider.has_value();
    // A map's span reaches to its last key; a phrase list's last frame is over one frame before its end, for turns.
    const double turn_at = timing.form == TimingForm::phrases && !has_slider_ ? std::max(span - 1, 0.0) : span;
    // At the last key the way on counts: still where a hold follows, on its way where the motion goes on.
    // A span of a single pose stands still however it repeats; only going on moves it.
    const bool single = length <= 0 && timing.after.mode != OutsideMode::run_on;
    table_ = SegmentTable(parts, length, end_of(length, ends.last, (rests || single) && !has_slider_ ? 0 : ends.tail));
    if (has_slider_) {
        auto shares = stretches(*timing.slider);
        double share_head = 0, share_tail = 0;
        if (!shares.empty()) share_head = shares.front().c[1], share_tail = shares.back().slope(shares.back().length);
        const double value = timing.slider->keys.back().source.value;
        auto slope_of = [&](double share, double share_slope) {
            const double u = std::clamp(share / 100 * length, 0.0, length);
            return table_.at(u, table_.find(u), share_slope).slope * share_slope * length / 100;
        };
        ends.head = slope_of(timing.slider->keys.front().source.value, share_head);
        ends.tail = slope_of(value, share_tail);
        ends.run_from = span;
        slider_ = SegmentTable(std::move(shares), span, end_of(span, value, rests ? 0 : share_tail));
    }
    auto side = [&](const Outside& outside, double slope) {
        Side s;
        s.mode = outside.mode;
        s.period = pass_length(timing, outside.mode);
        s.passes = outside.count > 0 ? outside.count : std::numeric_limits<double>::infinity();
        s.end_slope = slope;
        switch (outside.mode) {
        case OutsideMode::hold:
        case OutsideMode::absent: s.length = span; break;
        case OutsideMode::run_on: s.length = ends.run_from; break;
        case OutsideMode::repeat: s.length = std::min(span, s.period); break;
        case OutsideMode::there_and_back: s.length = turn_at; break;
        }
        return s;
    };
    before_ = side(timing.before, ends.head);
    after_ = side(timing.after, ends.tail);
    const bool folded = after_.mode == OutsideMode::repeat || after_.mode == OutsideMode::there_and_back;
    alike_ =
        folded && before_.mode == after_.mode && timing.before.count == 0 && timing.after.count == 0 && !has_slider_;
    // The last frame of phrases is over at the span's end.
    const bool gone = after_.mode == OutsideMode::absent && timing.form == TimingForm::phrases && !has_slider_;
    ends_in_next_pass_ = (folded && after_.length > 0 && after_.period == after_.length) || gone;
}

double TimingPlan::form_frame(const TimingSample& sample) const {
    const double u = sample.span_frame - first_;
    if (!has_slider_) return u;
    return std::clamp(slider_.at(u, slider_.find(u), 1).value / 100, 0.0, 1.0) * table_.length();
}

double TimingPlan::slider_at(const TimingSample& sample) const {
    return table_.length() > 0 ? 100 * form_frame(sample) / table_.length() : 0;
}

TimingPlan::Fading TimingPlan::fading(OutputFrame local) const {
    Fading out;
    const Folded f = fold(local);
    if (f.absent || f.sign == 0) return out;
    double u = f.u, rate = f.sign;
    if (has_slider_) {
        const auto share = slider_.at(u, slider_.find(u), f.sign);
        u = std::clamp(share.value / 100, 0.0, 1.0) * table_.length();
        rate *= share.slope * table_.length() / 100;
    }
    // The last phrase fades into the first wherever a pass is played before this one.
    const auto pass = static_cast<double>(f.pass);
    const bool repeats = !has_slider_ && (pass > 0 ? after_.mode == OutsideMode::repeat
                                                   : before_.mode == OutsideMode::repeat && 1 - pass <= before_.passes);
    // The last fade that has begun at u; fades are sorted by their start and each ends before the next one begins, but
    // for the one that wraps, which begins where the list does.
    auto after =
        std::upper_bound(fades_.begin(), fades_.end(), u, [](double x, const Fade& fade) { return x < fade.start; });
    for (int k = 0; k < 2 && after != fades_.begin(); ++k) {
        const Fade& at = *--after;
        if (u >= at.start + at.length || (at.wraps && !repeats)) continue;
        const double x = (u - at.start) / at.length;
        out.weight = 1 - ease(x);
        out.weight_slope = -ease_slope(x) / at.length * rate;
        out.source = at.from + at.slope * (u - at.start);
        out.slope = at.slope * rate;
        out.left = at.start + at.length - u;
        return out;
    }
    return out;
}

// The pieces of time that a timing is played in, one after another without end: its stretches, forward or mirrored,
// pass by pass, and what stays between passes.
struct TimingPlan::Pieces {
    const TimingPlan& plan;
    const SegmentTable& table;
    double rows[2]; // of the table, as the side before and the side after see it
    struct Place {
        double pass = 0, k = 0;
    };
    struct Piece {
        double start, end; // output frames from the span's start
        bool flat;
    };

    explicit Pieces(const TimingPlan& p) : plan(p), table(p.has_slider_ ? p.slider_ : p.table_) {
        for (int i = 0; i < 2; ++i) {
            const double length = i == 0 ? p.before_.length : p.after_.length;
            std::size_t n = table.size() - 1; // the last row is the end itself
            while (n > 0 && !(table.row(n - 1).start < length)) --n;
            rows[i] = static_cast<double>(n);
        }
    }
    static bool folds(const Side& s) { return s.mode == OutsideMode::repeat || s.mode == OutsideMode::there_and_back; }
    const Side& side(double pass) const { return pass < 0 ? plan.before_ : plan.after_; }
    double rows_in(double pass) const { return rows[pass < 0 ? 0 : 1]; }
    bool gap_in(double pass) const { return folds(side(pass)) && side(pass).period > side(pass).length; }
    double pieces_in(double pass) const { return rows_in(pass) + (gap_in(pass) ? 1 : 0); }
    double first_pass() const { return folds(plan.before_) ? -plan.before_.passes : 0; }
    double last_pass() const { return folds(plan.after_) ? plan.after_.passes : 0; }
    bool mirrored(double pass) const {
        return side(pass).mode == OutsideMode::there_and_back && std::fmod(std::abs(pass), 2) == 1;
    }

    Piece at(Place p) const {
        const Side& s = side(p.pass);
        const double from = p.pass == 0 ? 0 : p.pass * s.period;
        if (p.k >= rows_in(p.pass)) return {from + s.length, from + s.period, true};
        const bool back = mirrored(p.pass);
        const double k = back ? rows_in(p.pass) - 1 - p.k : p.k;
        const auto i = static_cast<std::uint32_t>(k);
        const double a = table.row(i).start, b = k + 1 < rows_in(p.pass) ? table.row(i + 1).start : s.length;
        const auto& c = table.row(i).c;
        return {from + (back ? s.length - b : a), from + (back ? s.length - a : b),
                c[1] == 0 && c[2] == 0 && c[3] == 0};
    }
    Place find(double x) const {
        double pass = 0;
        if (x < 0 && folds(plan.before_)) pass = std::floor(x / plan.before_.period);
        if (x >= plan.after_.length && folds(plan.after_)) pass = std::floor(x / plan.after_.period);
        const Side& s = side(pass);
        const double u = x - (pass == 0 ? 0 : pass * s.period);
        if (u >= s.length && gap_in(pass)) return {pass, rows_in(pass)};
        if (!mirrored(pass)) return {pass, std::min<double>(table.find(u), rows_in(pass) - 1)};
        const double own = s.length - u;
        double k = std::min<double>(table.find(own), rows_in(pass) - 1);
        if (k > 0 && table.row(static_cast<std::uint32_t>(k)).start == own) --k;
        return {pass, rows_in(pass) - 1 - k};
    }
    double value(double x) const { return plan.at(OutputFrame(plan.first_ + x)).source; }

    // The piece after or before one; nothing where no more is played.
    std::optional<Place> after(Place p) const {
        const double high = last_pass();
        const bool last = p.pass == high && p.pass > 0 && p.k + 1 >= rows_in(high);
        if (p.k + 1 < pieces_in(p.pass) && !last) return Place{p.pass, p.k + 1};
        if (p.pass < high) return Place{p.pass + 1, 0};
        return {};
    }
    std::optional<Place> before(Place p) const {
        if (p.k > 0) return Place{p.pass, p.k - 1};
        if (p.pass > first_pass()) return Place{p.pass - 1, pieces_in(p.pass - 1) - 1};
        return {};
    }
    // Where the first piece begins and the last one ends; infinite where passes are played endlessly.
    double begin() const { return first_pass() == 0 ? 0 : first_pass() * plan.before_.period; }
    double end() const {
        const Side& s = plan.after_;
        if (last_pass() == 0) return s.length + (gap_in(0) ? s.period - s.length : 0);
        return last_pass() * s.period + s.length;
    }
    // Whether what comes beyond them is a pose for ever.
    static bool rests(const Side& s) {
        return s.mode == OutsideMode::hold || folds(s) || (s.mode == OutsideMode::run_on && s.end_slope == 0);
    }
    // How far a pose that is shown at `from` stays, through the pieces from `next` on, later or earlier.
    double stays_until(double from, std::optional<Place> next, double shown, bool later) const {
        constexpr int enough = 4096; // pieces looked at; a pose that stays longer than that is not going to move
        auto same = [&](double at) { return std::abs(value(at) - shown) < 1e-9; };
        const double edge = later ? end() : begin(), beyond = later ? edge + 1 : edge - 1;
        const double for_ever = later ? ever : -ever;
        for (int n = 0; next; ++n) {
            const Piece piece = at(*next);
            if (!piece.flat || !same(from) || !same(0.5 * (piece.start + piece.end))) return from;
            if (n >= enough) return for_ever;
            from = later ? piece.end : piece.start;
            next = later ? after(*next) : before(*next);
        }
        return rests(later ? plan.after_ : plan.before_) && same(edge) && same(beyond) ? for_ever : from;
    }
    static constexpr double ever = std::numeric_limits<double>::infinity();
};

TimingPlan::Rest TimingPlan::rest_at(OutputFrame local) const {
    constexpr double ever = Pieces::ever;
    Rest out;
    const double x = local.value - first_;
    const Folded f = fold(local);
    if (f.absent || f.run_slope != 0 || !(x == x)) return out;
    const TimingSample here_now = finish(f);
    if (here_now.absent) return out;
    const Pieces pieces(*this);
    if (pieces.rows_in(0) == 0 && pieces.rows_in(-1) == 0) { // a single pose
        out.held = true;
        out.passed = Pieces::rests(before_) ? ever : std::max(x, 0.0);
        out.left = Pieces::rests(after_) ? ever : std::max(-x, 0.0);
        return out;
    }
    const double begin = pieces.begin(), end = pieces.end();
    std::optional<Pieces::Place> back, on; // the pieces to look at next, earlier and later
    double from = x, to = x;
    if (x >= end && std::isfinite(end)) {
        if (!Pieces::rests(after_)) return out;
        to = ever;
        from = end;
        back = {pieces.last_pass(), pieces.rows_in(pieces.last_pass()) - 1};
    } else if (x < begin && std::isfinite(begin)) {
        if (!Pieces::rests(before_)) return out;
        from = -ever;
        to = begin;
        on = {pieces.first_pass(), 0};
    } else {
        const auto here = pieces.find(x);
        const auto piece = pieces.at(here);
        if (!piece.flat) return out;
        from = piece.start;
        to = piece.end;
        back = pieces.before(here);
        on = pieces.after(here);
    }
    out.held = true;
    if (to < ever) to = pieces.stays_until(to, on, here_now.source, true);
    if (from > -ever) from = pieces.stays_until(from, back, here_now.source, false);
    out.passed = x - from;
    out.left = to - x;
    return out;
}

} // namespace garland
