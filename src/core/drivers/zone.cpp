#include "core/drivers/zone.h"

#include "core/base/numbers.h"
#include "core/geometry/path.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

bool usable(const V3d& v) {
    return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z) && v.length() < 1e9;
}

} // namespace

Result<void> validate(const Zone& z) {
    auto wrong = [&](std::string field, std::string advice) {
        return fail(Error{ErrorCode::invalid, fmt::format("zone \"{}\": {}", z.name, field)}.advise(std::move(advice)));
    };
    if (z.keys.empty()) return wrong("it has no key", "give it a place with one key at least");
    for (std::size_t i = 0; i < z.keys.size(); ++i) {
        const ZoneKey& k = z.keys[i];
        const std::string name = fmt::format("key {}", i + 1);
        if (!std::isfinite(k.at.value) || std::abs(k.at.value) > frame_limit)
            return wrong(name + " has an output frame that is not a number", "use an output frame");
        if (i > 0 && k.at <= z.keys[i - 1].at)
            return wrong(fmt::format("{} at output frame {} does not come after the one before it", name,
                                     short_number(k.at.value)),
                         "use rising output frames");
        if (!usable(k.place)) return wrong(name + " has a place that is not usable", "use numbers below 10⁹ m");
        if (!usable(k.turn) || k.turn.length() > 100'000)
            return wrong(name + " has a turn that is not usable", "use at most 100 000°");
        if (!std::isfinite(k.size) || k.size < 0 || k.size > 1e6)
            return wrong(fmt::format("{} has a size of {}×", name, short_number(k.size)), "use 0 to 1 000 000×");
        if (k.toward == Toward::free || k.toward == Toward::hidden)
            return wrong(name + " goes on in a way zones do not have", "use step, linear or smooth");
    }
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
            if (!usable(p)) return wrong("its path has a point that is not usable", "use numbers below 10⁹ m");
        }
        if (Path(z.path, z.path_closed, true).length() <= 0)
            return wrong("its path has no length", "give it two different points at least");
    }
    if ((z.ride == ZoneRide::part || z.ride == ZoneRide::particle) && !z.ride_source)
        return wrong("there is no source that it rides on", "choose a source");
    if (z.ride == ZoneRide::path && !(z.ride_first < z.ride_last))
        return wrong("it reaches its path's end before it starts", "use a last output frame after the first");
    if (!std::isfinite(z.inner) || !std::isfinite(z.outer) || std::abs(z.inner) > 1e9 || std::abs(z.outer) > 1e9)
        return wrong("an edge distance is not usable", "use numbers below 10⁹ m");
    if (z.outer < z.inner)
        return wrong(fmt::format("its outer distance is {} m, below the inner one of {} m", short_number(z.outer),
                                 short_number(z.inner)),
                     "use an outer distance that is at least the inner one");
    return validate(z.response, fmt::format("the response of zone \"{}\"", z.name), {0, 1, 0, 1});
}

std::vector<ZoneKey> with_key(const std::vector<ZoneKey>& keys, const ZoneKey& key) {
    std::vector<ZoneKey> out = keys;
    const auto at =
        std::lower_bound(out.begin(), out.end(), key.at, [](const ZoneKey& k, OutputFrame f) { return k.at < f; });
    if (at != out.end() && at->at == key.at) {
        *at = key;
    } else {
        out.insert(at, key);
    }
    return out;
}

const char* to_text(ZoneShape shape) {
    switch (shape) {
    case ZoneShape::ball: return "ball";
    case ZoneShape::box: return "box";
    case ZoneShape::cylinder: return "cylinder";
    case ZoneShape::wall: return "wall";
    case ZoneShape::tube: return "tube";
    case ZoneShape::mesh: return "mesh";
    }
    return "ball";
}

const char* to_text(ZoneRide ride) {
    switch (ride) {
    case ZoneRide::none: return "nothing";
    case ZoneRide::part: return "part";
    case ZoneRide::particle: return "particle";
    case ZoneRide::path: return "path";
    }
    return "nothing";
}

} // namespace garland
