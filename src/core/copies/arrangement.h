// An arrangement: the rule that places copies, and everything that gives each copy its own time. A plain value.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/base/words.h"
#include "core/copies/spread.h"
#include "core/drivers/place_keys.h"
#include "core/drivers/playing.h"
#include "core/drivers/pulse.h"
#include "core/geometry/placement.h"
#include "core/geometry/pose.h"
#include "core/time/frames.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

enum class ArrangementKind {
    line,
    grid, // rows and columns
    box,  // rows, columns and layers
    ring,
    rings,   // one around the other, with as many copies a metre on each
    curve,   // even by length
    scatter, // on the faces of a source, even by area
    points,  // on the points of a source, as they move
};
inline constexpr Word<ArrangementKind> kind_words[] = {
    {"line", ArrangementKind::line},       {"grid", ArrangementKind::grid},    {"box", ArrangementKind::box},
    {"ring", ArrangementKind::ring},       {"rings", ArrangementKind::rings},  {"curve", ArrangementKind::curve},
    {"scatter", ArrangementKind::scatter}, {"points", ArrangementKind::points}};

enum class Facing {
    fixed,    // all copies turned alike
    along,    // the way the row, ring or curve runs
    outward,  // away from the arrangement's origin
    velocity, // the way what carries them moves; where nothing moves, as fixed
    target,   // toward a place, which may be keyed
    carrier,  // as the carrying point says: its attribute "direction", or its normal
};
inline constexpr Word<Facing> facing_words[] = {{"fixed", Facing::fixed},     {"along", Facing::along},
                                                {"outward", Facing::outward}, {"velocity", Facing::velocity},
                                                {"target", Facing::target},   {"carrier", Facing::carrier}};

enum class OrderBy { along, x, y, z, distance, random, attribute };
inline constexpr Word<OrderBy> order_words[] = {{"along", OrderBy::along},
                                                {"x", OrderBy::x},
                                                {"y", OrderBy::y},
                                                {"z", OrderBy::z},
                                                {"distance", OrderBy::distance},
                                                {"random", OrderBy::random},
                                                {"attribute", OrderBy::attribute}};
struct CopyOrder {
    OrderBy by = OrderBy::along; // along: as the rule places them
    bool reversed = false;
    V3d from{0, 0, 0};       // distance
    std::uint64_t seed = 1;  // random
    std::string attribute{}; // of the carrier
    bool operator==(const CopyOrder&) const = default;
};

// Seeded differences of where copies stand, by id.
struct Jitter {
    V3d position{0, 0, 0}; // up to so far along each axis either way; scene units
    double turn = 0;       // up to so much either way; degrees
    double size = 0;       // up to this share larger or smaller, 0 … 0.99
    std::uint64_t seed = 1;
    bool operator==(const Jitter&) const = default;
};

struct TargetKey { // of what copies face
    OutputFrame at;
    V3d place{0, 0, 0};
    Toward toward = Toward::linear;
    bool operator==(const TargetKey&) const = default;
};

enum class StartKind {
    with_shot, // the timing's own output frames
    at_birth,  // each copy's own time starts when its carrier is born
    at_frame,  // the timing starts at `start_frame`
    together,  // until start_frame every copy stands at the pose it will start from
};
inline constexpr Word<StartKind> start_words[] = {{"with the shot", StartKind::with_shot},
                                                  {"at birth", StartKind::at_birth},
                                                  {"at a frame", StartKind::at_frame},
                                                  {"together", StartKind::together}};

struct Variant {
    SourceId source{};
    double weight = 1;
    bool operator==(const Variant&) const = default;
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
inline constexpr Word<WobbleEnd> wobble_end_words[] = {
    {"never", WobbleEnd::never},   {"fade out", WobbleEnd::let_go}, {"freeze", WobbleEnd::stay},
    {"settle", WobbleEnd::settle}, {"let go", WobbleEnd::let_go},   {"stay", WobbleEnd::stay}}; // the last as earlier

// Seeded smooth noise on where a copy stands; see wobble.h.
struct Wobble {
    bool on = false;
    V3d position{0.1, 0.1, 0.1}; // up to so far along each axis either way; scene units
    V3d turn{0, 0, 0};           // up to so much either way about the copy's own x (pitch), y and z (bank); degrees
    double size = 0;             // up to this share larger or smaller, 0 … 0.99
    double rate = 1;             // changes a second
    std::uint64_t seed = 1;
    bool together = false; // all copies move alike
    WobbleEnd end = WobbleEnd::never;
    OutputFrame end_at{1};
    double ease = 12;             // output frames; let_go and settle
    V3d settle_position{0, 0, 0}; // offsets from the underlying place: scene units,
    V3d settle_turn{0, 0, 0};     // degrees,
    double settle_size = 0;       // a share
    bool operator==(const Wobble&) const = default;
};

// Errors: invalid, for values that are not finite or out of range.
Result<void> validate(const Wobble& wobble);

// What one arrangement took out of another: those copies, or that part of every copy. Places and everything that the
// other's spreads give are the other's, by construction; timing, wobble, own spreads and nudges come on top.
struct SingleOut {
    ArrangementId from{};
    std::vector<CopyId> copies{}; // rising; empty: all
    std::string part{};           // of the source, by name; empty: the whole of it
    bool operator==(const SingleOut&) const = default;
};

// Swags: a row hangs from post to post.
struct Swag {
    double sag = 0; // how far the middle of each hangs below its ends; scene units
    int every = 0;  // copies from one post of a garland to the next; 0: one swag over all
    bool operator==(const Swag&) const = default;
};

// The line that copies on a curve follow.
struct LayoutPath {
    std::vector<V3d> points{}; // from the origin
    bool closed = false;
    bool smooth = true; // a smooth curve through the points, else straight from one to the next
    double side = 0;    // how far to the right of it the copies stand, scene units
    bool operator==(const LayoutPath&) const = default;
};

// What carries copies that stand on a source.
struct Carrying {
    SourceId source{};
    TimingId timing{};      // points: when which of its frames carries; none: source frame = output frame
    double least_apart = 0; // scatter: no two copies nearer than this, scene units
    std::uint64_t seed = 1; // scatter
    bool operator==(const Carrying&) const = default;
};

// Where copies stand before anything is added to it. All kinds keep their numbers in one place, so that what was set
// for one is there again when the kind is changed back.
struct Layout {
    ArrangementKind kind = ArrangementKind::line;
    int count = 1;             // line, ring, curve, scatter; rings: of the innermost
    int columns = 1, rows = 1; // grid, box: columns run along x, rows along z; rings: rows is how many
    int layers = 1;            // box, upward
    double spacing = 1;        // between neighbours on a line, or within a grid's row; scene units
    double row_spacing = 1;    // grid, box; rings: from one to the next
    double layer_spacing = 1;  // box
    double radius = 1;         // ring; rings: of the innermost
    V3d origin{0, 0, 0};       // the middle; y is up. Of points and scatter: added
    double heading = 0;        // degrees about y, turns the arrangement as a whole
    Swag swag{};
    LayoutPath path{};
    Carrying carried{};
    bool operator==(const Layout&) const = default;
};

// Which way copies stand.
struct Attitude {
    Facing facing = Facing::fixed;
    std::vector<TargetKey> targets{}; // facing target; by output frame, strictly rising
    bool upright = true; // otherwise copies also follow slopes: facing along, velocity, outward and target, by pitch;
                         // facing their carrier, they stand on its normal, or follow its direction
    double bank = 0;     // facing velocity, not upright: this share of the lean in which a turn is in balance, 0 … 10
    double turn = 0;     // degrees about y, added to the facing of every copy
    bool operator==(const Attitude&) const = default;
};

// Factors over 0 … 1 of the order; empty: 1. The length is kept.
struct StretchAlong {
    KeyedCurve width{}, height{};
    bool operator==(const StretchAlong&) const = default;
};

// Which of several sources a copy shows.
struct Choice {
    std::vector<Variant> variants{}; // further sources; which one a copy shows goes by weight, or in turn
    double own_weight = 1;           // of the arrangement's own source among them
    bool in_turn = false;
    std::uint64_t seed = 1;
    bool operator==(const Choice&) const = default;
};

// When the copies' timing begins, and how often it goes round.
struct Beginning {
    StartKind kind = StartKind::with_shot;
    OutputFrame frame{1};
    int passes = 0; // of the timing's repeat in all, for every copy; 0: as the timing says
    bool hidden_before = false;
    bool operator==(const Beginning&) const = default;
};

// Frames given to single copies by hand.
struct ByHand {
    std::vector<Nudge> nudges{}; // by copy, rising
    KeyedCurve amount{};         // over output frames, 0 … 1; empty: 1
    bool operator==(const ByHand&) const = default;
};

struct Arrangement {
    ArrangementId id{};
    std::string name{};
    SourceId source{};
    TimingId timing{};
    bool hidden = false; // the whole arrangement; it has no copies then

    // ---- where
    Layout layout{};
    Attitude attitude{};
    std::vector<PlaceKey> place_keys{}; // of the arrangement as a whole, about its origin: place (scene units, added),
                                        // turn, size; of a single-out, each copy about its own place. Empty: still
    double size = 1;
    StretchAlong stretch{};
    Jitter jitter{};
    CopyOrder order{};

    // ---- what
    Choice choice{};
    std::optional<SingleOut> single_out{};
    std::vector<CopyId> hidden_copies{}; // rising

    // ---- when
    Beginning begins{};
    std::vector<Spread> spreads{};
    ByHand by_hand{};
    Wobble wobble{};
    Play play{};                 // what plays the copies besides their own clock
    std::vector<Pulse> pulses{}; // ids are those of spreads
    std::string extra{};         // unknown fields of the project file

    bool operator==(const Arrangement&) const = default;
};

inline constexpr int copy_limit = 100'000;         // in one arrangement
inline constexpr int bytes_a_copy = 400;           // what one takes in memory, at most, without its geometry
inline constexpr std::size_t path_limit = 100'000; // points

// Errors: invalid, for counts below 1, values that are not finite, a size that is not above 0, a curve without length;
// too_large above copy_limit, with what so many would take.
Result<void> validate(const Arrangement& arrangement);

// As the rule says; how many points or darts there really are is known only with the carrier.
std::int64_t copies_in(const Arrangement& arrangement);

bool is_carried(ArrangementKind kind); // scatter, points

// All copies in the rule's own order, for kinds without a carrier. The arrangement must be valid. A swag hangs as a
// parabola, the shape of a cord under a load spread evenly along the horizontal (common practice, no source).
std::vector<Placement> placements(const Arrangement& arrangement);

// A point of the arrangement's own space in the scene.
V3d to_scene(const Arrangement& arrangement, V3d p);
V3d from_scene(const Arrangement& arrangement, V3d p); // and the other way
// Degrees about y of a direction: 0 looks along +z, 90 along +x. 0 for a vertical one.
double heading_of(const V3d& direction);

// The cords that carry a garland, one a row, as polylines from post to post; none without sag. Of a curve: where its
// copies stand.
std::vector<std::vector<V3d>> cords(const Arrangement& arrangement);

const char* to_text(ArrangementKind kind);
const char* to_text(Facing facing);
const char* to_text(OrderBy by);
const char* to_text(StartKind start); // "with the shot", "at birth", "at a frame", "together"
const char* to_text(WobbleEnd end);   // "never", "fade out", "freeze", "settle"

} // namespace garland
