#include "core/project/varying.h"

#include "core/base/circle.h"
#include "core/drivers/even_driver.h"
#include "core/project/timings.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

// Whether a pass of the timing leads from one end of its source frames to the other without ever turning: only then the
// end of the range is beside its start, seen from where copies are in their loop.
bool runs_one_way(const TimingPlan& plan, double first, double last) {
    const SegmentTable& table = plan.table();
    const double way = last > first ? 1 : -1;
    double before = first;
    for (std::uint32_t i = 0; i + 1 < table.size(); ++i) {
        const double from = table.row(i).start, to = table.row(i + 1).start;
        for (int k = 0; k <= 8; ++k) {
            const double value = table.at(from + (to - from) * k / 8, i, 1).value;
            if ((value - before) * way < -1e-9) return false;
            before = value;
        }
    }
    return true;
}

} // namespace

TwinRule twin_rule(const Show& show, const ArrangementShow& a) {
    TwinRule rule;
    rule.alike_below = show.settings.alike_below;
    rule.share = show.settings.twin_share;
    rule.only_moving = show.settings.twins_only_moving;
    // A loop's last pose is followed by its first: differences go round, counted in source frames.
    const double loop = a.plan.loop();
    if (loop > 0 && !a.plan.there_and_back() && a.plan.length() > 0 && !a.plan.has_slider()) {
        const double first = a.plan.at(a.plan.first()).source,
                     last = a.plan.at(OutputFrame(a.plan.first().value + a.plan.length() - 1e-9)).source;
        if (last != first && runs_one_way(a.plan, first, last))
            rule.period = std::abs(last - first) * loop / a.plan.length();
    }
    return rule;
}

double least_apart(const TimingPlan& plan, const SourceClock& source, FrameRange range, const TwinRule& rule,
                   bool whole_frames) {
    std::vector<double> frames;
    const std::int64_t m = std::min<std::int64_t>(range.count(), 480);
    for (std::int64_t k = 0; k < m; ++k) {
        frames.push_back(std::round(static_cast<double>(range.first) +
                                    (m > 1 ? static_cast<double>(k) / static_cast<double>(m - 1) : 0) *
                                        static_cast<double>(range.count() - 1)));
    }
    std::vector<CopyMoment> base(frames.size()), other(frames.size());
    row_moments(plan, source, CopyClock{0, 1}, frames, base);
    double fastest = 0;
    for (const CopyMoment& c : base) fastest = std::max(fastest, static_cast<double>(std::abs(c.speed)));
    const double step = whole_frames ? 1 : fastest > 0 ? rule.alike_below / fastest : 1;
    for (int k = 1; k <= 1000; ++k) {
        row_moments(plan, source, CopyClock{k * step, 1}, frames, other);
        std::size_t alike = 0, counted = 0;
        for (std::size_t i = 0; i < frames.size(); ++i) {
            const bool still_a = rule.only_moving && base[i].speed == 0,
                       still_b = rule.only_moving && other[i].speed == 0;
            counted += !(still_a && still_b);
            if (base[i].has(mark_absent) || other[i].has(mark_absent) || still_a || still_b) continue;
            alike += apart_on_circle(base[i].source, other[i].source, rule.period) < rule.alike_below - 1e-9;
        }
        if (counted > 0 && static_cast<double>(alike) <= rule.share * static_cast<double>(counted)) return k * step;
    }
    return 0;
}

Result<TwinState> twin_state(const Show& show, ArrangementId id, int frames, Progress& progress) {
    TwinState state;
    constexpr std::size_t around = 6;
    for (const ArrangementShow& a : show.arrangements) {
        if (a.id != id) continue;
        TwinRule rule = twin_rule(show, a);
        rule.most_samples = frames;
        GARLAND_TRY(twin, have_twins(a.plan, a.clock, a.clocks, show.settings.range, rule, progress));
        state.copies += static_cast<std::int64_t>(a.clocks.size());
        for (std::uint32_t i = 0; i < twin.size(); ++i) {
            if (twin[i]) state.twin_copies.push_back(a.number(i));
        }
        state.twins = static_cast<std::int64_t>(state.twin_copies.size());
        state.frames = std::clamp<std::int64_t>(show.settings.range.count(), 1, frames);
        if (state.twins > 0) {
            const auto near = nearest_copies(a.places.list(), around);
            GARLAND_TRY(close,
                        near_twins(a.plan, a.clock, a.clocks, show.settings.range, rule, near, around, progress));
            state.near_twins += close;
        }
        if (a.plan.loop() > 0 && !a.clocks.playing()) { // what plays copies decides otherwise
            state.loop = a.plan.loop();
            const double apart = least_apart(a.plan, a.clock, show.settings.range, rule, false);
            if (apart > 0) state.room = capacity(a.plan.loop(), apart);
        }
        if (auto back = backward_by_amounts(a, show.settings.range, progress); back && !state.backward)
            state.backward = back;
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    }
    return state;
}

Result<ArrangementId> single_out(Project& p, ArrangementId from, std::vector<CopyId> copies, const std::string& part) {
    const Arrangement* other = p.arrangement(from);
    if (!other)
        return fail(Error{ErrorCode::not_found, "this arrangement is not in the project"}.advise(
            "choose one that is in the project"));
    if (other->single_out)
        return fail(Error{ErrorCode::invalid, "this arrangement was singled out itself"}.advise(
            "single out from the one it came from"));
    if (copies.empty() == part.empty())
        return fail(Error{ErrorCode::invalid, "either copies or a part can be singled out"}.advise(
            "select some copies, or name one part"));
    std::sort(copies.begin(), copies.end());
    copies.erase(std::unique(copies.begin(), copies.end()), copies.end());
    Arrangement a;
    a.id = ArrangementId(p.next_id++);
    a.name = other->name + (part.empty() ? ", singled out" : ": " + part);
    a.source = other->source;
    a.timing = other->timing;
    a.layout.kind = ArrangementKind::line; // never looked at: places come from the other
    a.begins = other->begins;
    a.wobble = other->wobble;
    a.single_out = SingleOut{from, std::move(copies), part};
    const ArrangementId id = a.id;
    p.arrangements.push_back(std::move(a));
    GARLAND_TRY(timing, separate_timing(p, id));
    static_cast<void>(timing);
    return id;
}

} // namespace garland
