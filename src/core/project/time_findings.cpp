#include "core/project/time_findings.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/copies/attitude.h"
#include "core/project/finding_key.h"
#include "core/project/looping.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <mutex>
#include <set>
#include <unordered_map>

namespace garland {

namespace {

std::string some_of(std::size_t some, const ArrangementShow& a) {
    return fmt::format("{} of {} of \"{}\"", some, counted(a.clocks.size(), "copy", "copies"), a.spec.name);
}

// What one copy does over the range.
struct Course {
    struct Jump {
        double frame, from, to, speed; // output frame after it; source frames
    };
    std::vector<Jump> jumps;
    double backward_at = NAN, fast_at = NAN, fastest = 0;
    bool seen = false;
};

// Between two frames a clock of any two speeds gets at most so far; what is beyond that is a jump.
bool jumps_between(const CopyMoment& a, const CopyMoment& b) {
    const double even = (static_cast<double>(a.speed) + static_cast<double>(b.speed)) / 2;
    const double turn = std::abs(static_cast<double>(b.speed) - static_cast<double>(a.speed));
    return std::abs(b.source - a.source - even) > 1 + turn;
}

Course course_of(const ArrangementShow& a, std::size_t copy, const std::vector<double>& frames,
                 const std::vector<CopyClocks::Now>& nows, bool every, std::vector<CopyMoment>& row) {
    Course out;
    row_moments(a.plan, a.clock, a.clocks, copy, frames, nows, row);
    const CopyPlaying* playing = a.clocks.playing();
    const bool by_level = playing && (playing->play().by == PlayBy::level || playing->play().by == PlayBy::furthest);
    const bool meant = playing && playing->play().by == PlayBy::speed && playing->play().speed < 0;
    const bool wraps = a.plan.loop() > 0;
    for (std::size_t k = 0; k < row.size(); ++k) {
        const CopyMoment& m = row[k];
        if (m.has(mark_absent)) continue;
        out.seen = true;
        // dτ/dt below 0: the copy's own time runs backward, whatever the timing does with it.
        if (m.rate < -1e-9 && !by_level && !meant && std::isnan(out.backward_at)) out.backward_at = frames[k];
        const double speed = std::abs(static_cast<double>(m.speed));
        if (speed > seen_speed_limit && !playing) { // played ones are told by what plays them
            if (std::isnan(out.fast_at) || speed > out.fastest) out.fast_at = frames[k];
            out.fastest = std::max(out.fastest, speed);
        }
        if (!every || by_level || k == 0 || row[k - 1].has(mark_absent)) continue;
        if (wraps && m.pass != row[k - 1].pass) continue; // the seam's matter
        if (jumps_between(row[k - 1], m))
            out.jumps.push_back({frames[k], row[k - 1].source, m.source, static_cast<double>(row[k - 1].speed)});
    }
    return out;
}

// The distance between two poses of a source, and its usual step from one source frame to the next; made when asked
// for.
class Steps {
  public:
    Steps(const ArrangementShow& a, Progress& progress) : a_(a), progress_(progress) {}
    // Metres; nothing where the points differ in number.
    Result<std::optional<double>> between(double from, double to) {
        const auto key = std::pair(std::llround(from * 64), std::llround(to * 64));
        const auto known = known_.find(key);
        if (known != known_.end()) return known->second;
        GARLAND_TRY(x, a_.sampler.at(SourceFrame(from), progress_));
        GARLAND_TRY(y, a_.sampler.at(SourceFrame(to), progress_));
        std::optional<double> gap = pose_gap(*x.pose, *y.pose);
        known_[key] = gap;
        return gap;
    }
    Result<double> usual() {
        if (usual_ >= 0) return usual_;
        std::vector<double> all;
        const double first = a_.clock.first.value, last = a_.clock.last().value;
        const int samples = static_cast<int>(std::min(12.0, std::floor(last - first)));
        for (int i = 0; i < samples; ++i) {
            const double at = std::floor(first + (last - first - 1) * i / std::max(samples - 1, 1));
            GARLAND_TRY(gap, between(at, at + 1));
            if (gap) all.push_back(*gap);
        }
        std::sort(all.begin(), all.end());
        usual_ = all.empty() ? 0 : all[all.size() / 2];
        return usual_;
    }

  private:
    const ArrangementShow& a_;
    Progress& progress_;
    std::map<std::pair<long long, long long>, std::optional<double>> known_;
    double usual_ = -1;
};

Result<void> add_pops(const ArrangementShow& a, const std::vector<Course>& courses, Report& report,
                      Progress& progress) {
    if (!a.usable) return {};
    Steps steps(a, progress);
    Finding f{FindingKind::pop, {}, {}, 0, 0, key_of(FindingKind::pop, a, "time")};
    double furthest = 0, times = 0;
    std::set<std::pair<long long, long long>> looked;
    constexpr std::size_t most = 256; // distinct pairs of poses that are compared
    for (std::size_t i = 0; i < courses.size(); ++i) {
        bool pops = false;
        for (const Course::Jump& j : courses[i].jumps) {
            looked.emplace(std::llround(j.from * 64), std::llround(j.to * 64));
            if (looked.size() > most) break;
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            GARLAND_TRY(gap, steps.between(j.from, j.to));
            GARLAND_TRY(usual, steps.usual());
            const double step = usual * std::max(1.0, std::abs(j.speed));
            if (gap && *gap <= pop_factor * step) continue;
            pops = true;
            if (!gap || *gap > furthest) {
                furthest = gap.value_or(furthest);
                times = step > 0 ? furthest / step : 0;
                f.frame = static_cast<std::int64_t>(j.frame);
            }
        }
        if (pops) f.copies.push_back(a.number(i));
    }
    if (f.copies.empty()) return {};
    f.words =
        fmt::format("{} {} from one output frame to the next, by up to {} m{}: a step key, a phrase's border or a "
                    "start makes them jump",
                    some_of(f.copies.size(), a), f.copies.size() == 1 ? "pops" : "pop", short_number(furthest, 3),
                    times > 0 ? fmt::format(", {} times the usual step", short_number(times, 1)) : std::string());
    report.findings.push_back(std::move(f));
    return {};
}

// The first output frame at which a copy has passed from source frame n to n + 1 or back; not a number: it does not.
double passes_at(const std::vector<CopyMoment>& row, const std::vector<double>& frames, double n) {
    for (std::size_t k = 1; k < row.size(); ++k) {
        if (row[k].has(mark_absent) || row[k - 1].has(mark_absent) || jumps_between(row[k - 1], row[k])) continue;
        const auto [low, high] = std::minmax(row[k - 1].source, row[k].source);
        if (low < n + 1 - 1e-9 && high > n + 1e-9) return frames[k];
    }
    return NAN;
}

Result<void> add_source_jumps(const ArrangementShow& a, const std::vector<double>& frames,
                              const std::vector<CopyClocks::Now>& nows, SourceJumps& all, Report& report,
                              Progress& progress) {
    if (!a.usable) return {};
    GARLAND_TRY(found, all.of(a, progress));
    if (found.looked)
        report.examined.push_back(fmt::format("jumps inside the source of \"{}\": every step of it", a.spec.name));
    if (found.jumps.empty()) return {};
    std::vector<Finding> of_jumps;
    for (const SourceJumps::Jump& jump : found.jumps)
        of_jumps.push_back(
            {FindingKind::pop, {}, {}, 0, 0, key_of(FindingKind::pop, a, fmt::format("source {}", jump.frame))});
    std::vector<CopyMoment> row(frames.size());
    for (std::size_t i = 0; i < a.clocks.size(); ++i) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        row_moments(a.plan, a.clock, a.clocks, i, frames, nows, row);
        for (std::size_t k = 0; k < of_jumps.size(); ++k) {
            const double passed = passes_at(row, frames, found.jumps[k].frame);
            if (std::isnan(passed)) continue;
            Finding& f = of_jumps[k];
            if (f.copies.empty() || passed < static_cast<double>(f.frame)) f.frame = static_cast<std::int64_t>(passed);
            f.copies.push_back(a.number(i));
        }
    }
    for (std::size_t k = 0; k < of_jumps.size(); ++k) {
        Finding& f = of_jumps[k];
        const SourceJumps::Jump& jump = found.jumps[k];
        if (f.copies.empty()) continue;
        f.words = fmt::format(
            "the source of \"{}\" itself jumps from source frame {} to {}, by {} m{}; {} {} that: hold "
            "the frame before, fade across it, or write the cache again",
            a.spec.name, short_number(jump.frame), short_number(jump.frame + 1), short_number(jump.gap, 3),
            jump.times > 0 ? fmt::format(", {} times its usual step", short_number(jump.times, 1)) : std::string(),
            some_of(f.copies.size(), a), f.copies.size() == 1 ? "shows" : "show");
        report.findings.push_back(std::move(f));
    }
    return {};
}

// Keys of places and targets that are steps.
void add_place_pops(const Show& show, const ArrangementShow& a, Report& report) {
    std::vector<double> jumps;
    for (std::size_t k = 0; k + 1 < a.about.own_keys.size(); ++k) {
        if (a.about.own_keys[k].toward == Toward::step && !(a.about.own_keys[k].place == a.about.own_keys[k + 1].place))
            jumps.push_back(a.about.own_keys[k + 1].at.value);
    }
    const auto& keys = a.spec.place_keys;
    for (std::size_t k = 0; k + 1 < keys.size(); ++k) {
        if (keys[k].toward == Toward::step && !(keys[k].place == keys[k + 1].place))
            jumps.push_back(keys[k + 1].at.value);
    }
    std::erase_if(jumps, [&](double t) {
        return t <= static_cast<double>(show.settings.range.first) || t > static_cast<double>(show.settings.range.last);
    });
    if (jumps.empty() || a.clocks.size() == 0) return;
    Finding f{FindingKind::pop,
              {},
              {},
              static_cast<std::int64_t>(std::ceil(jumps.front())),
              0,
              key_of(FindingKind::pop, a, "place")};
    for (std::size_t i = 0; i < a.clocks.size(); ++i) f.copies.push_back(a.number(i));
    f.words = fmt::format("the place of \"{}\" jumps {}, first at output frame {}: its keys are steps", a.spec.name,
                          counted(jumps.size(), "time", "times"), short_number(jumps.front(), 2));
    report.findings.push_back(std::move(f));
}

void add_rates(const Show& show, const ArrangementShow& a, Report& report) {
    const double own = 1 / a.clock.file_seconds, project = show.settings.rate.per_second();
    if (!a.usable || a.clocks.size() == 0 || a.clock.files_per_frame != 1 || std::abs(own / project - 1) < 1e-6) return;
    for (const Finding& f : report.findings) {
        if (f.match_rates == a.source) return; // another arrangement of the source has said so
    }
    Finding f{FindingKind::rates,        {}, {},
              show.settings.range.first, 0,  fmt::format("{}/{}", to_text(FindingKind::rates), a.source.value)};
    for (std::size_t i = 0; i < a.clocks.size(); ++i) f.copies.push_back(a.number(i));
    f.match_rates = a.source;
    f.words =
        fmt::format("a source of {} frames a second is joined frame for frame to a project of {}: it plays {} times "
                    "as fast as it was made",
                    short_number(own, 3), short_number(project, 3), short_number(project / own, 3));
    report.findings.push_back(std::move(f));
}

} // namespace

Result<void> add_time_findings(const Show& show, const ArrangementShow& a, const std::vector<double>& frames,
                               bool every, SourceJumps& jumps, Report& report, Progress& progress) {
    if (a.clocks.size() == 0) return {};
    const std::vector<CopyClocks::Now> nows = nows_of(a.clocks, frames);
    std::vector<Course> courses(a.clocks.size());
    parallel_for(courses.size(), 16, [&](std::size_t from, std::size_t to) {
        std::vector<CopyMoment> row(frames.size());
        for (std::size_t i = from; i < to && !progress.cancelled(); ++i)
            courses[i] = course_of(a, i, frames, nows, every, row);
    });
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    GARLAND_CHECK(add_pops(a, courses, report, progress));
    if (every) GARLAND_CHECK(add_source_jumps(a, frames, nows, jumps, report, progress));
    add_place_pops(show, a, report);
    add_rates(show, a, report);

    Finding backward{FindingKind::backward, {}, {}, 0, 0, key_of(FindingKind::backward, a)};
    Finding fast{FindingKind::too_fast, {}, {}, 0, 0, key_of(FindingKind::too_fast, a, "time")};
    Finding never{FindingKind::never_seen, {}, {}, show.settings.range.first, 0, key_of(FindingKind::never_seen, a)};
    double fastest = 0;
    for (std::size_t i = 0; i < courses.size(); ++i) {
        const Course& c = courses[i];
        if (!std::isnan(c.backward_at)) {
            if (backward.copies.empty()) backward.frame = static_cast<std::int64_t>(c.backward_at);
            backward.copies.push_back(a.number(i));
        }
        if (!std::isnan(c.fast_at)) {
            if (c.fastest > fastest) fast.frame = static_cast<std::int64_t>(c.fast_at);
            fastest = std::max(fastest, c.fastest);
            fast.copies.push_back(a.number(i));
        }
        const bool by_hand =
            std::binary_search(a.spec.hidden_copies.begin(), a.spec.hidden_copies.end(), a.places[i].id);
        if (!c.seen && !by_hand) never.copies.push_back(a.number(i));
    }
    if (!backward.copies.empty()) {
        backward.words = fmt::format("the own time of {} runs backward: a delay or a strength changes faster than time "
                                     "passes; a longer ease would not",
                                     some_of(backward.copies.size(), a));
        report.findings.push_back(std::move(backward));
    }
    if (!fast.copies.empty()) {
        fast.words =
            fmt::format("{} {} faster than {} source frames per output frame, up to {}: less of the motion is "
                        "seen; a position keyed as time times speed does this where a range of speeds was meant",
                        some_of(fast.copies.size(), a), fast.copies.size() == 1 ? "runs" : "run",
                        short_number(seen_speed_limit), short_number(fastest, 1));
        report.findings.push_back(std::move(fast));
    }
    if (!never.copies.empty()) {
        never.words = fmt::format("{} {} never seen in the range: absent at every frame that was examined",
                                  some_of(never.copies.size(), a), never.copies.size() == 1 ? "is" : "are");
        report.findings.push_back(std::move(never));
    }
    report.examined.push_back(
        fmt::format("{}own time running backward, speeds above {}, copies never seen: every copy of \"{}\"",
                    every ? fmt::format("jumps longer than {} usual steps, ", short_number(pop_factor)) : std::string(),
                    short_number(seen_speed_limit), a.spec.name));
    return {};
}

namespace {

struct Boxed {
    Imath::Box3d box;
    std::int64_t number = 0;
};

// Pairs whose boxes share more than crowding_share of the smaller one, by cells as wide as the widest box.
std::vector<std::int64_t> crowded(const std::vector<Boxed>& all) {
    double wide = 1e-9;
    for (const Boxed& b : all)
        for (int k = 0; k < 3; ++k) wide = std::max(wide, b.box.max[k] - b.box.min[k]);
    std::map<std::array<std::int64_t, 3>, std::vector<std::size_t>> cells;
    auto cell_of = [&](const V3d& p) {
        std::array<std::int64_t, 3> c{};
        for (int k = 0; k < 3; ++k) c[static_cast<std::size_t>(k)] = static_cast<std::int64_t>(std::floor(p[k] / wide));
        return c;
    };
    for (std::size_t i = 0; i < all.size(); ++i) cells[cell_of(all[i].box.center())].push_back(i);
    std::set<std::int64_t> found;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const auto c = cell_of(all[i].box.center());
        for (int n = 0; n < 27; ++n) {
            const auto near = cells.find({c[0] + n % 3 - 1, c[1] + n / 3 % 3 - 1, c[2] + n / 9 - 1});
            if (near == cells.end()) continue;
            for (std::size_t j : near->second) {
                if (j <= i) continue;
                double shared = 1, a = 1, b = 1;
                for (int k = 0; k < 3; ++k) {
                    shared *= std::max(0.0, std::min(all[i].box.max[k], all[j].box.max[k]) -
                                                std::max(all[i].box.min[k], all[j].box.min[k]));
                    a *= all[i].box.max[k] - all[i].box.min[k];
                    b *= all[j].box.max[k] - all[j].box.min[k];
                }
                if (shared > crowding_share * std::min(a, b) && std::min(a, b) > 0) {
                    found.insert(all[i].number);
                    found.insert(all[j].number);
                }
            }
        }
    }
    return {found.begin(), found.end()};
}

} // namespace

Result<void> add_crowding(const Show& show, Report& report, Progress& progress) {
    const FrameRange range = show.settings.range;
    std::set<std::int64_t> all;
    std::int64_t first_at = range.first;
    for (const std::int64_t f : {range.first, range.first + range.count() / 2, range.last}) {
        GARLAND_TRY(posed, pose_all(show, OutputFrame(static_cast<double>(f)), progress));
        std::vector<Boxed> boxes;
        for (const Posed& part : posed) {
            std::vector<Imath::Box3f> own;
            for (const SampledPose& p : part.poses) own.push_back(bounds(*p.pose));
            for (std::size_t i = 0; i < part.picks.copies.size(); ++i) {
                if (part.picks.copies[i] == no_pose) continue;
                const Imath::Box3f& b = own[part.picks.copies[i]];
                if (b.isEmpty()) continue;
                boxes.push_back({box_of(part.places()[i], b), part.arrangement->number(i)});
            }
        }
        const std::vector<std::int64_t> now = crowded(boxes);
        if (all.empty() && !now.empty()) first_at = f;
        all.insert(now.begin(), now.end());
    }
    report.examined.push_back(fmt::format("crowding: boxes that share more than {:.0f} % of the smaller one, at output "
                                          "frames {}, {} and {}",
                                          crowding_share * 100, range.first, range.first + range.count() / 2,
                                          range.last));
    if (all.empty()) return {};
    Finding f{FindingKind::crowding, {}, {all.begin(), all.end()}, first_at, 0, to_text(FindingKind::crowding)};
    f.words = fmt::format("{} in each other by more than half of their boxes: a larger spacing, or a least distance, "
                          "would part them",
                          counted(all.size(), "copy stands", "copies stand"));
    report.findings.push_back(std::move(f));
    return {};
}

} // namespace garland
