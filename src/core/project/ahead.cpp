#include "core/project/ahead.h"

#include <algorithm>

namespace garland {

std::vector<WantedFrame> wanted_next(const Show& show, OutputFrame t, double step, int frames, std::size_t most) {
    std::vector<WantedFrame> out;
    for (int i = 1; i <= frames && out.size() < most; ++i) {
        const OutputFrame at = t + step * i;
        if (at.value < static_cast<double>(show.settings.range.first) ||
            at.value > static_cast<double>(show.settings.range.last))
            break;
        for (const ArrangementShow& a : show.arrangements) {
            if (!a.usable) continue;
            const Sampler& sampler = a.sampler;
            if (sampler.source()->any_time()) continue; // computes its poses, or has them in memory
            const Picks picks = pick_poses(a.plan, a.clock, moments_at(a, at));
            auto want = [&](SourceFrame s) {
                const PoseRecipe r = sampler.recipe(s);
                if (sampler.is_here(s)) return;
                for (std::int64_t frame : {r.frame_a, r.frame_b, r.before, r.after}) {
                    const WantedFrame one{a.source, frame};
                    if (out.size() < most && !sampler.is_stored(frame) &&
                        std::find(out.begin(), out.end(), one) == out.end())
                        out.push_back(one);
                }
            };
            for (const PosePick& pick : picks.poses) {
                want(pick.frame);
                if (pick.weight > 0) want(pick.other);
            }
        }
    }
    return out;
}

std::size_t read_ahead(const Show& show, const std::vector<WantedFrame>& wanted, std::size_t cache_limit,
                       Progress& progress) {
    std::size_t bytes = 0, done = 0;
    for (const WantedFrame& one : wanted) {
        if (progress.cancelled() || bytes > cache_limit / 2) break;
        const auto sampler = show.samplers.find(one.source);
        if (sampler == show.samplers.end()) continue;
        const auto pose = sampler->second.warm(one.file_frame, progress);
        if (!pose) continue;
        bytes += (*pose)->bytes();
        ++done;
    }
    return done;
}

} // namespace garland
