#include "io/usd/shared_sources.h"

#include "core/base/numbers.h"
#include "core/geometry/volume.h"
#include "io/handoff/bake.h"
#include "io/usd/pose_prim.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

constexpr double weight_steps = 32; // of fades

// A pick without what only its velocities need, so that equal poses are equal.
PosePick bare(const PosePick& pick) {
    PosePick out;
    out.frame = pick.frame;
    if (pick.weight > 0) out.weight = pick.weight, out.other = pick.other;
    return out;
}

SourceFrame rounded(SourceFrame s, const Sampler& sampler, int per_frame) {
    const SourceClock& clock = sampler.clock();
    const double file = clock.file_frame(s);
    const double steps = sampler.how() == SubFrame::nearest ? 1 : per_frame;
    const double to = std::floor(file * steps + 0.5) / steps; // halfway is the later one, as with nearest
    return clock.first + (to - static_cast<double>(clock.file_first)) / clock.files_per_frame;
}

PosePick rounded(const PosePick& pick, const Sampler& sampler, int per_frame) {
    PosePick out;
    out.frame = rounded(pick.frame, sampler, per_frame);
    const double weight = std::round(pick.weight * weight_steps) / weight_steps;
    if (weight >= 1) {
        out.frame = rounded(pick.other, sampler, per_frame);
    } else if (weight > 0) {
        out.weight = weight, out.other = rounded(pick.other, sampler, per_frame);
    }
    return out;
}

double largest_side(const Placement& p) {
    return p.size * std::max({std::abs(p.stretch.x), std::abs(p.stretch.y), std::abs(p.stretch.z)});
}

std::string name_of(const Show& show, SourceId id) {
    for (const ArrangementShow& a : show.arrangements) {
        if (a.source == id && a.usable) {
            const auto files = a.sampler.source()->files();
            std::string name = files.empty() ? a.spec.name : file_name(files.front());
            return name.substr(0, name.find('.'));
        }
    }
    return "source";
}

Result<void> learn_picks(std::vector<SharedSource>& sources, const SharedPosesOrder& order, Progress& progress) {
    const auto count = static_cast<double>(order.frames.moments());
    for (std::int64_t k = 0; k < order.frames.moments(); ++k) {
        const double f = order.frames.moment(k).at.value;
        progress.report(static_cast<double>(k) / count, fmt::format("looking at frame {}", f));
        if (progress.cancelled()) return fail(ErrorCode::cancelled, fmt::format("stopped at frame {}", f));
        for (SharedSource& g : sources) {
            for (const ArrangementShow* a : g.shows) {
                const auto moments = moments_at(*a, OutputFrame(f));
                const Picks picks = pick_poses(a->plan, a->clock, moments);
                for (const PosePick& pick : picks.poses) g.learn(pick, order.per_frame);
                if (!a->moves()) continue;
                GARLAND_TRY(standing, places_at(*a, OutputFrame(f), moments, false, progress));
                for (const Placement& p : standing.places) g.largest = std::max(g.largest, largest_side(p));
            }
        }
    }
    return {};
}

double furthest_point(const Pose& a, const Pose& b) {
    double most = 0;
    for (std::size_t i = 0; i < a.points.size(); ++i)
        most = std::max(most, static_cast<double>((a.points[i] - b.points[i]).length()));
    return most;
}

// How far rounding moves points, and how far the source usually goes.
Result<void> measure(const std::vector<SharedSource>& sources, const Show& show, SharedPosesPlan& plan,
                     Progress& progress) {
    for (const SharedSource& g : sources) {
        double worst = 0;
        std::vector<double> steps;
        std::size_t done = 0;
        for (const auto& [at, moved] : g.furthest) {
            progress.report(static_cast<double>(done++) / static_cast<double>(g.furthest.size()), "measuring rounding");
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped while measuring");
            GARLAND_TRY(from, pose_of(*g.sampler, moved.from, progress));
            GARLAND_TRY(to, pose_of(*g.sampler, moved.to, progress));
            if (from.pose->volume || from.pose->points.size() != to.pose->points.size() ||
                from.pose->ids != to.pose->ids) {
                plan.unmeasured = true;
                continue;
            }
            worst = std::max(worst, furthest_point(*from.pose, *to.pose) * g.largest);
            if (at < 0 || steps.size() >= 64) continue;
            const SourceClock& clock = g.sampler->clock();
            GARLAND_TRY(
                here, g.sampler->at(clock.first + static_cast<double>(at - clock.file_first) / clock.files_per_frame));
            GARLAND_TRY(next, g.sampler->at(clock.first +
                                            static_cast<double>(at + 1 - clock.file_first) / clock.files_per_frame));
            if (here.pose->points.size() == next.pose->points.size())
                steps.push_back(furthest_point(*here.pose, *next.pose) * g.largest);
        }
        if (worst < plan.worst || (worst == 0 && plan.worst > 0)) continue;
        plan.worst = worst;
        plan.worst_source = name_of(show, g.source);
        if (steps.empty()) continue;
        std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
        plan.usual_step = steps[steps.size() / 2];
    }
    return {};
}

} // namespace

PosePick SharedSource::written(const PosePick& pick, int per_frame) const {
    return rounded(bare(pick), *sampler, per_frame);
}

void SharedSource::learn(const PosePick& pick, int per_frame) {
    const PosePick from = bare(pick);
    if (from.weight > 0 ? !asked_fades.insert(from).second : !asked.insert(from.frame.value).second) return;
    const PosePick to = rounded(from, *sampler, per_frame);
    poses.try_emplace(to, static_cast<std::int32_t>(poses.size()));
    const SourceClock& clock = sampler->clock();
    const double by = std::abs(clock.file_frame(from.frame) - clock.file_frame(to.frame));
    std::int64_t key = static_cast<std::int64_t>(std::floor(clock.file_frame(from.frame)));
    if (from.weight > 0) key = -1 - static_cast<std::int64_t>(from.weight * 64);
    Moved& m = furthest[key];
    if (by > m.by) m = {from, to, by};
}

std::vector<SharedSource> shared_sources(const Show& show) {
    std::vector<SharedSource> sources;
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable || a.places.empty()) continue;
        auto g = std::find_if(sources.begin(), sources.end(),
                              [&](const SharedSource& one) { return one.source == a.source; });
        if (g == sources.end()) {
            sources.push_back({});
            g = std::prev(sources.end());
            g->source = a.source, g->sampler = &a.sampler;
        }
        g->shows.push_back(&a);
        for (std::size_t i = 0; i < a.places.size(); ++i) {
            g->ids.push_back(a.number(i) + 1);
            g->largest = std::max(g->largest, largest_side(a.places[i]));
        }
    }
    std::set<std::string> used;
    for (SharedSource& g : sources) {
        const std::string usual = usd_identifier(name_of(show, g.source));
        g.name = usual;
        for (int k = 2; !used.insert(g.name).second; ++k) g.name = fmt::format("{}_{}", usual, k);
    }
    return sources;
}

std::string volume_file(const SharedPosesOrder& order, const SharedSource& g, std::size_t pose) {
    const std::string file = file_name(order.path);
    return fmt::format("{}.{}.{:04}.vdb", file.substr(0, file.size() - extension(file).size()), g.name, pose + 1);
}

std::vector<std::string> shared_files(const SharedPosesOrder& order, const std::vector<SharedSource>& sources) {
    std::vector<std::string> files;
    for (const SharedSource& g : sources)
        for (std::size_t k = 0; g.volumes() && k < g.poses.size(); ++k) files.push_back(volume_file(order, g, k));
    files.push_back(file_name(order.path));
    return files;
}

Result<void> validate(const SharedPosesOrder& order) {
    GARLAND_CHECK(validate(order.frames));
    if (order.per_frame < 1 || order.per_frame > 1000)
        return fail(Error{ErrorCode::invalid, fmt::format("{} poses per frame", order.per_frame)}.advise(
            "choose 1 to 1000; 8 is usual"));
    return {};
}

Result<SharedPosesPlan> plan_sources(std::vector<SharedSource>& sources, const Show& show,
                                     const SharedPosesOrder& order, Progress& progress) {
    PartOf looking(progress, 0, 0.6), measuring(progress, 0.6, 1);
    GARLAND_CHECK(learn_picks(sources, order, looking));
    SharedPosesPlan plan;
    GARLAND_CHECK(measure(sources, show, plan, measuring));
    const bool text = usd_form(order.path) == UsdForm::text;
    const double a_number = text ? 12 : 4, a_whole = text ? 6 : 2;
    for (const SharedSource& g : sources) {
        plan.picks += static_cast<std::int64_t>(g.picks());
        plan.poses += static_cast<std::int64_t>(g.poses.size());
        if (g.poses.empty()) continue;
        GARLAND_TRY(first, pose_of(*g.sampler, g.poses.begin()->first, progress));
        const Pose& pose = *first.pose;
        double numbers = 3.0 * static_cast<double>(pose.points.size() + lists_of(pose).normals.size());
        for (const Attribute& a : pose.attributes) numbers += static_cast<double>(a.values.size());
        if (pose.volume) plan.bytes += static_cast<double>(pose.volume->bytes() * g.poses.size()); // at most
        const double faces = static_cast<double>(pose.faces->corners.size() + pose.faces->starts.size());
        plan.bytes += static_cast<double>(g.poses.size()) * (numbers * a_number + (text ? faces * a_whole : 0) + 300);
        const bool moves = std::any_of(g.shows.begin(), g.shows.end(), [](const auto* a) { return a->moves(); });
        plan.bytes += static_cast<double>(g.ids.size()) *
                      (static_cast<double>(order.frames.moments()) * (a_whole + (moves ? 16 * a_number : 0)) + 120);
    }
    if (const auto baked = estimate(show,
                                    {folder_of(order.path), order.name, order.frames.range, Existing::refuse,
                                     order.frames.step, order.as, order.frames.shutter},
                                    progress))
        plan.baked_bytes = baked->bytes;
    plan.free = free_space(folder_of(order.path));
    for (const std::string& file : shared_files(order, sources)) {
        ++plan.files;
        plan.there += file_exists(folder_of(order.path) + "/" + file);
    }
    return plan;
}

Result<SharedPosesPlan> plan_shared_poses(const Show& show, const SharedPosesOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order));
    auto sources = shared_sources(show);
    return plan_sources(sources, show, order, progress);
}

} // namespace garland
