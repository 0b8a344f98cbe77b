// What one does to a timing, as a value: the same for buttons, menus, the command line and tests. Each gives a new
// timing and says in words what it did; none leaves a timing invalid.
#pragma once

#include "core/time/timing.h"

#include <optional>
#include <string>

namespace garland {

enum class OperationKind {
    hold,     // the pose at `at` for `frames`; the rest later (or, absorbing, faster, so that the end stays)
    freeze,   // the pose at `at` from there on
    reverse,  // output frames p … q mirrored: M'(t) = M(p + q − t)
    fit,      // source first … last onto output p … q, at one speed
    speed,    // p … q played `speed` times as fast; the rest earlier or later
    slow,     // `speed` between p and q, with ramps of `frames` before p and after q; the rest later
    ramp,     // from `from_speed` (usually full speed) at p evenly to `speed` at q, and so on from there
    start,    // the first pose held until `at`, then all of it
    trim,     // only p … q is kept
    lengthen, // goes on at the end as it goes there, until `source_last` is shown (backward: `source_first`)
    hide,     // nothing is shown at p … q, both included
};

struct OutputSpan {
    OutputFrame first, last;
    bool operator==(const OutputSpan&) const = default;
};

struct Operation {
    OperationKind kind = OperationKind::hold;
    OutputFrame at{1};
    double frames = 12;
    bool absorb = false;                       // hold
    std::optional<OutputSpan> range{};         // p … q; unset: the whole timing
    SourceFrame source_first{}, source_last{}; // fit
    double speed = 1;
    double from_speed = 1; // ramp: where it begins, 0 … 1000
    // Where `at` or the range lies in a repeat, its passes are written out first (unroll.h), at least as far as this.
    std::optional<OutputFrame> through{};
};

struct Operated {
    Timing timing;
    std::string words; // what was done, as it stands in the undo list: "Hold source frame 15 for 10 frames at output
                       // frame 15"
    std::string note;  // what else changed: "the phrases became keys"; empty: nothing
};

// Position keys stay position keys. A speed map stays one where the result can be kept exactly, otherwise it becomes
// position keys, and the note says so; phrases stay phrases for reverse, speed and start of the whole, otherwise they
// become keys. With a slider, all but fit work on the slider.
// Errors: invalid, for ranges that end before they start or hold less than the operation needs, frames or speeds out of
// range (a hold above 0, a speed above 0 and up to 1000, ramps of 0 or more), not finite; too_large.
Result<Operated> operate(const Timing& timing, const Operation& operation);

const char* to_text(OperationKind kind); // "hold", "freeze", …

} // namespace garland
