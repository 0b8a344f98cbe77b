#include "core/time/frame_steps.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(const FrameSteps& steps) {
    const auto within = [](std::int64_t f) { return std::abs(static_cast<double>(f)) <= frame_limit; };
    if (!steps.range.valid() || steps.step < 1 || !within(steps.range.first) || !within(steps.range.last))
        return fail(Error{ErrorCode::invalid, "the range of frames to write ends before it starts"}
                        .advise("give the first frame first")
                        .keeping("nothing was written"));
    if (steps.shutter.valid()) return {};
    return fail(Error{ErrorCode::invalid,
                      fmt::format("{} samples over {}° of the shutter", steps.shutter.count, steps.shutter.angle)}
                    .keeping("nothing was written")
                    .advise("use 1 sample, or 3, 5 … 15 over 1° to 359°"));
}

} // namespace garland
