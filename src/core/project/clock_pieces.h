// A copy's clock as straight pieces: what formats hold that know nothing of timings, only of tables of times.
#pragma once

#include "core/project/show.h"

#include <vector>

namespace garland {

struct ClockPoint {
    double output = 0, source = 0; // frames
};

struct ClockPieces {
    // Straight between them; two points on one output frame are a jump from the first to the second. Where the copy is
    // not shown there may be none.
    std::vector<ClockPoint> points;
    struct Shown {
        double from = 0; // output frame
        bool shown = true;
    };
    std::vector<Shown> shown; // at least one, from the range's start on
    std::size_t jumps = 0;
    double worst = 0; // source frames: the largest difference from the clock that was seen while the pieces were made
};

// The clock of copy `copy` of the arrangement from output frame `from` to `to`. Straight pieces, and the corners
// between two of them, are met to rounding; curved ones within `tolerance` source frames (above 0). What a copy shows
// while phrases fade into each other is the outgoing phrase alone.
ClockPieces clock_pieces(const ArrangementShow& arrangement, std::size_t copy, double from, double to,
                         double tolerance);

// What formats of tables ask of an order. Errors: invalid, for an empty range, a tolerance that is not above 0 and at
// most 1, or a per_frame (poses between two file frames) outside 1 … 1000.
Result<void> valid_tables(FrameRange frames, double tolerance, int per_frame);

} // namespace garland
