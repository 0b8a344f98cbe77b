#include "core/project/drive_findings.h"

#include "core/base/numbers.h"
#include "core/project/finding_key.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

std::string copies_of(std::size_t some, std::size_t all) {
    return fmt::format("{} of {}", some, counted(static_cast<long long>(all), "copy", "copies"));
}

// A level that shows a motion directly: where it jumps, the pose jumps.
bool shows_level(const Play& p) {
    return p.by == PlayBy::level || p.by == PlayBy::furthest;
}

// How far a level may move in a frame without the motion running faster than the limit; and by how wide an edge a zone
// that comes at so many metres a frame keeps to it.
double wide_enough(const ArrangementShow& a, double metres_a_frame) {
    const double span = std::abs(a.clocks.playing()->play().to - a.clocks.playing()->play().from) * a.plan.length();
    return std::max(std::ceil(metres_a_frame * span / seen_speed_limit * 10) / 10, 0.1);
}

void add_level_pops(const Show& show, const ArrangementShow& a, Report& report) {
    const CopyPlaying& playing = *a.clocks.playing();
    if (!shows_level(playing.play()) || !playing.levels().by_place()) return;
    for (const auto& zone : playing.levels().zones()) {
        const Zone& z = zone->zone();
        Finding f{FindingKind::pop,          {}, {},
                  show.settings.range.first, 0,  key_of(FindingKind::pop, a, std::to_string(z.id.value))};
        double fastest = 0;
        for (std::size_t i = 0; i < a.clocks.size(); ++i) {
            const double delay = a.clocks[i].delay;
            for (const CopyPlaying::Visit& visit : playing.visits(a.clocks.played(i))) {
                for (double at : {visit.from, visit.to}) {
                    const double frame = at + delay;
                    if (!(frame >= static_cast<double>(show.settings.range.first) &&
                          frame <= static_cast<double>(show.settings.range.last)))
                        continue;
                    const ZonePlan::Distance d =
                        zone->distance(at, playing.levels().tracks().at(a.clocks.played(i), at));
                    if (std::abs(d.value - z.outer * d.size) > 1e-6) continue; // another zone's edge
                    fastest = std::max(fastest, std::abs(d.rate));
                    if (f.copies.empty()) f.frame = static_cast<std::int64_t>(std::ceil(frame));
                    if (f.copies.empty() || f.copies.back() != a.number(i)) f.copies.push_back(a.number(i));
                }
            }
        }
        const double edge = wide_enough(a, fastest), now = z.outer - z.inner;
        if (f.copies.empty() || (now > 0 && now >= edge * 0.99)) continue;
        f.zone_edge = ZoneEdgeFix{z.id, edge};
        const std::string which = now > 0 ? fmt::format("edge of {} m", short_number(now, 2)) : "hard edge";
        f.words = fmt::format("the {} of the zone \"{}\" makes {} pop; with a soft edge of {} m none would", which,
                              z.name, copies_of(f.copies.size(), a.clocks.size()), short_number(edge, 2));
        report.findings.push_back(std::move(f));
    }
}

} // namespace

void add_drive_findings(const Show& show, const ArrangementShow& a, const std::vector<double>& frames, Report& report) {
    const CopyPlaying* playing = a.clocks.playing();
    if (!playing || a.clocks.size() == 0) return;
    add_level_pops(show, a, report);
    Finding never{FindingKind::never_reached, {}, {},
                  show.settings.range.first,  0,  key_of(FindingKind::never_reached, a)};
    for (std::size_t i = 0; i < a.clocks.size(); ++i) {
        if (!playing->reached(a.clocks.played(i))) never.copies.push_back(a.number(i));
    }
    if (!never.copies.empty()) {
        never.words = fmt::format("{} of \"{}\" are never reached by what plays them",
                                  copies_of(never.copies.size(), a.clocks.size()), a.spec.name);
        report.findings.push_back(std::move(never));
    }
    Finding fast{FindingKind::too_fast, {}, {}, 0, 0, key_of(FindingKind::too_fast, a)};
    const std::vector<CopyClocks::Now> nows = nows_of(a.clocks, frames);
    std::vector<CopyMoment> row(frames.size());
    float fastest = 0;
    for (std::size_t i = 0; i < a.clocks.size(); ++i) {
        row_moments(a.plan, a.clock, a.clocks, i, frames, nows, row);
        for (std::size_t k = 0; k < row.size(); ++k) {
            if (row[k].has(mark_absent) || std::abs(row[k].speed) <= static_cast<float>(seen_speed_limit)) continue;
            if (fast.copies.empty() || std::abs(row[k].speed) > fastest)
                fast.frame = static_cast<std::int64_t>(frames[k]);
            fastest = std::max(fastest, std::abs(row[k].speed));
            if (fast.copies.empty() || fast.copies.back() != a.number(i)) fast.copies.push_back(a.number(i));
        }
    }
    if (!fast.copies.empty()) {
        const LevelKind kind = playing->levels().rule().kind;
        const char* slower = kind == LevelKind::sound   ? "a longer attack or release"
                             : kind == LevelKind::pulse ? "a longer rise"
                                                        : "a wider edge or a slower zone";
        fast.words =
            fmt::format("{} of \"{}\" run faster than {} source frames per output frame, up to {}: {} would show more "
                        "of the motion",
                        copies_of(fast.copies.size(), a.clocks.size()), a.spec.name, short_number(seen_speed_limit),
                        short_number(static_cast<double>(fastest), 1), slower);
        report.findings.push_back(std::move(fast));
    }
    report.examined.push_back(fmt::format(
        "copies played by {}: whether each is reached, hard edges, speeds above {} source frames per output frame",
        to_text(playing->levels().rule().kind), short_number(seen_speed_limit)));
}

} // namespace garland
