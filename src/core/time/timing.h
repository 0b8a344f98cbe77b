// A timing: the rule from output frame to source frame, with what it does outside its own span.
#pragma once

#include "core/base/ids.h"
#include "core/time/time_map.h"

#include <string>

namespace garland {

enum class OutsideMode {
    hold,           // the nearest end's pose
    repeat,         // the span again and again; period last − first + 1 output frames
    there_and_back, // forward, backward, forward …; period 2·(last − first)
    run_on,         // on with the slope of the nearest end
    absent,         // nothing is shown
};

// What a timing does before or after its span.
struct Outside {
    OutsideMode mode = OutsideMode::hold;
    // repeat and there_and_back: further passes beyond the span itself; after them the last pose is held. 0: endless.
    int count = 0;
    bool operator==(const Outside&) const = default;
};

struct Timing {
    TimingId id{};
    std::string name{};
    TimeMap map{};
    Outside before{};
    Outside after{};
    // The span's last pose is its first again, so a repeat's period is last − first, not one more.
    bool last_is_first = false;
    // there_and_back shows each turning frame twice: period 2·(last − first + 1).
    bool turn_twice = false;
    std::string extra{}; // fields of the project file that this version does not know, as JSON text; kept as they are
    bool operator==(const Timing&) const = default;
};

// Errors: those of the map, and invalid for a negative count or one above 10⁹.
Result<void> validate(const Timing& timing);

// The number of output frames after which a repeat starts over, as the mode and the two switches say.
double pass_length(const Timing& timing, OutsideMode mode);

// A timing that plays source frames first…last at speed 1 from output frame `start`.
TimeMap plain_map(OutputFrame start, SourceFrame first, SourceFrame last);

const char* to_text(OutsideMode mode); // "hold", "repeat", "there-and-back", "run on", "absent"

} // namespace garland
