// What can be wrong where zones, pulses and sounds play copies.
#pragma once

#include "core/project/findings.h"

namespace garland {

// Copies never reached, edges so hard that copies pop, and copies that run faster than seen_speed_limit; appended.
// Says what it examined. frames: output frames, rising.
void add_drive_findings(const Show& show, const ArrangementShow& arrangement, const std::vector<double>& frames,
                        Report& report);

} // namespace garland
