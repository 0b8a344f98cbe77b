// The trace: every stage of docs/time.md in words and numbers, from the same functions that pose the copies.
#include "core/base/numbers.h"
#include "core/project/played.h"
#include "core/project/show.h"
#include "core/time/time_words.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

std::string part_words(const CopyTrace& v) {
    const auto n = std::abs(v.timing.pass);
    switch (v.timing.part) {
    case Part::span: return "inside the timing's span";
    case Part::before:
        return n == 0 ? "before the timing starts" : fmt::format("{} before the span", counted(n, "pass", "passes"));
    case Part::after: return n == 0 ? "after the timing ends" : fmt::format("pass {} after the span", n);
    }
    return {};
}

std::string words_of_motion(const ArrangementShow& a, const CopyTrace& v) {
    if (v.moment.has(mark_absent)) return "nothing shown";
    if (v.moment.has(mark_clamped_first)) return "held at the source's first frame";
    if (v.moment.has(mark_clamped_last)) return "held at the source's last frame";
    return motion_words(a.plan, OutputFrame(v.local), v.rate);
}

// "position keys, at 12 of the span", "phrase 2 of 4, 6 frames in", "the slider at 40 %, …".
std::string words_of_timing(const ArrangementShow& a, const CopyTrace& v) {
    const double inside = a.plan.form_frame(v.timing);
    std::string words;
    if (a.plan.has_slider()) words = fmt::format("the slider at {} %, ", short_number(a.plan.slider_at(v.timing), 2));
    if (a.timing.form == TimingForm::phrases) {
        const OutputFrame at = a.timing.phrase_starts.front() + inside;
        const std::size_t last = a.timing.phrase_starts.size() - 2;
        std::size_t i = 0;
        while (i < last && a.timing.phrase_starts[i + 1] <= at) ++i;
        return words +
               fmt::format("phrase {} of {}, {} in", i + 1, last + 1,
                           counted_number(std::round((at - a.timing.phrase_starts[i]) * 1e6) / 1e6, "frame", "frames"));
    }
    words += a.timing.form == TimingForm::speeds ? "speed keys" : "position keys";
    if (a.plan.has_slider())
        return words + fmt::format(", {} from their start", counted_number(inside, "frame", "frames"));
    return words + fmt::format(", at {} of the span", short_number(v.timing.span_frame, 6));
}

// How much of what changes in time counts at this frame.
TraceStage amount_stage(const ArrangementShow& a, OutputFrame t) {
    TraceStage stage{"strength", "all strengths are whole", {{"strength", 1}}};
    if (a.clocks.changing() == 0) return stage;
    stage.words.clear();
    stage.numbers.clear();
    const CopyClocks::Now now = a.clocks.now(t.value);
    for (std::size_t k = 0; k < a.clocks.changing(); ++k) {
        stage.words += fmt::format("{}{} {} %", k ? ", " : "", a.clocks.share_name(k),
                                   short_number(now.amounts[k].value * 100, 2));
        stage.numbers.push_back({k ? fmt::format("strength_{}", k + 1) : "strength", now.amounts[k].value});
    }
    return stage;
}

// What plays the copy besides its own clock: the level, when it was entered and left, how long its clock has run.
TraceStage playing_stage(const ArrangementShow& a, std::size_t copy, OutputFrame t, const CopyTrace& v) {
    const CopyPlaying& playing = *a.clocks.playing();
    const std::size_t number = a.clocks.played(copy);
    const Played now = played_at(a, copy, t, v.delay, v.local, visits_of(a, copy));
    TraceStage stage{"played by", {}, {{"level", now.level}}};
    const LevelRule& rule = playing.levels().rule();
    stage.words = fmt::format("{} by {}: level {} %", to_text(playing.play().by), to_text(rule.kind),
                              short_number(now.level * 100, 2));
    if (const auto band = playing.levels().band_of(number)) {
        const Band& b = playing.levels().sound()->band(*band);
        stage.words +=
            fmt::format(" in band {} ({} to {} Hz)", *band + 1, short_number(b.low, 0), short_number(b.high, 0));
        stage.numbers.push_back({"band", static_cast<double>(*band) + 1});
    }
    if (playing.play().by == PlayBy::starts || rule.kind == LevelKind::zones) {
        if (now.never) stage.words += ", never entered";
        if (now.from_beginning) stage.words += ", inside from the beginning";
        if (now.entered) {
            stage.words +=
                fmt::format(", {}entered at {}", now.yet_to_come ? "first " : "", short_number(*now.entered, 2));
            stage.numbers.push_back({"entered", *now.entered});
        }
        if (now.left) {
            stage.words +=
                fmt::format(", {} at {}", *now.left <= t.value ? "left" : "leaves", short_number(*now.left, 2));
            stage.numbers.push_back({"left", *now.left});
        }
    }
    if (now.run_time) {
        stage.words += fmt::format(", its clock has run {}",
                                   counted_number(std::round(*now.run_time * 1e6) / 1e6, "frame", "frames"));
        stage.numbers.push_back({"run_time", *now.run_time});
    }
    return stage;
}

// Between which poses of the source the shown one is made, and what a fade and a closed loop mix in.
TraceStage pose_stage(const ArrangementShow& a, const CopyTrace& v, const PoseRecipe& r) {
    const Sampler& sampler = a.sampler;
    // What smooth goes by is said; a source of one pair of frames has nothing beside them, and is mixed linearly.
    const bool through = sampler.how() == SubFrame::smooth && !sampler.follows_velocities();
    const bool straight = through && r.before == r.frame_a && r.after == r.frame_b;
    const bool mixed = r.weight > 0 && !r.exact;
    TraceStage stage{"sub-frame",
                     {},
                     {{"file_frame", r.file_frame},
                      {"frame_a", static_cast<double>(r.frame_a)},
                      {"frame_b", static_cast<double>(r.frame_b)},
                      {"weight", r.weight}}};
    std::string& words = stage.words;
    if (r.exact)
        words = fmt::format("the source's own pose at {}", short_number(r.file_frame, 6));
    else if (r.weight == 0)
        words = fmt::format("the stored pose {}", r.frame_a);
    else
        words = fmt::format("made between {} and {}, {}", r.frame_a, r.frame_b,
                            to_text(straight ? SubFrame::linear : sampler.how()));
    if (r.may_be_nearest) words += "; where the faces change the nearest frame is shown";
    if (mixed && sampler.source()->makes_between(sampler.how())) words += ", turned along the shortest arc";
    if (mixed && through && !straight) words += fmt::format(" through {} to {}", r.before, r.after);
    if (const auto fading = a.plan.fading(OutputFrame(v.local)); fading.weight > 0) {
        words +=
            fmt::format("; source frame {} mixed in by {:.0f} %", short_number(fading.source, 2), fading.weight * 100);
        stage.numbers.push_back({"fade_source", fading.source});
        stage.numbers.push_back({"fade_weight", fading.weight});
    }
    if (r.missing && sampler.import_settings().gaps == GapFix::blend) {
        words += "; it bridges missing frames";
    } else if (r.missing) {
        words += "; a missing frame is replaced by an earlier one";
    }
    if (const auto layers = sampler.source()->layers_at(r.file_frame)) {
        stage.numbers.push_back({"layer_a", layers->a});
        stage.numbers.push_back({"layer_a_weight", layers->weight_a});
        if (layers->weight_b > 0) {
            words += fmt::format(", file frame {} by {:.0f} % and {} by {:.0f} %", short_number(layers->a, 2),
                                 layers->weight_a * 100, short_number(layers->b, 2), layers->weight_b * 100);
            stage.numbers.push_back({"layer_b", layers->b});
            stage.numbers.push_back({"layer_b_weight", layers->weight_b});
        } else {
            words += fmt::format(", file frame {}", short_number(layers->a, 2));
        }
    }
    return stage;
}

// How the copy's clock goes by itself.
TraceStage clock_stage(const ArrangementShow& a, std::size_t copy, const CopyTrace& v) {
    TraceStage stage{
        "delay and rate",
        fmt::format("{}, at {} of its speed", delay_words(std::round(v.delay * 1e6) / 1e6), short_number(v.rate, 6)),
        {{"delay", v.delay}, {"rate", v.rate}, {"local", v.local}}};
    if (a.clocks.shifted()) {
        const double shift = a.clocks.shift_of(copy);
        stage.words +=
            fmt::format(", its own time begins at output frame {}", short_number(a.plan.first().value + shift, 2));
        stage.numbers.push_back({"shift", shift});
    }
    return stage;
}

// Why a copy is not there.
std::string absent_words(const ArrangementShow& a, std::size_t copy, OutputFrame t, const CopyTrace& v) {
    switch (a.clocks.why_absent(a.plan, copy, a.clocks.now(t.value))) {
    case CopyClocks::Absence::not_started: return "not shown: it is hidden until its motion starts";
    case CopyClocks::Absence::hidden: return "not shown: this copy is hidden";
    case CopyClocks::Absence::not_carried: return "not shown: what carries it is not there at this frame";
    case CopyClocks::Absence::flicker: return "not shown: its visibility is off at this frame";
    case CopyClocks::Absence::not_reached: return "not shown: it is hidden until it is reached";
    case CopyClocks::Absence::pulse: return "not shown: its pulse hides it at this frame";
    case CopyClocks::Absence::none: break;
    }
    if (!v.timing.absent) return "not shown";
    const bool inside = v.timing.part == Part::span || v.timing.pass != 0;
    return inside ? "not shown: its timing hides this stretch" : "not shown: outside its span the timing hides it";
}

} // namespace

std::string delay_words(double frames) {
    if (frames == 0) return "on time";
    const std::string number = short_number(std::abs(frames));
    return fmt::format("{} {} {}", number, number == "1" ? "frame" : "frames", frames > 0 ? "later" : "ahead");
}

std::string given_words(Target target, double v) {
    const std::string number = short_number(std::abs(v), 2);
    std::string own = short_number(v, 2);
    auto than = [&](const char* more, const char* less) {
        return v == 0 ? std::string("as it is") : fmt::format("{} % {}", number, v > 0 ? more : less);
    };
    switch (target) {
    case Target::delay: { // as fine as matters
        const double step = std::abs(v) < 10 ? 100 : 10;
        return delay_words(std::round(v * step) / step);
    }
    case Target::speed: return than("faster", "slower");
    case Target::size: return than("larger", "smaller");
    case Target::visibility: return fmt::format("shown {} % of the time", own);
    case Target::turn: return own + "°";
    case Target::variant: return own + " % of the way";
    case Target::wobble: return own + " % of the wobble";
    }
    return own;
}

Result<Trace> trace(const Show& show, std::int64_t copy, OutputFrame t) {
    std::size_t index = 0;
    const ArrangementShow* a = show.find(copy, index);
    if (!a) {
        return fail(Error{ErrorCode::not_found, fmt::format("there is no copy {}", copy + 1)}.advise(
            fmt::format("the project has {}, counted from 1", counted(show.copies(), "copy", "copies"))));
    }
    Trace out;
    out.copy = copy;
    out.frame = t;
    out.values = trace_copy(a->plan, a->clock, a->clocks, index, t);
    const CopyTrace& v = out.values;
    const CopyMoment& m = v.moment;

    out.stages.push_back(amount_stage(*a, t));
    out.stages.push_back(clock_stage(*a, index, v));
    if (a->clocks.playing()) out.stages.push_back(playing_stage(*a, index, t, v));
    out.stages.push_back(
        {"timing",
         words_of_timing(*a, v),
         {{"span_frame", v.timing.span_frame}, {"source", v.timing.source}, {"slope", v.timing.slope}}});
    out.stages.push_back({"before / after", part_words(v), {{"pass", static_cast<double>(v.timing.pass)}}});
    if (m.has(mark_absent)) out.stages.push_back({"shown", absent_words(*a, index, t, v), {{"absent", 1}}});
    const bool clamped = m.has(mark_clamped_first) || m.has(mark_clamped_last);
    out.stages.push_back(
        {"source range",
         clamped ? fmt::format("held at the source's {} frame", m.has(mark_clamped_first) ? "first" : "last")
                 : "inside the source",
         {{"source", m.source}, {"speed", v.timing.slope * v.rate * (clamped ? 0 : 1)}}});
    if (a->usable) {
        out.recipe = a->sampler.recipe(SourceFrame(m.source));
        out.stages.push_back(pose_stage(*a, v, out.recipe));
    } else {
        out.stages.push_back({"sub-frame", "the source's files are missing", {}});
    }
    out.line = fmt::format("frame {} · {}, {} → own time {} → source frame {} · {}{}", short_number(t.value),
                           copy_name(copy, show.copies()), delay_words(v.delay), short_number(v.local, 2),
                           short_number(v.timing.source, 2),
                           clamped && !m.has(mark_absent) ? fmt::format("shows {}, ", short_number(m.source, 2))
                                                          : std::string(),
                           words_of_motion(*a, v));
    for (TraceStage& stage : out.stages) stage.words = true_minus(stage.words);
    out.line = true_minus(out.line);
    return out;
}

} // namespace garland
