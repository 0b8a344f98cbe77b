#include "core/time/operations.h"

#include "core/base/measure.h"
#include "core/base/numbers.h"
#include "core/time/conversions.h"
#include "core/time/map_edits.h"
#include "core/time/timing_plan.h"
#include "core/time/unroll.h"
#include "core/time/warp.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

std::string text(double value) {
    return short_number(value);
}
std::string text(OutputFrame f) {
    return short_number(f.value);
}
std::string text(const OutputSpan& s) {
    return fmt::format("{} to {}", text(s.first), text(s.last));
}

Result<void> check(const Operation& o) {
    using enum OperationKind;
    auto frames = [](const char* name, double v) { return Measure{name, v, -frame_limit, frame_limit, "f"}; };
    GARLAND_CHECK(
        within({frames("the output frame of the operation", o.at.value),
                frames("its first source frame", o.source_first.value),
                frames("its last source frame", o.source_last.value), frames("its number of frames", o.frames)}));
    if (o.range) {
        GARLAND_CHECK(within({frames("the first frame of the range", o.range->first.value),
                              frames("the last frame of the range", o.range->last.value)}));
    }
    const bool one_will_do = o.kind == hide && o.range && o.range->first == o.range->last;
    if (o.range && !one_will_do && !(o.range->first < o.range->last)) {
        return fail(Error{ErrorCode::invalid, fmt::format("the range from {} to {} ends before it starts",
                                                          text(o.range->first), text(o.range->last))}
                        .advise("give its first frame first; it must hold at least two"));
    }
    if (o.kind == hold && !(o.frames > 0)) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("a hold lasts more than 0 frames, not {}", text(o.frames))}.advise(
                "use 1 frame or more"));
    }
    if (o.kind == slow && o.frames < 0)
        return fail(Error{ErrorCode::invalid, "a ramp lasts 0 frames or more"}.advise("use 0 for a change at once"));
    const bool still_allowed = o.kind == ramp || o.kind == slow;
    if (o.kind == speed || still_allowed) {
        if (!std::isfinite(o.speed) || o.speed < 0 || o.speed > 1000 || (o.speed == 0 && !still_allowed)) {
            return fail(Error{ErrorCode::invalid, fmt::format("a speed of {} is out of range", text(o.speed))}.advise(
                "use a speed above 0 and up to 1000; to run backward, reverse; to stand still, hold"));
        }
    }
    return {};
}

struct OnMap { // an operation on position keys
    TimeMap map;
    std::string words;
    bool holds_after = false, holds_before = false; // what comes after (before) the span must hold
};

// The range brought inside the map, or all of it.
Result<OutputSpan> span_of(const Operation& o, const TimeMap& map) {
    if (!o.range) {
        if (!(map.first() < map.last()))
            return fail(
                Error{ErrorCode::invalid, "the timing holds a single pose, so there is nothing to retime"}.advise(
                    "set a second key first"));
        return OutputSpan{map.first(), map.last()};
    }
    const OutputSpan s{std::max(o.range->first, map.first()), std::min(o.range->last, map.last())};
    if (!(s.first < s.last)) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("output frames {} lie outside the timing, which spans {} to {}",
                                                  text(*o.range), text(map.first()), text(map.last()))}
                .advise("choose a range that overlaps it"));
    }
    return s;
}

std::string of_what(const Operation& o, const OutputSpan& s) {
    return o.range ? "output frames " + text(s) : "the timing";
}

Result<OnMap> hold_on(const TimeMap& map, const Operation& o) {
    const OutputFrame t = std::clamp(o.at, map.first(), map.last());
    Timing timing;
    timing.map = map;
    const std::string words =
        fmt::format("Hold source frame {} for {} at output frame {}", text(TimingPlan(timing).at(t).source),
                    counted_number(o.frames, "frame", "frames"), text(t));
    if (!o.absorb) {
        GARLAND_TRY(held, hold_at(map, t, o.frames));
        return OnMap{std::move(held), words};
    }
    const double before = t - map.first(), rest = map.last() - t;
    if (!(o.frames < rest)) {
        return fail(Error{ErrorCode::invalid, fmt::format("a hold of {} frames does not fit: only {} follow, and the "
                                                          "end is to stay",
                                                          text(o.frames), text(rest))}
                        .advise("hold for less, or push the rest later"));
    }
    const double pace = rest / (rest - o.frames);
    GARLAND_TRY(held, warped(map, {{before, 1, 1}, {o.frames, 0, 0}, {rest - o.frames, pace, pace}}));
    held.keys.back().at = map.last(); // to rounding
    GARLAND_CHECK(validate(held));
    return OnMap{std::move(held),
                 fmt::format("{}; the rest {}× as fast, the end stays at {}", words, text(pace), text(map.last()))};
}

Result<OnMap> scaled(const TimeMap& map, const Operation& o) {
    GARLAND_TRY(s, span_of(o, map));
    const std::string words = fmt::format("Play {} at {}× its speed", of_what(o, s), text(o.speed));
    if (s.first == map.first() && s.last == map.last()) { // as a whole, smooth stretches stay smooth
        TimeMap result = map;
        for (Key& k : result.keys) {
            k.at = map.first() + (k.at - map.first()) / o.speed;
            k.leave *= o.speed;
            k.arrive *= o.speed;
        }
        GARLAND_CHECK(validate(result));
        return OnMap{std::move(result), words};
    }
    GARLAND_TRY(result, warped(map, {{s.first - map.first(), 1, 1},
                                     {(s.last - s.first) / o.speed, o.speed, o.speed},
                                     {map.last() - s.last, 1, 1}}));
    return OnMap{std::move(result), words};
}

Result<OnMap> slowed(const TimeMap& map, const Operation& o) {
    if (!o.range) return fail(Error{ErrorCode::invalid, "slow between needs two output frames"}.advise("give a range"));
    const OutputSpan r = *o.range;
    const double before = r.first - map.first() - o.frames;
    if (before < 0) {
        return fail(Error{ErrorCode::invalid,
                          fmt::format("the ramp would start at output frame {}, before the timing does ({})",
                                      text(r.first - o.frames), text(map.first()))}
                        .advise("start later or make the ramps shorter"));
    }
    if (before >= map.last() - map.first()) {
        return fail(
            Error{ErrorCode::invalid,
                  fmt::format("the timing is over (at output frame {}) before the ramp starts", text(map.last()))}
                .advise("start the ramp earlier"));
    }
    std::vector<WarpPart> parts{
        {before, 1, 1}, {o.frames, 1, o.speed}, {r.last - r.first, o.speed, o.speed}, {o.frames, o.speed, 1}};
    double used = 0;
    for (const WarpPart& p : parts) used += p.moved();
    parts.push_back({std::max(map.last() - map.first() - used, 0.0), 1, 1});
    GARLAND_TRY(result, warped(map, parts));
    return OnMap{std::move(result), fmt::format("Slow to {}× between output frames {}, ramps of {}", text(o.speed),
                                                text(r), counted_number(o.frames, "frame", "frames"))};
}

Result<OnMap> ramped(const TimeMap& map, const Operation& o) {
    if (!o.range) return fail(Error{ErrorCode::invalid, "a ramp needs two output frames"}.advise("give a range"));
    const OutputSpan r = *o.range;
    if (r.first < map.first() || r.first >= map.last()) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("the ramp starts at output frame {}, outside the timing ({} to {})",
                                                  text(r.first), text(map.first()), text(map.last()))}
                .advise("start the ramp inside it"));
    }
    const double before = r.first - map.first(), ramp = r.last - r.first;
    if (!std::isfinite(o.from_speed) || o.from_speed < 0 || o.from_speed > 1000) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("a ramp from a speed of {} is out of range", text(o.from_speed))}
                .advise("use 0 to 1000"));
    }
    std::vector<WarpPart> parts{{before, 1, 1}, {ramp, o.from_speed, o.speed}};
    const double left = map.last() - map.first() - before - ramp * 0.5 * (o.from_speed + o.speed);
    if (o.speed > 0 && left > 0) parts.push_back({left / o.speed, o.speed, o.speed});
    GARLAND_TRY(result, warped(map, parts));
    OnMap out{std::move(result), o.from_speed == 1 ? fmt::format("Ramp from full speed to {}× between output frames {}",
                                                                 text(o.speed), text(r))
                                                   : fmt::format("Ramp from {}× to {}× between output frames {}",
                                                                 text(o.from_speed), text(o.speed), text(r))};
    out.holds_after = o.speed == 0;
    return out;
}

// The pace at which a map runs at its end; where it stands there, the pace at which it ran last; 1 where it never ran.
double last_pace(const TimeMap& map) {
    const std::vector<Stretch> parts = stretches(map);
    for (auto s = parts.rbegin(); s != parts.rend(); ++s) {
        const double pace = s->slope(s->length);
        if (std::abs(pace) > 1e-6) return pace;
    }
    return 1;
}

Result<OnMap> lengthened(const TimeMap& map, const Operation& o) {
    const double pace = last_pace(map), from = map.keys.back().source.value;
    const SourceFrame to = pace > 0 ? o.source_last : o.source_first;
    const double more = (to.value - from) / pace;
    if (!(more > 1e-9)) {
        return fail(Error{ErrorCode::invalid,
                          fmt::format("the timing ends at source frame {}, so source frame {} is shown already",
                                      text(from), text(to.value))}
                        .advise("nothing is missing at its end"));
    }
    OnMap out{map,
              fmt::format("Lengthen to source frame {}: {} more at {}×", text(to.value),
                          counted_number(std::round(more * 1e6) / 1e6, "output frame", "output frames"), text(pace))};
    out.map.keys.back().toward = Toward::linear;
    out.map.keys.push_back({map.last() + more, to, Toward::linear});
    GARLAND_CHECK(validate(out.map));
    return out;
}

Result<OnMap> hidden(const TimeMap& map, const Operation& o) {
    if (!o.range) return fail(Error{ErrorCode::invalid, "hiding needs two output frames"}.advise("give a range"));
    GARLAND_TRY(result, hide_between(map, o.range->first, o.range->last));
    return OnMap{std::move(result), "Hide output frames " + text(*o.range)};
}

Result<OnMap> on_map(const TimeMap& map, const Operation& o) {
    using enum OperationKind;
    switch (o.kind) {
    case hold: return hold_on(map, o);
    case freeze: {
        const OutputFrame t = std::clamp(o.at, map.first(), map.last());
        GARLAND_TRY(cut, cut_at(map, t));
        std::erase_if(cut.keys, [&](const Key& k) { return k.at > t; });
        OnMap out{std::move(cut), {}};
        out.words = fmt::format("Freeze source frame {} from output frame {} on",
                                text(out.map.keys.back().source.value), text(t));
        out.holds_after = true;
        return out;
    }
    case reverse: {
        GARLAND_TRY(s, span_of(o, map));
        GARLAND_TRY(result, garland::reverse(map, s.first, s.last));
        return OnMap{std::move(result), "Reverse " + of_what(o, s)};
    }
    case fit: {
        const OutputSpan s = o.range.value_or(OutputSpan{map.first(), map.last()});
        GARLAND_TRY(result, garland::fit(o.source_first, o.source_last, s.first, s.last));
        const double pace = (o.source_last - o.source_first) / (s.last - s.first);
        return OnMap{std::move(result),
                     fmt::format("Fit source frames {} to {} onto output frames {}, at {}×", text(o.source_first.value),
                                 text(o.source_last.value), text(s), text(pace))};
    }
    case speed: return scaled(map, o);
    case slow: return slowed(map, o);
    case ramp: return ramped(map, o);
    case start: {
        GARLAND_TRY(result, start_at(map, o.at));
        OnMap out{std::move(result), fmt::format("Hold the first pose until output frame {}, then play", text(o.at))};
        out.holds_before = true;
        return out;
    }
    case trim: {
        GARLAND_TRY(s, span_of(o, map));
        GARLAND_TRY(front, cut_at(map, s.first));
        GARLAND_TRY(cut, cut_at(front, s.last));
        std::erase_if(cut.keys, [&](const Key& k) { return k.at < s.first || k.at > s.last; });
        return OnMap{std::move(cut), "Keep only output frames " + text(s)};
    }
    case lengthen: return lengthened(map, o);
    case OperationKind::hide: return hidden(map, o);
    }
    return fail(Error{ErrorCode::invalid, "this operation is not known"}.advise("choose one of the list"));
}

// What phrases can do and stay phrases; nothing where they cannot.
std::optional<Operated> on_phrases(const Timing& timing, const Operation& o) {
    if (o.range) return std::nullopt;
    Operated out{timing, {}, {}};
    PhraseList& phrases = out.timing.phrases;
    switch (o.kind) {
    case OperationKind::reverse:
        std::reverse(phrases.list.begin(), phrases.list.end());
        for (std::size_t i = 0; i < phrases.list.size(); ++i) {
            Phrase& p = phrases.list[i];
            if (p.direction == Direction::there_and_back && end_direction(p) > 0 && !p.holds()) return std::nullopt;
            if (p.direction != Direction::there_and_back) {
                p.direction = p.direction == Direction::forward ? Direction::backward : Direction::forward;
            }
        }
        // A fade belongs to the boundary after it.
        for (std::size_t i = 0; i + 1 < phrases.list.size(); ++i) phrases.list[i].fade = phrases.list[i + 1].fade;
        phrases.list.back().fade = timing.phrases.list.back().fade;
        out.words = "Reverse the phrases";
        for (const Phrase& p : phrases.list) {
            const double off = p.holds() ? 0 : std::abs(1 - p.speed);
            if (off > 1e-9)
                out.note = fmt::format("phrases at other speeds than 1 keep their boundaries; their frames are up to "
                                       "{} of a source frame beside the exact mirror",
                                       text(std::max(off, 0.0)));
        }
        return out;
    case OperationKind::speed:
        for (Phrase& p : phrases.list) p.speed *= o.speed, p.fade /= o.speed;
        out.words = fmt::format("Play the phrases at {}× their speed", text(o.speed));
        return out;
    case OperationKind::start:
        phrases.start = o.at;
        out.timing.before = {OutsideMode::hold, 0};
        out.words = fmt::format("Hold the first pose until output frame {}, then play", text(o.at));
        return out;
    case OperationKind::lengthen: {
        Phrase& last = phrases.list.back();
        if (last.direction != Direction::forward || last.passes != 1 || !(o.source_last > last.last))
            return std::nullopt;
        const double more = (o.source_last - last.last) / last.speed;
        out.words = fmt::format("Lengthen the last phrase to source frame {}: {} more", text(o.source_last.value),
                                counted_number(std::round(more * 1e6) / 1e6, "output frame", "output frames"));
        last.last = o.source_last;
        return out;
    }
    default: return std::nullopt;
    }
}

// The output frames that an operation reads or changes, where it is about certain ones.
std::optional<OutputSpan> touched(const Operation& o) {
    switch (o.kind) {
    case OperationKind::hold:
    case OperationKind::freeze: return OutputSpan{o.at, o.at};
    case OperationKind::slow:
        return o.range ? std::optional(OutputSpan{o.range->first - o.frames, o.range->last + o.frames}) : std::nullopt;
    case OperationKind::reverse:
    case OperationKind::speed:
    case OperationKind::ramp:
    case OperationKind::trim:
    case OperationKind::hide: return o.range;
    case OperationKind::fit:
    case OperationKind::start:
    case OperationKind::lengthen: return std::nullopt;
    }
    return std::nullopt;
}

// The timing, in position keys, with the passes written out that the operation is about; what that did, in words.
Result<std::string> write_out(Timing& keys, const Operation& o) {
    const auto at = touched(o);
    if (!at) return std::string();
    const OutputFrame first = keys.map.first(), last = keys.map.last();
    const bool behind = at->last > last && folds(keys.after), in_front = at->first < first && folds(keys.before);
    if (!behind && !in_front) return std::string();
    const OutputFrame to = behind ? std::max(at->last, o.through.value_or(at->last)) : last;
    GARLAND_TRY(all, unrolled(keys, in_front ? at->first : first, to));
    keys = std::move(all.timing);
    std::string words =
        fmt::format("{} written out as keys, output frames {} to {}",
                    counted(all.before + all.after, "pass of the repeat was", "passes of the repeat were"),
                    text(keys.map.first()), text(keys.map.last()));
    return words + (keys.after.mode == OutsideMode::repeat ? "; after that, all of it repeats" : "");
}

Result<Operated> on_slider(const Timing& timing, const Operation& o) {
    if (o.kind == OperationKind::fit || o.kind == OperationKind::lengthen) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("{} would replace what the slider plays", to_text(o.kind))}.advise(
                "remove the slider first"));
    }
    Timing slider; // as a timing of its own: per cent over output frames
    slider.map = *timing.slider;
    slider.before = timing.before;
    slider.after = timing.after;
    slider.last_is_first = timing.last_is_first;
    slider.turn_twice = timing.turn_twice;
    GARLAND_TRY(passes, write_out(slider, o));
    GARLAND_TRY(done, on_map(slider.map, o));
    Operated out{timing, done.words, "on the slider"};
    out.timing.before = slider.before;
    out.timing.after = slider.after;
    out.timing.last_is_first = slider.last_is_first;
    if (!passes.empty()) out.note += "; " + passes;
    if (o.kind == OperationKind::hold || o.kind == OperationKind::freeze) { // the words' number is per cent
        const auto at = out.words.find("source frame ");
        if (at != out.words.npos) out.words.replace(at, 13, "the slider at (%) ");
    }
    out.timing.slider = std::move(done.map);
    if (done.holds_after) out.timing.after = {OutsideMode::hold, 0};
    if (done.holds_before) out.timing.before = {OutsideMode::hold, 0};
    GARLAND_CHECK(validate(out.timing));
    return out;
}

} // namespace

Result<Operated> operate(const Timing& timing, const Operation& o) {
    GARLAND_CHECK(check(o));
    if (timing.slider) return on_slider(timing, o);
    if (timing.form == TimingForm::phrases) {
        if (auto done = on_phrases(timing, o)) {
            GARLAND_CHECK(validate(done->timing));
            return std::move(*done);
        }
    }
    GARLAND_TRY(keys, to_positions(timing));
    GARLAND_TRY(passes, write_out(keys.timing, o));
    GARLAND_TRY(done, on_map(keys.timing.map, o));
    Operated out{std::move(keys.timing), std::move(done.words), {}};
    out.timing.map = std::move(done.map);
    if (done.holds_after) out.timing.after = {OutsideMode::hold, 0};
    if (done.holds_before) out.timing.before = {OutsideMode::hold, 0};
    if (timing.form == TimingForm::phrases) {
        out.note = "the phrases became keys";
        if (keys.lost_fades) out.note += ", without their cross-fades";
    }
    if (timing.form == TimingForm::speeds) {
        auto back = to_speeds(out.timing);
        if (back && back->error < 1e-6 && back->jumps == 0) {
            out.timing = std::move(back->timing);
        } else {
            out.note = "the speed keys became position keys, since this cannot be said exactly in speeds";
        }
    }
    if (!passes.empty()) out.note += (out.note.empty() ? "" : "; ") + passes;
    GARLAND_CHECK(validate(out.timing));
    return out;
}

const char* to_text(OperationKind kind) {
    switch (kind) {
    case OperationKind::hold: return "hold";
    case OperationKind::freeze: return "freeze";
    case OperationKind::reverse: return "reverse";
    case OperationKind::fit: return "fit";
    case OperationKind::speed: return "speed";
    case OperationKind::slow: return "slow";
    case OperationKind::ramp: return "ramp";
    case OperationKind::start: return "start";
    case OperationKind::trim: return "trim";
    case OperationKind::lengthen: return "lengthen";
    case OperationKind::hide: return "hide";
    }
    return "hold";
}

} // namespace garland
