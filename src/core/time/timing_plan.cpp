#include "core/time/timing_plan.h"

#include <limits>

namespace garland {

namespace {

double slope_at_end(const Stretch& s) {
    return s.c[1] + s.length * (2 * s.c[2] + 3 * s.length * s.c[3]);
}

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
        if (!parts.empty()) head = parts.front().c[1], tail = slope_at_end(parts.back());
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
    has_master_ = timing.master.has_value();
    // A map's span reaches to its last key; a phrase list's last frame is over one frame before its end, for turns.
    const double turn_at = timing.form == TimingForm::phrases && !has_master_ ? std::max(span - 1, 0.0) : span;
    // At the last key the way on counts: still where a hold follows, on its way where the motion goes on.
    table_ = StretchTable(parts, length, end_of(length, last_value, rests && !has_master_ ? 0 : tail));
    if (has_master_) {
        auto shares = stretches(*timing.master);
        double share_head = 0, share_tail = 0;
        if (!shares.empty()) share_head = shares.front().c[1], share_tail = slope_at_end(shares.back());
        const double value = timing.master->keys.back().source.value;
        auto slope_of = [&](double share, double share_slope) {
            const double u = std::clamp(share / 100 * length, 0.0, length);
            return table_.at(u, table_.find(u), share_slope).slope * share_slope * length / 100;
        };
        head = slope_of(timing.master->keys.front().source.value, share_head);
        tail = slope_of(value, share_tail);
        run_from = span;
        master_ = StretchTable(std::move(shares), span, end_of(span, value, rests ? 0 : share_tail));
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
    alike_ = folds && before_.mode == after_.mode && timing.before.count == 0 && timing.after.count == 0 &&
             !has_master_;
    ends_in_next_pass_ = folds && after_.length > 0 && after_.period == after_.length;
}

TimingPlan::Fading TimingPlan::fading(OutputFrame local) const {
    Fading out;
    const Folded f = fold(local);
    if (f.absent || f.sign == 0) return out;
    double u = f.u, rate = f.sign;
    if (has_master_) {
        const auto share = master_.at(u, master_.find(u), f.sign);
        u = std::clamp(share.value / 100, 0.0, 1.0) * table_.length();
        rate *= share.slope * table_.length() / 100;
    }
    const bool repeats = !has_master_ && f.pass != 0 &&
                         (f.part == Part::before ? before_ : after_).mode == OutsideMode::repeat;
    // The last fade that has begun at u; fades are sorted by their start and end before the next phrase does.
    for (auto at = fades_.rbegin(); at != fades_.rend(); ++at) {
        if (at->start > u || u >= at->start + at->length || (at->wraps && !repeats)) continue;
        const double x = (u - at->start) / at->length;
        out.weight = 1 - x * x * (3 - 2 * x);
        out.weight_slope = -6 * x * (1 - x) / at->length * rate;
        out.source = at->from + at->slope * (u - at->start);
        out.slope = at->slope * rate;
        out.left = at->start + at->length - u;
        return out;
    }
    return out;
}

TimingPlan::Rest TimingPlan::rest_at(OutputFrame local) const {
    constexpr double ever = std::numeric_limits<double>::infinity();
    Rest out;
    const Folded f = fold(local);
    if (f.absent || f.run_slope != 0) return out;
    const StretchTable& table = has_master_ ? master_ : table_;
    auto flat = [&](std::uint32_t i) {
        const auto& c = table.row(i).c;
        return c[1] == 0 && c[2] == 0 && c[3] == 0;
    };
    const auto count = static_cast<std::uint32_t>(table.size());
    std::uint32_t i = table.find(f.u);
    const std::uint32_t found = i;
    if (i + 1 == count && i > 0 && !(f.sign > 0 && after_.mode == OutsideMode::run_on)) --i; // the very end
    auto same = [&](std::uint32_t a, std::uint32_t b) { return flat(a) && table.row(a).c[0] == table.row(b).c[0]; };
    const double x = local.value - first_;
    const bool holds_before = before_.mode == OutsideMode::hold && x <= 0;
    const bool ends_here = f.sign == 0 || found + 1 == count;
    if (!flat(i)) {
        // Outside the span a moving stretch's end pose may be held.
        if (!ends_here && !holds_before) return out;
        if (f.sign == 0 || (found + 1 == count && after_.mode == OutsideMode::hold)) {
            out.held = true;
            out.passed = x > 0 ? x - f.u : ever;
            out.left = x > 0 ? ever : -x;
            if (x > 0 && f.pass != 0) out.passed = 0;
        }
        return out;
    }
    out.held = true;
    std::uint32_t from = i, to = i;
    while (from > 0 && same(from - 1, i)) --from;
    while (to + 2 < count && same(to + 1, i)) ++to;
    const double start = table.row(from).start;
    const double end = to + 2 < count ? table.row(to + 1).start : after_.length;
    double passed = f.u - start, left = end - f.u;
    if (f.sign < 0) std::swap(passed, left);
    if (f.sign == 0 && x > f.u) passed += x - f.u; // held on beyond the end
    if (f.sign == 0 && x < 0) left += -x;
    const bool at_start = from == 0, at_end = to + 2 >= count;
    if (f.pass == 0 && at_start && before_.mode == OutsideMode::hold) passed = ever;
    if (f.pass == 0 && at_end && after_.mode == OutsideMode::hold) left = ever;
    if (f.sign == 0 && f.pass != 0) (x > 0 ? left : passed) = ever;
    out.passed = passed;
    out.left = left;
    return out;
}

} // namespace garland
