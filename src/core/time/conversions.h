// One timing in another of its forms. Nothing is lost silently: what could not be kept is counted and said.
#pragma once

#include "core/time/timing.h"

#include <string>

namespace garland {

struct Converted {
    Timing timing;
    double error = 0;        // the largest difference, in source frames, away from jumps; 0: exact to rounding
    std::int64_t jumps = 0;  // jumps that became runs of one frame: right on whole frames, not between them
    bool lost_fades = false; // cross-fades of phrases cannot be kept by keys
    std::string words;       // "exact", "within 0.004 source frames; 2 jumps became runs of one frame"
};

// Position keys. From speeds exact: a speed that changes evenly is a Hermite stretch with those slopes. From phrases
// exact, but for cross-fades. The span, its period and what comes before and after stay.
// Errors: too_large, for more keys than a map may have.
Result<Converted> to_positions(const Timing& timing);

// Speed keys, from any form. Straight stretches and even ramps are exact; cubic ones are followed by as many even ramps
// as keep within `tolerance` source frames, exact at every key. Errors: too_large; unsupported, for positions with a
// hidden stretch.
Result<Converted> to_speeds(const Timing& timing, double tolerance = 0.005);

} // namespace garland
