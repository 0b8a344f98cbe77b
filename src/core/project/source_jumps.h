// Where sources themselves jump, whatever is done with their time.
#pragma once

#include "core/project/show.h"

#include <map>
#include <mutex>
#include <vector>

namespace garland {

inline constexpr double most_points_read = 1e8;    // points times frames of a source that is read for this
inline constexpr std::size_t most_jumps_told = 12; // of one source, the farthest ones

// Remembers what it found: a source is read once, however often it is asked for. Safe to use from several threads.
class SourceJumps {
  public:
    // From source frame `frame` to the next: more than pop_factor times the source's usual step and the steps on both
    // sides of it, and more than a thousandth of its box.
    struct Jump {
        double frame = 0, gap = 0, times = 0; // gap: metres; times: usual steps, 0 where it usually stands still
    };
    struct Found {
        std::vector<Jump> jumps{}; // by frame
        bool looked = false;       // false: a volume, larger than most_points_read, or a frame cannot be read
    };
    // Reads every frame of the source, once. Errors: cancelled.
    Result<Found> of(const ArrangementShow& arrangement, Progress& progress);

  private:
    std::mutex lock_;
    std::map<std::uint64_t, Found> known_; // by Sampler::identity
};

} // namespace garland
