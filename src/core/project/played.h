// What plays a copy besides its own clock, at one output frame, in numbers: for trace and tables.
#pragma once

#include "core/project/show.h"

#include <optional>

namespace garland {

// When a copy's level is above the threshold, in its own output frames (before its delay); rising. Empty where entries
// mean nothing: a level that is no zone's and starts nothing.
using Visits = std::vector<CopyPlaying::Visit>;
Visits visits_of(const ArrangementShow& arrangement, std::size_t copy);

struct Played {
    double level = 0;                 // 0 … 1
    bool from_beginning = false;      // inside ever since
    bool never = false;               // it is never entered
    bool yet_to_come = false;         // `entered` is the first entry, after this frame
    std::optional<double> entered{};  // the last entry at or before the frame; output frames
    std::optional<double> left{};     // when that visit ends, before or after the frame
    std::optional<double> run_time{}; // how long its clock has run, output frames; plays by starts or speed
};
// The arrangement must be played by something. delay and local: the copy's at that frame.
Played played_at(const ArrangementShow& arrangement, std::size_t copy, OutputFrame t, double delay, double local,
                 const Visits& visits);

} // namespace garland
