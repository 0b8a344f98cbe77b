// A map played through another: M'(t) = M(w(t)), where w runs from output frames to the map's own output frames at a
// speed that changes evenly. Slowing, ramping and holding are warps.
#pragma once

#include "core/time/time_map.h"

#include <vector>

namespace garland {

// w over `length` output frames, its speed running evenly from `from` to `to`, both 0 or above.
struct WarpPart {
    double length = 0;
    double from = 1, to = 1;
    double moved() const { return length * 0.5 * (from + to); }
};

// The map from its first key on, played through the parts one after another; where they end before the map does, so
// does the result. Straight stretches stay exact under any part, cubic ones under parts of constant speed; cubic under
// changing speed are followed by Hermite stretches within 10⁻⁶ source frames. Slopes at the cuts stay as they were.
// Errors: invalid, when the parts are all empty; too_large.
Result<TimeMap> warped(const TimeMap& map, const std::vector<WarpPart>& parts);

} // namespace garland
