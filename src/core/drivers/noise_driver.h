// The driver "noise": smooth noise over space, whose pattern may drift.
#pragma once

#include "core/drivers/driver.h"

namespace garland {

// Noise at a place, `seconds` into the drift.
struct DriftingNoise {
    double value = 0, rate = 0; // 0 … 1; a second
};
DriftingNoise noise_of(const DriverRule& rule, std::uint64_t salt, const V3d& place, double seconds);

} // namespace garland
