// Where a source nearly repeats.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/loop/pose_distance.h"

#include <optional>

namespace garland {

struct LoopWish {
    std::int64_t shortest = 12, longest = 0; // frames; longest 0: as long as there are frames
    std::int64_t settle = 0;                 // frames at the source's start that are not looked at
    std::int64_t around = 2; // frames on both sides that must be alike as well, so that the direction counts
    std::int64_t before = 0; // frames that must be there before the start, for a fade to reach back over
    int most = 12;           // candidates
};

struct LoopCandidate {
    std::int64_t start = 0, length = 0; // file frames
    double score = 0; // the distances of the frames around the start from those around the end, root mean square
    double gap = 0;   // from the pose after the wrap to the one it should follow: D(start, start + length)
    double steps = 0; // the gap in usual steps from frame to frame of this range
    bool operator==(const LoopCandidate&) const = default;
};

// The best first; of candidates whose start and length both differ by less than `around` + 2 frames the best one only.
// A source that moves too little to tell (no step) has none. Memory grows with `most` and `around`, not with the
// frames. Error: cancelled.
Result<std::vector<LoopCandidate>> find_loops(const FrameMatrix& matrix, const LoopWish& wish,
                                              Progress& progress = Progress::none());

// A source that loops as it is, the usual way loops are delivered: the pose after its last frame is its first, as the
// next step would have it (frames 0 … 59 of a motion of 60), or its last pose is its first already.
struct OwnLoop {
    std::int64_t period = 0;    // frames after which it is there again
    bool last_is_first = false; // the last pose is the first once more
    double step = 0, usual = 0; // from the last frame to the first, and from frame to frame
};
std::optional<OwnLoop> own_loop(const FrameMatrix& matrix);

} // namespace garland
