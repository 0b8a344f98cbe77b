#include "core/project/findings.h"

#include "core/base/numbers.h"
#include "core/drivers/even_driver.h"
#include "core/project/drive_findings.h"
#include "core/project/finding_key.h"
#include "core/project/looping.h"
#include "core/project/time_findings.h"
#include "core/project/varying.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>
#include <xxhash.h>

namespace garland {

namespace {

std::string names(const std::vector<std::int64_t>& copies, std::int64_t count) {
    std::string text;
    const std::size_t shown = copies.size() <= 4 ? copies.size() : 3;
    for (std::size_t i = 0; i < shown; ++i) {
        const bool last = i + 1 == shown && shown == copies.size();
        if (i > 0) text += last ? " and " : ", ";
        text += copy_name(copies[i], count);
    }
    if (shown < copies.size()) text += fmt::format(" and {} more", copies.size() - shown);
    return text;
}

// Of twins: the ids of their copies in their arrangement, which stay the same whatever else there is.
std::string key_of(const ArrangementShow& a, const TwinGroup& group) {
    std::vector<std::uint64_t> ids;
    for (std::uint32_t i : group.copies) ids.push_back(a.places[i].id.value);
    std::sort(ids.begin(), ids.end());
    if (ids.size() > 8)
        return key_of(FindingKind::twins, a,
                      fmt::format("{} copies {:016x}", ids.size(), XXH64(ids.data(), ids.size() * sizeof ids[0], 0)));
    std::string text;
    for (std::uint64_t id : ids) text += fmt::format("{}{}", text.empty() ? "" : "+", id);
    return key_of(FindingKind::twins, a, text);
}

// Twins that stand beside each other are seen first, so they come first.
void add_twins(const Show& show, const ArrangementShow& a, const TwinReport& twins, Report& report) {
    constexpr std::size_t around = 6;
    const std::vector<std::uint32_t> nearest =
        twins.groups.empty() ? std::vector<std::uint32_t>{} : nearest_copies(a.places.list(), around);
    std::vector<Finding> beside, apart;
    for (const TwinGroup& group : twins.groups) {
        Finding f{FindingKind::twins, {}, {}, group.first_alike, group.share, key_of(a, group)};
        bool near = false;
        for (std::uint32_t i : group.copies) {
            f.copies.push_back(a.number(i));
            for (std::size_t k = 0; k < around && !near; ++k) {
                const std::uint32_t other = nearest[i * around + k];
                near = other != i && std::binary_search(group.copies.begin(), group.copies.end(), other);
            }
        }
        f.words = fmt::format("{}{} show the same pose for {}{:.0f} % of the {}", names(f.copies, show.copies()),
                              near ? ", near each other," : "", f.copies.size() > 2 ? "up to " : "", group.share * 100,
                              show.settings.twins_only_moving ? "time they move" : "range");
        (near ? beside : apart).push_back(std::move(f));
    }
    for (auto* list : {&beside, &apart}) {
        for (Finding& f : *list) report.findings.push_back(std::move(f));
    }
}

// Which copies show a clamped or replaced frame somewhere in the range, and where first.
void add_range_findings(const Show& show, const ArrangementShow& a, const std::vector<double>& frames, Report& report) {
    std::vector<std::int64_t> clamped, early, missing, nearest;
    double clamped_at = 0, early_at = 0, missing_at = 0, nearest_at = 0;
    std::set<std::int64_t> files;
    std::vector<CopyMoment> row(frames.size());
    const Sampler* sampler = a.usable ? &a.sampler : nullptr;
    const bool gaps = sampler && !sampler->source()->facts().missing.empty();
    const bool changes = sampler && sampler->source()->facts().kind == SourceKind::mesh_sequence;
    const std::vector<CopyClocks::Now> nows = nows_of(a.clocks, frames);
    for (std::size_t i = 0; i < a.clocks.size() && sampler; ++i) {
        row_moments(a.plan, a.clock, a.clocks, i, frames, nows, row);
        const std::int64_t number = a.number(i);
        for (std::size_t k = 0; k < row.size(); ++k) {
            if (row[k].has(mark_absent)) continue;
            if (row[k].has(mark_clamped_last) && (clamped.empty() || clamped.back() != number)) {
                if (clamped.empty()) clamped_at = frames[k];
                clamped.push_back(number);
            }
            if (row[k].has(mark_clamped_first) && (early.empty() || early.back() != number)) {
                if (early.empty()) early_at = frames[k];
                early.push_back(number);
            }
            if (!gaps && !changes) continue;
            const PoseRecipe r = sampler->recipe(SourceFrame(row[k].source));
            if (r.may_be_nearest && (nearest.empty() || nearest.back() != number)) {
                if (nearest.empty()) nearest_at = frames[k];
                nearest.push_back(number);
            }
            if (!r.missing) continue;
            files.insert(static_cast<std::int64_t>(r.file_frame));
            if (missing.empty() || missing.back() != number) {
                if (missing.empty()) missing_at = frames[k];
                missing.push_back(number);
            }
        }
    }
    if (!clamped.empty()) {
        report.findings.push_back(
            {FindingKind::clamped,
             fmt::format("the timing asks for frames past the end of the source: {} held at its last frame",
                         names(clamped, show.copies()) + (clamped.size() == 1 ? " is" : " are")),
             clamped, static_cast<std::int64_t>(clamped_at), 0, key_of(FindingKind::clamped, a)});
    }
    if (!early.empty()) {
        report.findings.push_back({FindingKind::clamped,
                                   fmt::format("the timing begins before the source does: {} held at its first frame",
                                               names(early, show.copies()) + (early.size() == 1 ? " is" : " are")),
                                   early, static_cast<std::int64_t>(early_at), 0,
                                   key_of(FindingKind::clamped, a, "first")});
    }
    if (!nearest.empty()) {
        report.findings.push_back(
            {FindingKind::nearest,
             fmt::format("{} shown between frames where the faces change: the nearest frame is shown",
                         names(nearest, show.copies()) + (nearest.size() == 1 ? " is" : " are")),
             nearest, static_cast<std::int64_t>(nearest_at), 0, key_of(FindingKind::nearest, a)});
    }
    if (!missing.empty()) {
        report.findings.push_back(
            {FindingKind::missing,
             fmt::format("{} of the source {} missing and in use; the frame before is shown instead",
                         counted(files.size(), "frame", "frames"), files.size() == 1 ? "is" : "are"),
             missing, static_cast<std::int64_t>(missing_at), 0, key_of(FindingKind::missing, a)});
    }
}

// A repeat whose step across the wrap is more than three times the steps beside it.
Result<void> add_seam(const Show& show, const ArrangementShow& a, Report& report, Progress& progress) {
    if (!a.usable || a.plan.loop() <= 0 || a.plan.there_and_back() || a.plan.period() < 3 || a.places.empty())
        return {};
    const double first = a.plan.first().value, period = a.plan.period();
    auto pose_at = [&](double t) -> Result<PosePtr> {
        const TimingSample s = a.plan.at(OutputFrame(t));
        GARLAND_TRY(sampled, a.sampler.at(SourceFrame(s.source), progress));
        return sampled.pose;
    };
    GARLAND_TRY(before, pose_at(first + period - 2));
    GARLAND_TRY(last, pose_at(first + period - 1));
    GARLAND_TRY(start, pose_at(first + period));
    GARLAND_TRY(after, pose_at(first + period + 1));
    const auto jump = pose_gap(*last, *start), left = pose_gap(*before, *last), right = pose_gap(*start, *after);
    if (!jump || !left || !right) return {};
    const Imath::Box3f box = bounds(*start);
    const double usual = std::max({*left, *right, static_cast<double>(box.size().length()) * 1e-4});
    if (*jump <= 3 * usual) return {};
    Finding f{FindingKind::seam, {}, {}, show.settings.range.first, 0, key_of(FindingKind::seam, a)};
    for (std::size_t i = 0; i < a.clocks.size(); ++i) f.copies.push_back(a.number(i));
    std::vector<double> frames;
    for (std::int64_t t = show.settings.range.first; t <= show.settings.range.last; ++t)
        frames.push_back(static_cast<double>(t));
    std::vector<CopyMoment> row(frames.size());
    bool seen = false; // by which copy first
    for (std::size_t i = 0; i < std::min<std::size_t>(a.clocks.size(), 64) && !seen; ++i) {
        row_of(a, i, frames, row);
        for (std::size_t k = 1; k < row.size() && !seen; ++k) {
            if (row[k].pass == row[k - 1].pass || row[k].has(mark_absent)) continue;
            f.frame = static_cast<std::int64_t>(frames[k]);
            seen = true;
        }
    }
    if (!seen) return {}; // no copy comes to its wrap in the range
    f.words = fmt::format("the repeat of \"{}\" jumps at its seam: {} m, {} times the step of the frames beside it",
                          a.spec.name, short_number(*jump, 3), short_number(*jump / usual, 2));
    report.findings.push_back(std::move(f));
    return {};
}

// Ends of phrases that miss the grid while it is on; once for each timing, however many follow it.
void add_off_beats(const ArrangementShow& a, std::set<std::string>& said, Report& report) {
    if (a.clocks.size() == 0) return;
    for (const OffBeat& off : a.timing.off_beats) {
        Finding f{FindingKind::off_beat,
                  {},
                  {},
                  static_cast<std::int64_t>(std::llround(off.at.value)),
                  0,
                  key_of(FindingKind::off_beat, a, std::to_string(off.phrase + 1))};
        f.words = fmt::format("phrase {} of \"{}\" ends at output frame {}, {} {} its beat", off.phrase + 1,
                              a.timing.name, short_number(off.at.value, 2),
                              counted_number(std::round(std::abs(off.late()) * 100) / 100, "frame", "frames"),
                              off.late() > 0 ? "after" : "before");
        if (!said.insert(f.words).second) continue;
        for (std::size_t i = 0; i < a.clocks.size(); ++i) f.copies.push_back(a.number(i));
        report.findings.push_back(std::move(f));
    }
}

void add_size(const Show& show, const CheckOptions::Space& space, Report& report) {
    if (space.free < 0) return;
    report.examined.push_back(fmt::format("room on the disk: {} in {}, about {}; {} are free", space.what, space.where,
                                          byte_count(space.bytes), byte_count(space.free)));
    if (space.bytes <= space.free) return;
    Finding f{FindingKind::size, {}, {}, show.settings.range.first, 0, fmt::format("size/{}", space.what)};
    f.words = fmt::format("{} in {}: about {} would be written, and {} are free on that disk", space.what, space.where,
                          byte_count(space.bytes), byte_count(space.free));
    report.findings.push_back(std::move(f));
}

} // namespace

std::size_t Report::count(FindingKind kind) const {
    return static_cast<std::size_t>(
        std::count_if(findings.begin(), findings.end(), [&](const Finding& f) { return f.kind == kind; }));
}

Result<Report> check(const Show& show, Progress& progress, const CheckOptions& options) {
    Report report;
    const FrameRange range = show.settings.range;
    std::vector<double> frames;
    const std::int64_t step = std::max<std::int64_t>(1, range.count() / 2000);
    for (std::int64_t f = range.first; f <= range.last; f += step) frames.push_back(static_cast<double>(f));

    const auto parts = static_cast<double>(std::max<std::size_t>(show.arrangements.size(), 1));
    double done = 0;
    std::set<std::string> off_beats_said;
    const auto jumps = options.jumps ? options.jumps : std::make_shared<SourceJumps>();
    for (const ArrangementShow& a : show.arrangements) {
        PartOf part(progress, done / parts, (done + 1) / parts);
        done += 1;
        const TwinRule rule = twin_rule(show, a);
        GARLAND_TRY(twins, find_twins(a.plan, a.clock, a.clocks, range, rule, part));
        add_twins(show, a, twins, report);
        add_range_findings(show, a, frames, report);
        GARLAND_CHECK(add_seam(show, a, report, part));
        add_off_beats(a, off_beats_said, report);
        add_drive_findings(show, a, frames, report);
        GARLAND_CHECK(add_time_findings(show, a, frames, step == 1, *jumps, report, part));
        report.examined.push_back(fmt::format("twins: every pair of {}, at {} of output frames {} to {}; alike below "
                                              "{} source frames, twins above {:.0f} %",
                                              counted(twins.copies, "copy", "copies"),
                                              counted(twins.samples, "frame", "frames"), range.first, range.last,
                                              short_number(rule.alike_below), rule.share * 100));
        report.examined.push_back(
            fmt::format("source ends, missing frames and seams of repeats: every copy, {}",
                        step == 1 ? "every output frame" : fmt::format("every {}th frame", step)));
    }
    if (options.crowding) GARLAND_CHECK(add_crowding(show, report, progress));
    if (options.space) add_size(show, *options.space, report);
    if (show.settings.tempo.on)
        report.examined.emplace_back("the beat: ends of phrases against the tempo grid, to 0.05 frame");
    const auto set_aside = std::stable_partition(report.findings.begin(), report.findings.end(), [&](Finding& f) {
        const auto at = std::find_if(show.settings.ignored.begin(), show.settings.ignored.end(),
                                     [&](const IgnoredFinding& i) { return i.finding == f.key; });
        if (at != show.settings.ignored.end()) f.reason = at->reason;
        return at == show.settings.ignored.end();
    });
    report.ignored.assign(std::make_move_iterator(set_aside), std::make_move_iterator(report.findings.end()));
    report.findings.erase(set_aside, report.findings.end());
    return report;
}

Result<void> ignore(Settings& settings, const Finding& finding, const std::string& reason) {
    if (finding.key.empty())
        return fail(
            Error{ErrorCode::invalid, "this finding cannot be told from others, so it cannot be ignored"}.advise(
                "fix it, or leave it among the findings"));
    const auto at = std::find_if(settings.ignored.begin(), settings.ignored.end(),
                                 [&](const IgnoredFinding& i) { return i.finding == finding.key; });
    if (at == settings.ignored.end()) {
        settings.ignored.push_back({finding.key, finding.words, reason, {}});
    } else {
        at->words = finding.words, at->reason = reason;
    }
    return {};
}

Result<void> report_again(Settings& settings, const std::string& key) {
    const auto at = std::find_if(settings.ignored.begin(), settings.ignored.end(),
                                 [&](const IgnoredFinding& i) { return i.finding == key; });
    if (at == settings.ignored.end()) {
        return fail(Error{ErrorCode::not_found, fmt::format("no finding \"{}\" is ignored", key)}.advise(
            "garland-cli check lists the ignored ones with their keys"));
    }
    settings.ignored.erase(at);
    return {};
}

const char* to_text(FindingKind kind) {
    switch (kind) {
    case FindingKind::twins: return "twins";
    case FindingKind::clamped: return "clamped";
    case FindingKind::missing: return "missing";
    case FindingKind::seam: return "seam";
    case FindingKind::off_beat: return "off the beat";
    case FindingKind::nearest: return "nearest";
    case FindingKind::pop: return "pop";
    case FindingKind::never_reached: return "never reached";
    case FindingKind::too_fast: return "too fast";
    case FindingKind::backward: return "backward";
    case FindingKind::never_seen: return "never seen";
    case FindingKind::rates: return "rates";
    case FindingKind::crowding: return "crowding";
    case FindingKind::size: return "size";
    }
    return "twins";
}

const char* title_of(FindingKind kind) {
    switch (kind) {
    case FindingKind::twins: return "Twins";
    case FindingKind::clamped: return "Past the source's end";
    case FindingKind::missing: return "Missing frames in use";
    case FindingKind::seam: return "Seams";
    case FindingKind::off_beat: return "Off the beat";
    case FindingKind::nearest: return "Nearest frames shown";
    case FindingKind::pop: return "Pops";
    case FindingKind::never_reached: return "Never reached";
    case FindingKind::too_fast: return "Too fast";
    case FindingKind::backward: return "Backward by accident";
    case FindingKind::never_seen: return "Never seen";
    case FindingKind::rates: return "Rates that disagree";
    case FindingKind::crowding: return "Crowding";
    case FindingKind::size: return "No room on the disk";
    }
    return "Twins";
}

} // namespace garland
