#include "core/copies/picks.h"

#include <algorithm>

namespace garland {

Picks pick_poses(std::span<const CopyMoment> moments) {
    Picks picks;
    picks.frames.reserve(moments.size());
    for (const CopyMoment& m : moments) {
        if (!m.has(mark_absent)) picks.frames.push_back(SourceFrame(m.source));
    }
    std::sort(picks.frames.begin(), picks.frames.end());
    picks.frames.erase(std::unique(picks.frames.begin(), picks.frames.end()), picks.frames.end());
    picks.copies.reserve(moments.size());
    for (const CopyMoment& m : moments) {
        const auto at = std::lower_bound(picks.frames.begin(), picks.frames.end(), SourceFrame(m.source));
        picks.copies.push_back(m.has(mark_absent) ? no_pose : static_cast<std::uint32_t>(at - picks.frames.begin()));
    }
    return picks;
}

} // namespace garland
