// What can be wrong with copies' time and places as they are, whatever made them so.
#pragma once

#include "core/project/findings.h"
#include "core/project/source_jumps.h"

namespace garland {

inline constexpr double pop_factor = 4;       // steps longer than so many usual ones are pops
inline constexpr double crowding_share = 0.5; // of the smaller one's box that two copies may share

// Jumps of time and place and of the sources themselves, copies that run backward though their timing runs forward,
// that run faster than seen_speed_limit, that are never seen, and sources joined frame for frame at another rate.
// Appended; says what it examined. frames: output frames, rising, by ones where `every`; otherwise jumps are not looked
// for. Errors: those of reading; cancelled.
Result<void> add_time_findings(const Show& show, const ArrangementShow& arrangement, const std::vector<double>& frames,
                               bool every, SourceJumps& jumps, Report& report, Progress& progress);

// Copies that stand in each other, at the range's first, middle and last frame.
Result<void> add_crowding(const Show& show, Report& report, Progress& progress);

} // namespace garland
