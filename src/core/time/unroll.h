// A repeat written out: the passes that a timing plays beyond its span, as keys of the span itself, so that one of them
// can be changed without the others.
#pragma once

#include "core/time/timing.h"

#include <cstdint>

namespace garland {

struct Unrolled {
    Timing timing;
    std::int64_t before = 0, after = 0; // passes written out in front of the span, and behind it
};

inline bool folds(const Outside& side) {
    return side.mode == OutsideMode::repeat || side.mode == OutsideMode::there_and_back;
}

inline constexpr double unroll_sliver = 0x1p-10; // output frames

// The timing, kept in position keys without a slider, with as many passes of its repeats written out as reach
// over `first` … `last`. A repeat with a count is written out whole, and its last pose held; an endless one goes on
// repeating all that was written out. Shows the same source frame at every output frame, before and after; but where a
// seamless loop wraps (its last pose is its first), the pose stays for the last unroll_sliver of the pass, since two
// keys cannot stand on one frame. A timing that neither repeats nor turns where it is asked for comes back unchanged.
// Errors: too_large, for more keys than a map may have; unsupported, for a there-and-back with steps between whole
// frames.
Result<Unrolled> unrolled(const Timing& timing, OutputFrame first, OutputFrame last);

} // namespace garland
