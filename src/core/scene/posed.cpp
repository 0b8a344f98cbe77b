#include "core/scene/posed.h"

#include "core/base/parallel.h"

#include <atomic>
#include <mutex>
#include <optional>

namespace garland {

std::vector<CopyMoment> moments_at(const ArrangementShow& arrangement, OutputFrame t) {
    std::vector<CopyMoment> moments(arrangement.clocks.size());
    parallel_for(moments.size(), 8192, [&](std::size_t from, std::size_t to) {
        copy_moments(arrangement.plan, arrangement.clock, arrangement.clocks, from, t,
                     std::span(moments).subspan(from, to - from));
    });
    return moments;
}

void row_of(const ArrangementShow& a, std::size_t copy, std::span<const double> frames, std::span<CopyMoment> out) {
    row_moments(a.plan, a.clock, a.clocks, copy, frames, out);
}

Result<SampledPose> pose_of(const Sampler& sampler, const PosePick& pick, Progress& progress) {
    if (pick.weight == 0) return sampler.at(pick.frame, progress);
    return sampler.mixed(pick.frame, {pick.other, pick.weight, pick.speed, pick.other_speed, pick.weight_speed},
                         progress);
}

Result<std::vector<Posed>> pose_all(std::span<const ArrangementShow> arrangements, OutputFrame t, Progress& progress) {
    std::vector<Posed> result;
    for (const ArrangementShow& a : arrangements) {
        if (!a.usable) continue;
        Posed& posed = result.emplace_back();
        posed.arrangement = &a;
        posed.frame = t;
        posed.moments = moments_at(a, t);
        if (a.moves()) {
            GARLAND_TRY(standing, places_at(a, t, posed.moments, true, progress));
            posed.moved = std::move(standing.places);
            posed.motion = std::move(standing.motion);
            for (std::size_t i = 0; i < standing.gone.size(); ++i) {
                if (standing.gone[i]) posed.moments[i].marks |= mark_absent;
            }
        }
        posed.picks = pick_poses(a.plan, a.clock, posed.moments);
        posed.poses.resize(posed.picks.poses.size());
        const Sampler& sampler = a.sampler;

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

} // namespace garland
