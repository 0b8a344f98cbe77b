// A zone: a shape in space, keyed or still, whose level is 1 inside and 0 outside, with an edge between. A plain value.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/base/words.h"
#include "core/drivers/place_keys.h"
#include "core/time/frames.h"
#include "core/time/keyed_curve.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

enum class ZoneShape {
    ball,     // size.x: its diameter
    box,      // size: width, height, depth
    cylinder, // upright; size.x: its diameter, size.y: its height
    wall,     // everything behind a plane that faces +z
    tube,     // along `path`; size.x: its diameter
    mesh,     // the closed surface of a source's first pose; size is not used
};
inline constexpr Word<ZoneShape> zone_shape_words[] = {{"ball", ZoneShape::ball},         {"box", ZoneShape::box},
                                                       {"cylinder", ZoneShape::cylinder}, {"wall", ZoneShape::wall},
                                                       {"tube", ZoneShape::tube},         {"mesh", ZoneShape::mesh}};

// Of a zone: its place, its turn, and a factor of the shape's own size (0: a zone that has shrunk away).
using ZoneKey = PlaceKey;

// What takes a zone along; its keys are added.
enum class ZoneRide {
    none,
    part,     // a keyed part or piece of a source, by name: place and turn
    particle, // a point of a source, by id
    path,     // along `path`, from its start at `ride_first` to its end at `ride_last`
};
inline constexpr Word<ZoneRide> zone_ride_words[] = {
    {"nothing", ZoneRide::none}, {"part", ZoneRide::part}, {"particle", ZoneRide::particle}, {"path", ZoneRide::path}};

struct Zone {
    ZoneId id{};
    std::string name{};
    bool on = true;
    ZoneShape shape = ZoneShape::ball;
    V3d size{2, 2, 2};       // scene units
    SourceId mesh{};         // shape mesh
    std::vector<V3d> path{}; // shape tube, and riding along a path; scene units
    bool path_closed = false;
    std::vector<ZoneKey> keys{ZoneKey{OutputFrame(1)}}; // by output frame, strictly rising; at least one

    ZoneRide ride = ZoneRide::none;
    SourceId ride_source{};
    std::string ride_part{};
    std::int64_t ride_particle = 0;
    OutputFrame ride_first{1}, ride_last{240};

    double inner = 0;      // from the shape's surface, positive outward; scene units: the level is 1 up to here
    double outer = 1;      // the level is 0 from here on; not below inner
    KeyedCurve response{}; // of the way from outer (0) to inner (1); empty: straight
    bool inverted = false; // 1 minus the level
    std::string extra{};   // unknown fields of the project file

    bool operator==(const Zone&) const = default;
};

inline constexpr std::size_t zone_limit = 1000; // in a project

// Errors: invalid, naming the zone and the field: no keys, keys out of order, sizes below 0, an outer distance below
// the inner one, a tube or a ride along a path without a path of any length, values that are not finite.
Result<void> validate(const Zone& zone);

const char* to_text(ZoneShape shape);
const char* to_text(ZoneRide ride);

} // namespace garland
