// What a timing does at a moment, and what looks like a mistake in it, in words.
#pragma once

#include "core/time/timing_plan.h"

#include <string>
#include <vector>

namespace garland {

// "held at 15 for 10 frames, 4 left", "backward at 0.5×, in-between poses", "forward at 1.00×, fading from
// 52.5", "nothing shown". local: τ on the timing; rate: of the copy's own clock (frames are told in output frames).
std::string motion_words(const TimingPlan& plan, OutputFrame local, double rate = 1);

enum class WarningKind {
    clamped,  // asks for source frames that are not there; the nearest end is shown
    backward, // runs backward where the rest of the map runs forward
    jump,     // a position that changes from one frame to the next by more than the motion around it
};

struct MapWarning {
    WarningKind kind;
    OutputFrame first, last; // where it can be seen
    std::string words;       // "asks for source frames up to 132, but the source ends at 95"
};

// Over output frames `from` … `to`, at most 2000 of them looked at for clamps. low … high: the source's own range.
std::vector<MapWarning> warnings_of(const Timing& timing, SourceFrame low, SourceFrame high, OutputFrame from,
                                    OutputFrame to);

const char* to_text(WarningKind kind); // "clamped", "backward", "jump"

} // namespace garland
