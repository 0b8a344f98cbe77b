// Step two of the way: the poses that are needed, each once, and which copy shows which.
#pragma once

#include "core/copies/copy_times.h"

#include <cstdint>
#include <span>
#include <vector>

namespace garland {

inline constexpr std::uint32_t no_pose = UINT32_MAX;

struct Picks {
    std::vector<SourceFrame> frames;   // distinct, rising
    std::vector<std::uint32_t> copies; // for every copy an index into frames, or no_pose where it is absent
};

Picks pick_poses(std::span<const CopyMoment> moments);

} // namespace garland
