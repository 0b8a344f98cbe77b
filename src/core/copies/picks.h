// Step two of the way: the poses that are needed, each once, and which copy shows which.
#pragma once

#include "core/copies/copy_times.h"

#include <cstdint>
#include <span>
#include <vector>

namespace garland {

inline constexpr std::uint32_t no_pose = UINT32_MAX;

// One pose that is needed. While phrases fade into each other a second one is mixed in.
struct PosePick {
    SourceFrame frame;
    double weight = 0;   // of the other pose, 0 … 1; 0: there is none, and all below is 0
    SourceFrame other{}; // held inside the source's range
    // What the mixed pose's velocities are made of, for a copy's clock at rate 1: ds/dt of both, and of the weight.
    double speed = 0, other_speed = 0, weight_speed = 0;
    auto operator<=>(const PosePick&) const = default;
};

struct Picks {
    std::vector<PosePick> poses;       // distinct, rising
    std::vector<std::uint32_t> copies; // for every copy an index into poses, or no_pose where it is absent
};

// moments as copy_moments() gives them for the same plan and source.
Picks pick_poses(const TimingPlan& plan, const SourceClock& source, std::span<const CopyMoment> moments);

} // namespace garland
