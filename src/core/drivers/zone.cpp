#include "core/drivers/zone.h"

#include "core/base/numbers.h"
#include "core/drivers/place_limits.h"
#include "core/geometry/path.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(const Zone& z) {
    auto wrong = [&](std::string field, std::string advice) {
        return fail(Error{ErrorCode::invalid, fmt::format("zone \"{}\": {}", z.name, field)}.advise(std::move(advice)));
    };
    if (z.keys.empty()) return wrong("it has no key", "give it a place with one key at least");
    GARLAND_CHECK(validate(z.keys, fmt::format("zone \"{}\"", z.name)));
    const V3d& s = z.size;
    const bool flat = !usable(s) || s.x < 0 || s.y < 0 || s.z < 0;
    const bool sized = z.shape != ZoneShape::wall && z.shape != ZoneShape::mesh;
    const bool no_height = z.shape == ZoneShape::box || z.shape == ZoneShape::cylinder ? s.y <= 0 : false;
    if (sized && (flat || s.x <= 0 || no_height || (z.shape == ZoneShape::box && s.z <= 0)))
        return wrong(fmt::format("its size is {} × {} × {} m", short_number(s.x), short_number(s.y), short_number(s.z)),
                     "use more than 0 m");
    if (z.shape == ZoneShape::mesh && !z.mesh) return wrong("it has no source for its shape", "choose a source");
    if (z.shape == ZoneShape::tube || z.ride == ZoneRide::path) {
        for (const V3d& p : z.path) {
            if (!usable(p))
                return wrong("its path has a point that is not a number below 10⁹ m", "use numbers below 10⁹ m");
        }
        if (Path(z.path, z.path_closed, true).length() <= 0)
            return wrong("its path has no length", "give it two different points at least");
    }
    if ((z.ride == ZoneRide::part || z.ride == ZoneRide::particle) && !z.ride_source)
        return wrong("there is no source that it rides on", "choose a source");
    if (z.ride == ZoneRide::path && !(z.ride_first < z.ride_last))
        return wrong("it reaches its path's end before it starts", "use a last output frame after the first");
    if (!std::isfinite(z.inner) || !std::isfinite(z.outer) || std::abs(z.inner) > 1e9 || std::abs(z.outer) > 1e9)
        return wrong("an edge distance is not a length below 10⁹ m", "use numbers below 10⁹ m");
    if (z.outer < z.inner)
        return wrong(fmt::format("its outer distance is {} m, below the inner one of {} m", short_number(z.outer),
                                 short_number(z.inner)),
                     "use an outer distance that is at least the inner one");
    return validate(z.response, fmt::format("the response of zone \"{}\"", z.name), {0, 1, 0, 1});
}

const char* to_text(ZoneShape shape) {
    return word_of(zone_shape_words, shape);
}

const char* to_text(ZoneRide ride) {
    return word_of(zone_ride_words, ride);
}

} // namespace garland
