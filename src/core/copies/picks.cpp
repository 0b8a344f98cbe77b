#include "core/copies/picks.h"

#include <algorithm>

namespace garland {

namespace {

PosePick pick_of(const TimingPlan& plan, const SourceClock& source, const CopyMoment& moment) {
    const OutputFrame local(moment.local);
    PosePick pick{SourceFrame(moment.source)};
    const TimingPlan::Fading fading = plan.fading(local);
    if (fading.weight <= 0) return pick;
    const bool clamped = moment.has(mark_clamped_first) || moment.has(mark_clamped_last);
    pick.weight = fading.weight;
    pick.other = SourceFrame(std::clamp(fading.source, source.first.value, source.last().value));
    pick.speed = clamped ? 0 : plan.at(local).slope;
    pick.other_speed = pick.other.value == fading.source ? fading.slope : 0;
    pick.weight_speed = fading.weight_slope;
    return pick;
}

} // namespace

Picks pick_poses(const TimingPlan& plan, const SourceClock& source, std::span<const CopyMoment> moments) {
    Picks picks;
    std::vector<PosePick> own(moments.size());
    picks.poses.reserve(moments.size());
    for (std::size_t i = 0; i < moments.size(); ++i) {
        if (moments[i].has(mark_absent)) continue;
        own[i] = PosePick{SourceFrame(moments[i].source)};
        if (plan.fades()) own[i] = pick_of(plan, source, moments[i]);
        picks.poses.push_back(own[i]);
    }
    std::sort(picks.poses.begin(), picks.poses.end());
    picks.poses.erase(std::unique(picks.poses.begin(), picks.poses.end()), picks.poses.end());
    picks.copies.reserve(moments.size());
    for (std::size_t i = 0; i < moments.size(); ++i) {
        const auto at = std::lower_bound(picks.poses.begin(), picks.poses.end(), own[i]);
        picks.copies.push_back(moments[i].has(mark_absent) ? no_pose
                                                           : static_cast<std::uint32_t>(at - picks.poses.begin()));
    }
    return picks;
}

} // namespace garland
