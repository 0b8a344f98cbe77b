// What can be written of the output clock: some frames, or moments about them.
#pragma once

#include "core/base/result.h"
#include "core/time/frames.h"

namespace garland {

// Errors: invalid, for a range without frames, a step below 1, frames beyond the limit, or samples of the shutter that
// cannot be; "nothing was written".
Result<void> validate(const FrameSteps& steps);

} // namespace garland
