#include "core/time/timing_plan.h"

#include "core/base/cubic.h"

#include <algorithm>
#include <limits>

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

TimingPlan::TimingPlan(const Timing& timing) {
    first_ = span_first(timing).value;
    const double length = form_length(timing);
    std::vector<Stretch> parts = stretches(timing);

    // The value at the end, and the slopes with which "run on" goes on.
    double head = 0, tail = 0, last_value = 0, run_from = length;
    switch (timing.form) {
    case TimingForm::positions:
        last_value = timing.map.keys.back().source.value;
        if (!parts.empty()) head = parts.front().c[1], tail = parts.back().slope(parts.back().length);
        if (const Key& k = timing.map.keys.back(); k.toward == Toward::free) {
            tail = k.leave;
            if (parts.empty()) head = k.leave;
        }
        break;
    case TimingForm::speeds: {
        last_value = timing.speeds.from.value;
        if (!parts.empty()) {
            const Stretch& s = parts.back();
            const auto& keys = timing.speeds.keys;
            const SpeedKey &a = keys[keys.size() - 2], &b = keys.back();
            last_value = s.c[0] + s.length * (a.toward == Toward::step ? a.speed : 0.5 * (a.speed + b.speed));
        }
        head = timing.speeds.keys.front().speed;
        tail = timing.speeds.keys.back().speed;
        break;
    }
    case TimingForm::phrases: {
        const Phrase& last = timing.phrases.list.back();
        last_value = last_shown(last).value;
        head = parts.front().c[1];
        tail = end_direction(last) * last.speed;
        if (!last.holds()) run_from = length - 1 / last.speed; // where its last frame begins
        fades_ = garland::fades(timing.phrases, timing.turn_twice);
        break;
    }
    }
    const bool rests = timing.after.mode == OutsideMode::hold || timing.after.mode == OutsideMode::absent;

    const double span = span_length(timing);
    has_slider_ = timing.slider.has_value();
    // A map's span reaches to its last key; a phrase list's last frame is over one frame before its end, for turns.
    const double turn_at = timing.form == TimingForm::phrases && !has_slider_ ? std::max(span - 1, 0.0) : span;
    // At the last key the way on counts: still where a hold follows, on its way where the motion goes on.
    // A span of a single pose stands still however it repeats; only going on moves it.
    const bool single = length <= 0 && timing.after.mode != OutsideMode::run_on;
    table_ = SegmentTable(parts, length, end_of(length, last_value, (rests || single) && !has_slider_ ? 0 : tail));
    if (has_slider_) {
        auto shares = stretches(*timing.slider);
        double share_head = 0, share_tail = 0;
        if (!shares.empty()) share_head = shares.front().c[1], share_tail = shares.back().slope(shares.back().length);
        const double value = timing.slider->keys.back().source.value;
        auto slope_of = [&](double share, double share_slope) {
            const double u = std::clamp(share / 100 * length, 0.0, length);
            return table_.at(u, table_.find(u), share_slope).slope * share_slope * length / 100;
        };
        head = slope_of(timing.slider->keys.front().source.value, share_head);
        tail = slope_of(value, share_tail);
        run_from = span;
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
        case OutsideMode::run_on: s.length = run_from; break;
        case OutsideMode::repeat: s.length = std::min(span, s.period); break;
        case OutsideMode::there_and_back: s.length = turn_at; break;
        }
        return s;
    };
    before_ = side(timing.before, head);
    after_ = side(timing.after, tail);
    const bool folds = after_.mode == OutsideMode::repeat || after_.mode == OutsideMode::there_and_back;
    alike_ =
        folds && before_.mode == after_.mode && timing.before.count == 0 && timing.after.count == 0 && !has_slider_;
    // The last frame of phrases is over at the span's end.
    const bool gone = after_.mode == OutsideMode::absent && timing.form == TimingForm::phrases && !has_slider_;
    ends_in_next_pass_ = (folds && after_.length > 0 && after_.period == after_.length) || gone;
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
};

TimingPlan::Rest TimingPlan::rest_at(OutputFrame local) const {
    constexpr double ever = std::numeric_limits<double>::infinity();
    constexpr int enough = 4096; // pieces looked at; a pose that stays longer than that is not going to move
    Rest out;
    const double x = local.value - first_;
    const Folded f = fold(local);
    if (f.absent || f.run_slope != 0 || !(x == x)) return out;
    const TimingSample here_now = finish(f);
    if (here_now.absent) return out;
    const Pieces pieces(*this);
    const double shown = here_now.source;
    auto stays = [&](double at) { return std::abs(pieces.value(at) - shown) < 1e-9; };
    // What comes before the first piece and after the last one: a pose for ever, or something else.
    auto rests = [](const Side& s) {
        return s.mode == OutsideMode::hold || Pieces::folds(s) || (s.mode == OutsideMode::run_on && s.end_slope == 0);
    };
    const double low = pieces.first_pass(), high = pieces.last_pass();
    const double begin = low == 0 ? 0 : low * before_.period;
    const double end = high == 0 ? after_.length + (pieces.gap_in(0) ? after_.period - after_.length : 0)
                                 : high * after_.period + after_.length;
    const bool endless = pieces.rows_in(0) == 0 && pieces.rows_in(-1) == 0; // a single pose
    if (endless) {
        out.held = true;
        out.passed = rests(before_) ? ever : std::max(x, 0.0);
        out.left = rests(after_) ? ever : std::max(-x, 0.0);
        return out;
    }
    Pieces::Place back, on; // the pieces to look at next, earlier and later
    bool back_done = false, on_done = false;
    auto step_on = [&] {
        if (on.k + 1 < pieces.pieces_in(on.pass) &&
            !(on.pass == high && on.pass > 0 && on.k + 1 >= pieces.rows_in(high))) {
            ++on.k;
        } else if (on.pass < high) {
            on = {on.pass + 1, 0};
        } else {
            on_done = true;
        }
    };
    auto step_back = [&] {
        if (back.k > 0) {
            --back.k;
        } else if (back.pass > low) {
            back = {back.pass - 1, pieces.pieces_in(back.pass - 1) - 1};
        } else {
            back_done = true;
        }
    };
    double from = x, to = x;
    if (x >= end && std::isfinite(end)) {
        if (!rests(after_)) return out;
        to = ever;
        from = end;
        back = {high, pieces.rows_in(high) - 1};
        on_done = true;
    } else if (x < begin && std::isfinite(begin)) {
        if (!rests(before_)) return out;
        from = -ever;
        to = begin;
        on = {low, 0};
        back_done = true;
    } else {
        const auto here = pieces.find(x);
        const auto piece = pieces.at(here);
        if (!piece.flat) return out;
        from = piece.start;
        to = piece.end;
        back = on = here;
        step_back();
        step_on();
    }
    out.held = true;
    for (int n = 0; to < ever; ++n) {
        if (on_done) {
            if (rests(after_) && stays(end) && stays(end + 1)) to = ever;
            break;
        }
        const auto piece = pieces.at(on);
        if (!piece.flat || !stays(to) || !stays(0.5 * (piece.start + piece.end))) break;
        to = n < enough ? piece.end : ever;
        step_on();
    }
    for (int n = 0; from > -ever; ++n) {
        if (back_done) {
            if (rests(before_) && stays(begin) && stays(begin - 1)) from = -ever;
            break;
        }
        const auto piece = pieces.at(back);
        if (!piece.flat || !stays(from) || !stays(0.5 * (piece.start + piece.end))) break;
        from = n < enough ? piece.start : -ever;
        step_back();
    }
    out.passed = x - from;
    out.left = to - x;
    return out;
}

} // namespace garland
