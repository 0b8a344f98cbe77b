// Check: what is examined, and what was found.
#pragma once

#include "core/project/show.h"

#include <string>
#include <vector>

namespace garland {

enum class FindingKind {
    twins,
    clamped, // the source is shorter than the timing asks for
    missing, // missing source frames are in use
    seam,    // a repeat whose last pose does not lead to its first
    off_beat, // while the tempo grid is on: the end of a phrase that misses its beat
    nearest, // frames are asked for between whole ones that cannot be made: the nearest is shown
};

struct Finding {
    FindingKind kind;
    std::string words;                // "c03, c17 and 2 more show the same pose for 83 % of the time they move"
    std::vector<std::int64_t> copies; // numbers over the project, from 0
    std::int64_t frame = 0;           // an output frame at which it can be seen
    double share = 0;                 // twins: of the frames that count
};

struct Report {
    std::vector<Finding> findings;
    std::vector<std::string> examined; // what was looked at, and how, in words
    std::size_t count(FindingKind kind) const;
};

// Examines the whole output range, or an even sample of it where it is long (said in `examined`). Errors: cancelled.
Result<Report> check(const Show& show, Progress& progress = Progress::none());

const char* to_text(FindingKind kind);

} // namespace garland
