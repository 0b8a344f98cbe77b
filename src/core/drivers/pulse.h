// A pulse: a wave that lifts, turns, sizes or hides copies, each later by its own delay. It changes places, not source
// time.
#pragma once

#include "core/base/ids.h"
#include "core/drivers/wave.h"
#include "core/geometry/pose.h"

#include <string>

namespace garland {

struct Pulse {
    SpreadId id{};
    bool on = true;
    Wave wave{};
    V3d lift{0, 0, 0};  // scene units at full level
    double turn = 0;    // degrees about y at full level
    double size = 1;    // times the copy's own size at full level
    bool hides = false; // shown only while the level is above 0
    std::string extra{};
    bool operator==(const Pulse&) const = default;
};

// Errors: invalid, naming the field: those of the wave; a size not above 0; values that are not finite.
Result<void> validate(const Pulse& pulse);

} // namespace garland
