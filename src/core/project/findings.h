// Check: what is examined, and what was found.
#pragma once

#include "core/project/show.h"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace garland {

inline constexpr double seen_speed_limit =
    8; // source frames per output frame, above which a motion is not seen any more

enum class FindingKind {
    twins,
    clamped,       // the source is shorter than the timing asks for
    missing,       // missing source frames are in use
    seam,          // a repeat whose last pose does not lead to its first
    off_beat,      // while the tempo grid is on: the end of a phrase that misses its beat
    nearest,       // frames are asked for between whole ones that cannot be made: the nearest is shown
    pop,           // poses or places jump: hard edges of zones, step keys, borders of phrases
    never_reached, // copies that what plays them never reaches
    too_fast,      // copies run faster than is seen
    backward,      // copies' own time runs backward though the timing runs forward
    never_seen,    // copies absent over the whole range
    rates,         // a source of another rate joined frame for frame
    crowding,      // copies that stand in each other; only where asked for
    size,          // a hand-off that the disk has no room for; only where one is asked about
};

class SourceJumps; // source_jumps.h

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
    std::optional<SourceId> match_rates{};  // rates: the source that could be joined by clock
};

struct Report {
    std::vector<Finding> findings; // without those that the project ignores
    std::vector<Finding> ignored;
    std::vector<std::string> examined; // what was looked at, and how, in words
    std::size_t count(FindingKind kind) const;
};

// Examines the whole output range, or an even sample of it where it is long (said in `examined`). Errors: cancelled.
struct CheckOptions {
    bool crowding = false; // also look for copies that stand in each other
    struct Space {         // of a hand-off that is planned
        std::string what, where;
        double bytes = 0, free = -1; // free: −1 unknown
    };
    std::optional<Space> space{};
    std::shared_ptr<SourceJumps> jumps{}; // what earlier checks found in the sources; none: it is looked for anew
};
Result<Report> check(const Show& show, Progress& progress = Progress::none(), const CheckOptions& options = {});

// Ignores a finding from now on (again: with another reason), or reports it again. Errors: invalid for a finding
// without a key; not_found, where it is not ignored.
Result<void> ignore(Settings& settings, const Finding& finding, const std::string& reason);
Result<void> report_again(Settings& settings, const std::string& key);

const char* to_text(FindingKind kind);
const char* title_of(FindingKind kind); // "Past the source's end"
inline constexpr FindingKind finding_kinds[] = {
    FindingKind::twins,    FindingKind::clamped,  FindingKind::missing,    FindingKind::seam,
    FindingKind::off_beat, FindingKind::nearest,  FindingKind::pop,        FindingKind::never_reached,
    FindingKind::too_fast, FindingKind::backward, FindingKind::never_seen, FindingKind::rates,
    FindingKind::crowding, FindingKind::size};

} // namespace garland
