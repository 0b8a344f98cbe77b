// What can be wrong where zones, pulses and sounds play copies.
#pragma once

#include "core/project/findings.h"

namespace garland {

inline constexpr double played_speed_limit =
    8; // source frames per output frame, above which a motion is not seen any more

// Copies never reached, edges so hard that copies pop, and copies that run faster than played_speed_limit; appended.
// Says what it examined. frames: output frames, rising.
void add_drive_findings(const Show& show, const ArrangementShow& arrangement, const std::vector<double>& frames,
                        Report& report);

} // namespace garland
