#include "core/project/looping.h"

#include "core/base/chance.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <fmt/format.h>
#include <utility>

namespace garland {

namespace {

std::uint64_t serial_of(std::uint64_t serial, const Closing& c, const ImportSettings& t) {
    std::uint64_t s = chance_bits(serial, 201, static_cast<std::uint64_t>(c.start));
    s = chance_bits(s, 202, static_cast<std::uint64_t>(c.length));
    s = chance_bits(s, 203, static_cast<std::uint64_t>(c.overlap));
    s = chance_bits(s, 204,
                    static_cast<std::uint64_t>(c.way) * 64 + static_cast<std::uint64_t>(c.mix) * 8 +
                        static_cast<std::uint64_t>(c.curve) * 2 + (c.keep_contrast ? 1 : 0));
    for (const KeyedCurve* curve : {&c.drawn_in, &c.drawn_out}) {
        s = chance_bits(s, 209, curve->size());
        for (const CurveKey& k : *curve)
            s = chance_bits(s, std::bit_cast<std::uint64_t>(k.at),
                            std::bit_cast<std::uint64_t>(k.value) + static_cast<std::uint64_t>(k.toward));
    }
    s = chance_bits(s, 205,
                    static_cast<std::uint64_t>(t.how) * 16 + static_cast<std::uint64_t>(t.gaps) * 8 +
                        static_cast<std::uint64_t>(t.up) * 4 + static_cast<std::uint64_t>(t.root) * 2 +
                        (t.fresh_normals ? 1 : 0));
    s = chance_bits(s, 206, std::bit_cast<std::uint64_t>(t.scale));
    s = chance_bits(s, 207, std::bit_cast<std::uint64_t>(t.voxel));
    for (std::int64_t f : t.dropped) s = chance_bits(s, 208, static_cast<std::uint64_t>(f));
    return s;
}

void repeat_range(Project& p, SourceId source, SourceFrame first, SourceFrame last) {
    std::vector<TimingId> done;
    for (const Arrangement& a : p.arrangements) {
        const bool shows = a.source == source || std::any_of(a.choice.variants.begin(), a.choice.variants.end(),
                                                             [&](const Variant& v) { return v.source == source; });
        if (!shows || std::find(done.begin(), done.end(), a.timing) != done.end()) continue;
        done.push_back(a.timing);
        Timing& t = *p.timing(a.timing);
        std::vector<Timing>& kept =
            p.source(source)->before_closing; // the first closing's; closing again changes its own
        if (std::none_of(kept.begin(), kept.end(), [&](const Timing& k) { return k.id == t.id; })) kept.push_back(t);
        const OutputFrame start = span_first(t);
        t.form = TimingForm::positions;
        t.map = plain_map(start, first, last);
        t.slider.reset();
        t.before = t.after = {OutsideMode::repeat, 0};
        t.last_is_first = true;
    }
}

} // namespace

Sampler open_sampler(const SourceSpec& spec, const OpenSource& open, PoseCache& cache) {
    const SourceFacts& f = open.source->facts();
    return Sampler(open.source, make_clock(f.first, f.last, f.first, spec.rate, Join::frame_for_frame, spec.rate),
                   spec.import_settings, open.serial, &cache);
}

Sampler sampler_for(const SourceSpec& spec, const OpenSource& open, Rate rate, PoseCache& cache) {
    const SourceFacts& f = open.source->facts();
    SourceClock clock = clock_of(spec, f.first, f.last, rate);
    if (!spec.closing || !validate(*spec.closing, f.first, f.last))
        return Sampler(open.source, clock, spec.import_settings, open.serial, &cache);
    const Closing& c = *spec.closing;
    clock.first = clock.first + static_cast<double>(c.start - f.first) / clock.files_per_frame;
    clock.file_first = c.start;
    clock.file_last = c.start + c.length;
    return Sampler(close_loop(open_sampler(spec, open, cache), c), clock, {},
                   serial_of(open.serial, c, spec.import_settings), &cache);
}

Result<void> close_source(Project& project, SourceId source, const Closing& closing, std::int64_t file_first,
                          std::int64_t file_last) {
    SourceSpec* spec = project.source(source);
    if (!spec)
        return fail(Error{ErrorCode::not_found, "this source is not in the project"}.advise(
            "choose one that is in the project"));
    GARLAND_CHECK(validate(closing, file_first, file_last));
    spec->closing = closing;
    const SourceClock clock = clock_of(*spec, file_first, file_last, project.settings.rate);
    const SourceFrame first = clock.first + static_cast<double>(closing.start - file_first) / clock.files_per_frame;
    repeat_range(project, source, first, first + static_cast<double>(closing.length) / clock.files_per_frame);
    return {};
}

Result<void> open_source_again(Project& project, SourceId source, std::int64_t file_first, std::int64_t file_last) {
    SourceSpec* spec = project.source(source);
    if (!spec)
        return fail(Error{ErrorCode::not_found, "this source is not in the project"}.advise(
            "choose one that is in the project"));
    if (!spec->closing)
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is not closed", spec->name)}.advise(
            "there is nothing to undo"));
    const Closing c = *spec->closing;
    const std::vector<Timing> before = std::exchange(spec->before_closing, {});
    const SourceClock clock = clock_of(*spec, file_first, file_last, project.settings.rate);
    const SourceFrame first = clock.first + static_cast<double>(c.start - file_first) / clock.files_per_frame;
    const TimeMap closed =
        plain_map(OutputFrame(0), first, first + static_cast<double>(c.length) / clock.files_per_frame);
    spec->closing.reset();
    for (const Arrangement& a : project.arrangements) {
        if (a.source != source) continue;
        Timing& t = *project.timing(a.timing);
        const auto was = std::find_if(before.begin(), before.end(), [&](const Timing& k) { return k.id == t.id; });
        // What the closing made comes back as it was; what was changed since stays, but nothing of it is the first pose
        // again.
        const bool as_made = t.form == TimingForm::positions && !t.slider && t.map.keys.size() == closed.keys.size() &&
                             !t.map.keys.empty() && t.map.keys.front().source == closed.keys.front().source &&
                             t.map.keys.back().source == closed.keys.back().source;
        t.last_is_first = false;
        if (as_made && was != before.end()) {
            const std::string name = t.name;
            t = *was;
            t.name = name;
        } else if (as_made) { // of an older file: the same range of the source's own frames
            const std::int64_t last = std::min(c.start + c.length - 1, file_last);
            t.map =
                plain_map(t.map.first(), first, first + static_cast<double>(last - c.start) / clock.files_per_frame);
        }
    }
    return {};
}

Result<Repeated> repeat_as_it_is(Project& project, SourceId source, bool last_is_first, const SourceClock& clock) {
    const SourceSpec* spec = project.source(source);
    if (!spec)
        return fail(Error{ErrorCode::not_found, "this source is not in the project"}.advise(
            "choose one that is in the project"));
    if (spec->closing)
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is closed already", spec->name)}.advise(
            "undo the closing first"));
    Repeated out;
    for (const Arrangement& a : project.arrangements) {
        const bool shows = a.source == source || std::any_of(a.choice.variants.begin(), a.choice.variants.end(),
                                                             [&](const Variant& v) { return v.source == source; });
        const auto known = [&](const std::vector<TimingId>& list) {
            return std::find(list.begin(), list.end(), a.timing) != list.end();
        };
        if (!shows || known(out.timings) || known(out.others)) continue;
        Timing& t = *project.timing(a.timing);
        const SourceSpan span = source_span(t);
        const bool all =
            std::abs(span.low - clock.first) < 1e-6 && std::abs(span.high - clock.last()) < 1e-6 && !t.slider;
        (all ? out.timings : out.others).push_back(t.id);
        if (!all) continue;
        t.before = t.after = {OutsideMode::repeat, 0};
        t.last_is_first = last_is_first;
    }
    return out;
}

std::optional<double> pose_gap(const Pose& a, const Pose& b) {
    if (a.points.empty() || a.points.size() != b.points.size() || a.ids != b.ids) return std::nullopt;
    return std::sqrt(squared_difference(&a.points[0].x, &b.points[0].x, a.points.size() * 3) /
                     static_cast<double>(a.points.size()));
}

Result<Seam> seam_of(const Sampler& open, const Closing& c, Progress& progress) {
    const SourceFacts& f = open.source()->facts();
    GARLAND_CHECK(validate(c, f.first, f.last));
    Seam out;
    const std::int64_t end = std::min(c.start + c.length, f.last);
    std::vector<double> steps;
    auto usual = [&] {
        if (steps.empty()) return 0.0;
        std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
        return steps[steps.size() / 2];
    };
    auto pose_at = [&](std::int64_t frame) -> Result<PosePtr> {
        GARLAND_TRY(sampled, open.at(SourceFrame(static_cast<double>(frame)), progress));
        return sampled.pose;
    };
    GARLAND_TRY(begin, pose_at(c.start));
    PosePtr before = begin, last_of_loop = begin; // one frame at a time: nothing is kept of the others
    bool points = true;
    for (std::int64_t frame = c.start + 1; frame <= end && points; ++frame) {
        progress.report(static_cast<double>(frame - c.start) / static_cast<double>(end - c.start),
                        fmt::format("measuring frame {}", frame));
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        GARLAND_TRY(now, pose_at(frame));
        const auto step = pose_gap(*before, *now);
        points = step.has_value();
        if (step) steps.push_back(*step);
        if (frame == c.start + c.length - 1) last_of_loop = now;
        before = now;
    }
    if (!points) { // what stands in for points
        steps.clear();
        GARLAND_TRY(rows, signatures_of(open, c.start, end, 0, progress));
        GARLAND_TRY(matrix, distances(rows, false, progress));
        out.unit = matrix.unit;
        out.usual = matrix.usual_step();
        out.gap = matrix.between(c.start, end);
        out.step_before = matrix.between(std::min(c.start + c.length - 1, end), c.start);
        return out;
    }
    out.unit = "m";
    out.usual = usual();
    out.gap = pose_gap(*before, *begin).value_or(0);
    out.step_before = pose_gap(*last_of_loop, *begin).value_or(0);
    const SourcePtr closed = close_loop(open, c);
    GARLAND_TRY(last, closed->exact_at(static_cast<double>(c.start + c.length - 1), SubFrame::linear, progress));
    GARLAND_TRY(first, closed->exact_at(static_cast<double>(c.start), SubFrame::linear, progress));
    out.step_after = pose_gap(*last, *first).value_or(0);
    return out;
}

} // namespace garland
