// Copies that meet: at a frame, at a source frame, and where amounts that change push their time backward.
#include "core/base/numbers.h"
#include "core/project/timings.h"
#include "core/project/varying.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<ArrangementDone> meet_at(const Arrangement& arrangement, const MeetOrder& o) {
    if (!std::isfinite(o.at.value) || std::abs(o.at.value) > frame_limit)
        return fail(Error{ErrorCode::invalid, "copies can only meet at a frame that is a number"}.advise(
            "give an output frame that is a number"));
    if (!(o.ease >= 1) || !(o.stay >= 0) || o.ease > 1e6 || o.stay > 1e6) {
        return fail(
            Error{ErrorCode::invalid, "an ease takes at least 1 output frame, and copies stay together for 0 or more"}
                .advise("give an ease of some frames"));
    }
    if (arrangement.begins.kind == StartKind::at_birth) {
        return fail(
            Error{ErrorCode::invalid, "copies whose time starts at their birth are each at another source frame"}
                .advise("let them start with the shot"));
    }
    if (arrangement.single_out) {
        return fail(Error{ErrorCode::invalid, "its copies have the delays of the arrangement it was singled out of"}
                        .keeping("all amounts as they are")
                        .advise("let that one meet, and these copies meet with it"));
    }
    ArrangementDone done{arrangement, fmt::format("Meet at frame {}", short_number(o.at.value)), {}};
    KeyedCurve keys{{o.at.value - o.ease, 1, Toward::smooth}, {o.at.value, 0, Toward::smooth}};
    if (o.stay > 0) keys.push_back({o.at.value + o.stay, 0, Toward::smooth});
    keys.push_back({o.at.value + o.stay + o.ease, 1, Toward::linear});
    int delays = 0, speeds = 0;
    for (Spread& s : done.arrangement.spreads) {
        if (s.target == Target::delay) s.strength.keys = keys, ++delays;
        if (s.target == Target::speed) s.meets = o.at, ++speeds;
    }
    if (!done.arrangement.by_hand.nudges.empty()) done.arrangement.by_hand.amount = keys;
    if (delays + speeds == 0 && done.arrangement.by_hand.nudges.empty())
        done.note = "the copies already move together: nothing delays them";
    if (speeds > 0) {
        done.note =
            o.stay > 0
                ? "copies of different speeds agree at that frame, and drift apart while the others stay together"
                : "copies of different speeds agree at that frame, and drift apart before and after it";
    }
    return done;
}

namespace {
// The output frame nearest to `at` at which a timing shows a source frame; within a thousand output frames and a pass.
std::optional<double> nearest_showing(const TimingPlan& plan, SourceFrame source, double at) {
    const double reach =
        std::min(2 * std::max(plan.length(), plan.loop()) + 1000 + std::abs(at - plan.first().value), 1e6);
    auto off = [&](double t) { return plan.at(OutputFrame(t)).source - source.value; };
    auto shown = [&](double t) { return !plan.at(OutputFrame(t)).absent; };
    for (double d = 0; d <= reach; d += 1) { // a whole number of frames away, where there is one
        for (double t : {at + d, at - d}) {
            if (shown(t) && std::abs(off(t)) < 1e-9) return t;
        }
        for (const auto& [low, high] : {std::pair(at + d, at + d + 1), std::pair(at - d - 1, at - d)}) {
            double a = low, b = high;
            const bool rises = off(a) < 0 && off(b) > 0, falls = off(a) > 0 && off(b) < 0;
            if (!(rises || falls) || !shown(a)) continue;
            for (int k = 0; k < 60; ++k) {
                const double middle = 0.5 * (a + b);
                ((off(middle) < 0) == rises ? a : b) = middle;
            }
            if (std::abs(off(a)) < 1e-6) return a; // not a jump over it
        }
    }
    return std::nullopt;
}

void move_timing(Timing& timing, double by) {
    auto move = [by](auto& keys) {
        for (auto& key : keys) key.at = key.at + by;
    };
    move(timing.map.keys);
    move(timing.speeds.keys);
    timing.phrases.start = timing.phrases.start + by;
    if (timing.slider) move(timing.slider->keys);
}
} // namespace

Result<MeetDone> meet_in(Project& project, ArrangementId id, const MeetOrder& o) {
    const Arrangement* a = project.arrangement(id);
    if (!a)
        return fail(Error{ErrorCode::not_found, fmt::format("there is no arrangement with the id {}", id.value)}.advise(
            "choose one that is in the project"));
    GARLAND_TRY(done, meet_at(*a, o));
    MeetDone out{done.words, done.note};
    if (o.source) {
        const TimingPlan plan(*project.timing(a->timing));
        const auto at = nearest_showing(plan, *o.source, o.at.value);
        if (!at) {
            const SourceSpan span = source_span(*project.timing(a->timing));
            return fail(Error{ErrorCode::invalid,
                              fmt::format("the timing \"{}\" never shows source frame {}: it shows {} to {}",
                                          project.timing(a->timing)->name, short_number(o.source->value),
                                          short_number(span.low.value), short_number(span.high.value))}
                            .keeping("all delays as they are")
                            .advise("ask for a frame that it shows"));
        }
        const double by = o.at.value - *at;
        auto note = [&](std::string text) { out.note += (out.note.empty() ? "" : "; ") + std::move(text); };
        if (std::abs(by) > 1e-12) {
            if (users_of(project, a->timing).size() > 1) {
                GARLAND_TRY(own, separate_timing(project, id));
                note(fmt::format("it has a timing of its own now, \"{}\"", project.timing(own)->name));
            }
            move_timing(*project.timing(project.arrangement(id)->timing), by);
            note(fmt::format("its timing plays {} {}",
                             counted_number(std::abs(std::round(by * 1e6) / 1e6), "frame", "frames"),
                             by > 0 ? "later" : "earlier"));
        }
        out.words += fmt::format(", at source frame {}", short_number(o.source->value));
    }
    done.arrangement.timing = project.arrangement(id)->timing;
    *project.arrangement(id) = done.arrangement;
    return out;
}

Result<ArrangementDone> without_meeting(const Arrangement& arrangement) {
    ArrangementDone done{arrangement, "Remove the meeting", {}};
    for (Spread& s : done.arrangement.spreads) {
        if (s.target == Target::delay) s.strength.keys.clear();
        s.meets.reset();
    }
    done.arrangement.by_hand.amount.clear();
    return done;
}

double BackwardRun::longer_ease(double ease) const {
    return std::ceil(ease * steepest - 1e-9);
}

std::optional<BackwardRun> backward_by_amounts(const ArrangementShow& a, FrameRange range, Progress& progress) {
    if (a.clocks.changing() == 0) return {};
    BackwardRun run;
    std::vector<std::uint8_t> runs(a.clocks.size());
    bool any = false;
    const double step = runs.size() > 20'000 ? 1 : 0.25;
    for (double t = static_cast<double>(range.first); t <= static_cast<double>(range.last); t += step) {
        if (progress.cancelled()) return {};
        const CopyClocks::Now now = a.clocks.now(t);
        bool here = false;
        for (std::size_t i = 0; i < runs.size(); ++i) {
            const double slope = a.clocks.delay_slope(i, now);
            if (slope <= 1 + 1e-9) continue;
            run.steepest = std::max(run.steepest, slope);
            run.copies += runs[i] == 0;
            runs[i] = 1;
            here = true;
        }
        if (here && !any) run.first = OutputFrame(t);
        if (here) run.last = OutputFrame(t);
        any = any || here;
    }
    if (!any) return {};
    return run;
}

} // namespace garland
