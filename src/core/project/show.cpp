#include "core/project/show.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <atomic>
#include <fmt/format.h>
#include <mutex>

namespace garland {

std::int64_t Show::copies() const {
    if (arrangements.empty()) return 0;
    return arrangements.back().first_copy + static_cast<std::int64_t>(arrangements.back().places.size());
}

const ArrangementShow* Show::find(std::int64_t number, std::size_t& index) const {
    for (const ArrangementShow& a : arrangements) {
        const std::int64_t i = number - a.first_copy;
        if (i < 0 || i >= static_cast<std::int64_t>(a.places.size())) continue;
        index = static_cast<std::size_t>(i);
        return &a;
    }
    return nullptr;
}

ShowPtr make_show(const Project& project, const OpenSources& sources, PoseCache& cache, const Show* before) {
    auto show = std::make_shared<Show>();
    show->settings = project.settings;
    show->camera = CameraPlan(project.settings.camera_keys, project.settings.camera);
    for (const SourceSpec& spec : project.sources) {
        const auto open = sources.find(spec.id);
        if (open == sources.end() || !open->second.source) continue;
        const SourceFacts& facts = open->second.source->facts();
        show->samplers[spec.id] =
            Sampler(open->second.source, clock_of(spec, facts.first, facts.last, project.settings.rate), taking_of(spec),
                    open->second.serial, &cache);
    }
    std::int64_t number = 0;
    for (const Arrangement& a : project.arrangements) {
        ArrangementShow& out = show->arrangements.emplace_back();
        out.id = a.id;
        out.source = a.source;
        out.first_copy = number;
        const Timing& timing = *project.timing(a.timing);
        out.plan = TimingPlan(timing);
        out.form = timing.form;
        if (timing.form == TimingForm::phrases) out.phrase_starts = boundaries(timing.phrases, timing.turn_twice);
        if (auto sampler = show->samplers.find(a.source); sampler != show->samplers.end()) {
            out.usable = true;
            out.clock = sampler->second.clock();
        } else {
            const auto [low, high] = source_span(timing);
            out.clock.first = SourceFrame(std::floor(low.value));
            out.clock.file_first = static_cast<std::int64_t>(std::floor(low.value));
            out.clock.file_last = static_cast<std::int64_t>(std::ceil(high.value));
        }
        out.rate = project.settings.rate;
        for (const Wobble* w : {&project.source(a.source)->wobble, &a.wobble}) {
            if (w->on) out.wobbles.push_back(*w);
        }
        out.spec = a;
        const ArrangementShow* same = nullptr;
        for (std::size_t i = 0; before && i < before->arrangements.size() && !same; ++i) {
            if (before->arrangements[i].spec == a) same = &before->arrangements[i];
        }
        if (same) {
            out.places = same->places;
            out.clocks = same->clocks;
        } else {
            out.places = placements(a);
            std::vector<CopyId> ids;
            ids.reserve(out.places.size());
            for (const Placement& p : out.places) ids.push_back(p.id);
            out.clocks = copy_clocks(a, ids);
        }
        number += static_cast<std::int64_t>(out.places.size());
    }
    return show;
}

std::vector<CopyMoment> moments_at(const ArrangementShow& arrangement, OutputFrame t) {
    std::vector<CopyMoment> moments(arrangement.clocks.size());
    parallel_for(moments.size(), 8192, [&](std::size_t from, std::size_t to) {
        copy_moments(arrangement.plan, arrangement.clock, std::span(arrangement.clocks).subspan(from, to - from), t,
                     std::span(moments).subspan(from, to - from));
    });
    return moments;
}

std::vector<Placement> places_at(const ArrangementShow& a, OutputFrame t, std::vector<WobbleSample>* motion) {
    std::vector<Placement> places = a.places;
    wobble_places(a.wobbles, t, a.rate, places, motion);
    return places;
}

Result<SampledPose> pose_of(const Sampler& sampler, const PosePick& pick, Progress& progress) {
    if (pick.weight == 0) return sampler.at(pick.frame, progress);
    return sampler.mixed(pick.frame, {pick.other, pick.weight, pick.speed, pick.other_speed, pick.weight_speed}, progress);
}

Result<std::vector<Posed>> pose_all(const Show& show, OutputFrame t, Progress& progress) {
    std::vector<Posed> result;
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable) continue;
        Posed& posed = result.emplace_back();
        posed.arrangement = &a;
        posed.moments = moments_at(a, t);
        posed.picks = pick_poses(a.plan, a.clock, a.clocks, t, posed.moments);
        posed.poses.resize(posed.picks.poses.size());
        if (!a.wobbles.empty()) posed.wobbled = places_at(a, t, &posed.motion);
        const Sampler& sampler = show.samplers.at(a.source);

        std::mutex mutex;
        std::optional<Error> error;
        std::atomic<bool> stop{false};
        parallel_for(posed.poses.size(), 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to && !stop; ++i) {
                auto pose = progress.cancelled() ? fail(ErrorCode::cancelled, "stopped")
                                                 : pose_of(sampler, posed.picks.poses[i], progress);
                if (pose) {
                    posed.poses[i] = std::move(*pose);
                    continue;
                }
                std::lock_guard lock(mutex);
                if (!error) error = std::move(pose.error());
                stop = true;
            }
        });
        if (error) return fail(std::move(*error));
    }
    return result;
}

std::string copy_name(std::int64_t number, std::int64_t count) {
    return fmt::format("c{:0{}}", number + 1, std::max<std::size_t>(2, fmt::format("{}", count).size()));
}

} // namespace garland
