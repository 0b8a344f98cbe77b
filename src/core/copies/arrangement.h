// An arrangement: the rule that places copies, and everything that gives each copy its own time.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/copies/spread.h"
#include "core/geometry/pose.h"
#include "core/time/frames.h"

#include <string>
#include <vector>

namespace garland {

enum class ArrangementKind { line, grid, ring };

enum class Facing {
    fixed,   // all copies turned alike
    along,   // the way the row or ring runs
    outward, // away from the arrangement's origin
};

struct Nudge {
    CopyId copy;
    double frames = 0; // later; negative: ahead
    bool operator==(const Nudge&) const = default;
};

enum class WobbleEnd {
    never,
    let_go, // back to where the copy would be without it, over `ease` frames
    stay,   // where it was
    settle, // at a given place, over `ease` frames
};

// Seeded smooth noise on where a copy stands; see wobble.h.
struct Wobble {
    bool on = false;
    double position = 0.1; // up to so far along each axis; scene units
    double turn = 0;       // up to so much either way; degrees about y
    double size = 0;       // up to this share larger or smaller, 0 … 0.99
    double rate = 1;       // changes a second
    std::uint64_t seed = 1;
    bool together = false; // all copies move alike
    WobbleEnd end = WobbleEnd::never;
    OutputFrame end_at{1};
    double ease = 12;                // output frames; let_go and settle
    V3d settle_position{0, 0, 0};    // offsets from the underlying place: scene units,
    double settle_turn = 0;          // degrees,
    double settle_size = 0;          // a share
    bool operator==(const Wobble&) const = default;
};

// Errors: invalid, for values that are not finite or out of range.
Result<void> validate(const Wobble& wobble);

struct Arrangement {
    ArrangementId id{};
    std::string name{};
    SourceId source{};
    TimingId timing{};

    ArrangementKind kind = ArrangementKind::line;
    int count = 1;             // line and ring
    int columns = 1, rows = 1; // grid; columns run along x, rows along z
    double spacing = 1;        // between neighbours on a line, or within a grid's row; scene units
    double row_spacing = 1;    // grid
    double radius = 1;         // ring
    V3d origin{0, 0, 0};       // the middle; y is up
    double heading = 0;        // degrees about y, turns the arrangement as a whole
    double sag = 0;            // how far the middle of each swag hangs below its ends; scene units
    int swag = 0;              // copies from one post of a garland to the next; 0: one swag over all
    Facing facing = Facing::fixed;
    double turn = 0; // degrees about y, added to the facing of every copy
    double size = 1;

    std::vector<Spread> spreads{};
    std::vector<Nudge> nudges{}; // by copy, rising
    Wobble wobble{};
    std::string extra{};         // unknown fields of the project file

    bool operator==(const Arrangement&) const = default;
};

inline constexpr int copy_limit = 100'000; // in one arrangement

// Where one copy stands. `id` stays the same when counts change: line and ring, the place in order from 0; grid,
// row · 2²⁰ + column.
struct Placement {
    CopyId id;
    V3d position{0, 0, 0};
    double turn = 0; // degrees about y, counter-clockwise seen from above
    double size = 1;
};

// Errors: invalid, for counts below 1, values that are not finite, a size that is not above 0; too_large above
// copy_limit.
Result<void> validate(const Arrangement& arrangement);

std::int64_t copies_in(const Arrangement& arrangement);

// All copies in order. The arrangement must be valid. A swag hangs as a parabola, the shape of a cord under a load
// spread evenly along the horizontal (common practice, no source).
std::vector<Placement> placements(const Arrangement& arrangement);

// The cords that carry a garland, one a row, as polylines from post to post; none without sag.
std::vector<std::vector<V3d>> cords(const Arrangement& arrangement);

const char* to_text(ArrangementKind kind);
const char* to_text(Facing facing);
const char* to_text(WobbleEnd end); // "never", "let go", "stay", "settle"

} // namespace garland
