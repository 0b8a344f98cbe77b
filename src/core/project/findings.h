// Check: what is examined, and what was found.
#pragma once

#include "core/project/show.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

enum class FindingKind {
    twins,
    clamped,       // the source is shorter than the timing asks for
    missing,       // missing source frames are in use
    seam,          // a repeat whose last pose does not lead to its first
    off_beat,      // while the tempo grid is on: the end of a phrase that misses its beat
    nearest,       // frames are asked for between whole ones that cannot be made: the nearest is shown
    pop,           // a hard edge of a zone at which poses jump
    never_reached, // copies that what plays them never reaches
    too_fast,      // copies played faster than drive_findings.h says
};

// A zone's edge that would do: metres from its inner to its outer distance.
struct ZoneEdgeFix {
    ZoneId zone;
    double edge = 0;
};

struct Finding {
    FindingKind kind;
    std::string words;                // "c03, c17 and 2 more show the same pose for 83 % of the time they move"
    std::vector<std::int64_t> copies; // numbers over the project, from 0
    std::int64_t frame = 0;           // an output frame at which it can be seen
    double share = 0;                 // twins: of the frames that count
    // What tells it from every other finding as long as its kind, arrangement and copies (twins) or phrase (off the
    // beat) are the same: "twins/3/5+9", "seam/3". Above eight copies their ids are hashed (XXH64).
    std::string key{};
    std::string reason{};                   // of those that are ignored: why
    std::optional<ZoneEdgeFix> zone_edge{}; // pop
};

struct Report {
    std::vector<Finding> findings; // without those that the project ignores
    std::vector<Finding> ignored;
    std::vector<std::string> examined; // what was looked at, and how, in words
    std::size_t count(FindingKind kind) const;
};

// Examines the whole output range, or an even sample of it where it is long (said in `examined`). Errors: cancelled.
Result<Report> check(const Show& show, Progress& progress = Progress::none());

// Ignores a finding from now on (again: with another reason), or reports it again. Errors: invalid for a finding
// without a key; not_found, where it is not ignored.
Result<void> ignore(Settings& settings, const Finding& finding, const std::string& reason);
Result<void> report_again(Settings& settings, const std::string& key);

const char* to_text(FindingKind kind);

} // namespace garland
