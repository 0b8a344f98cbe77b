// A speed map: speed keys over output frames. The source frame is the integral of speed, never frame times speed.
#pragma once

#include "core/time/time_map.h"

namespace garland {

struct SpeedKey {
    OutputFrame at;
    double speed = 1; // source frames per output frame; below 0: backward
    // Towards the next key: step keeps the speed, linear runs evenly to the next key's. Nothing else is allowed here.
    Toward toward = Toward::linear;
    bool operator==(const SpeedKey&) const = default;
};

struct SpeedMap {
    SourceFrame from{};         // shown at the first key
    std::vector<SpeedKey> keys; // by output frame, strictly rising
    bool operator==(const SpeedMap&) const = default;

    OutputFrame first() const { return keys.empty() ? OutputFrame(0) : keys.front().at; }
    OutputFrame last() const { return keys.empty() ? OutputFrame(0) : keys.back().at; }
};

inline constexpr double speed_limit = 1e6; // source frames per output frame, either way

// Errors: invalid, naming the key, as for a time map; and a speed beyond ±speed_limit or a toward that is neither step
// nor linear.
Result<void> validate(const SpeedMap& map);

// s(t) = from + ∫ v between the keys, in closed form: one quadratic a stretch, so a ramp from 0 to 1 over 100 frames
// shows 12.5 at 50 and ends at 50. One fewer than keys; `start` counts from the first key.
std::vector<Stretch> stretches(const SpeedMap& map);

} // namespace garland
