#include "core/time/speed_map.h"

#include "core/base/measure.h"
#include "core/base/numbers.h"

#include <cmath>
#include <fmt/format.h>
#include <limits>

namespace garland {

Result<void> validate(const SpeedMap& map) {
    GARLAND_CHECK(
        within({{"the source frame that a speed map starts from", map.from.value, -frame_limit, frame_limit, "f"}}));
    std::vector<OutputFrame> at;
    at.reserve(map.keys.size());
    for (const SpeedKey& key : map.keys) at.push_back(key.at);
    GARLAND_CHECK(validate_frames(at, "a speed map"));
    for (std::size_t i = 0; i < map.keys.size(); ++i) {
        const SpeedKey& key = map.keys[i];
        if (!std::isfinite(key.speed) || std::abs(key.speed) > speed_limit) // named only where it is wrong
            GARLAND_CHECK(
                within({{fmt::format("the speed of key {}", i + 1), key.speed, -speed_limit, speed_limit, "×"}}));
        if (key.toward != Toward::step && key.toward != Toward::linear) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("speed key {} must go on by step or linear", i + 1)}.advise(
                    "use one of them"));
        }
    }
    const auto parts = stretches(map);
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const Stretch& s = parts[i];
        const double end = s.c[0] + s.length * (s.c[1] + s.length * s.c[2]);
        if (!(std::abs(end) <= frame_limit)) {
            return fail(Error{ErrorCode::invalid, fmt::format("the speeds up to key {} lead beyond source frame {:.0f}",
                                                              i + 2, frame_limit)}
                            .advise("use lower speeds"));
        }
    }
    return {};
}

std::vector<Stretch> stretches(const SpeedMap& map) {
    std::vector<Stretch> result;
    double source = map.from.value;
    for (std::size_t i = 0; i + 1 < map.keys.size(); ++i) {
        const SpeedKey &a = map.keys[i], &b = map.keys[i + 1];
        Stretch s;
        s.start = a.at - map.first();
        s.length = b.at - a.at;
        s.c[0] = source;
        s.c[1] = a.speed;
        s.c[2] = a.toward == Toward::step ? 0 : (b.speed - a.speed) / (2 * s.length);
        s.low = -std::numeric_limits<double>::infinity();
        s.high = std::numeric_limits<double>::infinity();
        // The trapezoid, rather than the polynomial's value, so that symmetric ramps cancel exactly.
        source += s.length * (a.toward == Toward::step ? a.speed : 0.5 * (a.speed + b.speed));
        result.push_back(s);
    }
    return result;
}

} // namespace garland
