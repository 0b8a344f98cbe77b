// Twins: copies that show the same pose at the same moment for too much of the range.
#pragma once

#include "core/base/progress.h"
#include "core/copies/copy_times.h"

#include <cstdint>
#include <span>
#include <vector>

namespace garland {

struct TwinRule {
    double alike_below = 0.5; // source frames: two copies are alike at a moment when they differ by less
    double share = 0.5;       // twins are alike for more than this share of the range
    double period = 0;        // above 0: the source frames are a loop of this length, and differences go round it
    int most_samples = 240;   // a longer range is sampled at this many frames, evenly
    bool only_moving = true;  // frames at which a copy stands still (it waits, is held, has finished) do not count for
                              // it, and the share is of the frames at which any copy moves
};

// Copies that are twins of one another, directly or through others.
struct TwinGroup {
    std::vector<std::uint32_t> copies; // indices, rising; at least two
    double share = 0; // the largest share of the range for which two of them are alike (among very many: found to be)
    std::int64_t first_alike = 0; // the first output frame at which that pair is alike
};

struct TwinReport {
    std::vector<TwinGroup> groups; // largest share first
    std::int64_t samples = 0;      // output frames examined
    std::int64_t copies = 0;
    std::size_t twin_copies() const;
};

// Examines all pairs over the output range. Exact for the sampled frames: a pair that is alike for more than `share` of
// m samples is alike in at least one of any m − floor(share·m) of them, so only those are searched for candidates, and
// each candidate is then counted over all m; for shares of a half and above the search is that of have_twins. Copies
// that agree at every sample are joined before the search. Errors: cancelled.
Result<TwinReport> find_twins(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies,
                              FrameRange range, const TwinRule& rule, Progress& progress = Progress::none());

// For every copy whether it has a twin, 1 or 0; faster than finding all of them. Exact for the sampled frames where
// rule.share ≥ 0.5: two copies alike at more than half of m samples are alike at both samples of one of m/2 pairs, so
// only neighbours in a grid over two samples far apart are compared (below 0.5 find_twins does it). Errors: cancelled.
Result<std::vector<std::uint8_t>> have_twins(const TimingPlan& plan, const SourceClock& source,
                                             const CopyClocks& copies, FrameRange range, const TwinRule& rule,
                                             Progress& progress = Progress::none());

// How many copies have a twin among their `k` nearest (nearest_copies), at most rule.most_samples frames looked at.
// Errors: cancelled.
Result<std::int64_t> near_twins(const TimingPlan& plan, const SourceClock& source, const CopyClocks& copies,
                                FrameRange range, const TwinRule& rule, std::span<const std::uint32_t> near,
                                std::size_t k, Progress& progress = Progress::none());

// How many copies of a loop of `period` frames can differ by delay alone.
std::int64_t capacity(double period, double alike_below);

} // namespace garland
