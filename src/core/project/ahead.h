// Reading ahead in the direction of use: what the copies' own times will need next, not what the playhead passes.
#pragma once

#include "core/project/show.h"

namespace garland {

struct WantedFrame {
    SourceId source;
    std::int64_t file_frame = 0;
    bool operator==(const WantedFrame&) const = default;
};

// The stored frames that output frames t + step, t + 2·step … t + frames·step need and the cache does not have, in the
// order in which they are needed, each once, at most `most`. A reversed copy wants falling frames, a held one none.
std::vector<WantedFrame> wanted_next(const Show& show, OutputFrame t, double step, int frames, std::size_t most);

// Reads them into the cache one by one, while they take less than half of its limit together, so that nothing in use is
// pushed out. How many were read; stops when cancelled, and passes over frames that cannot be read.
std::size_t read_ahead(const Show& show, const std::vector<WantedFrame>& wanted, std::size_t cache_limit,
                       Progress& progress);

} // namespace garland
