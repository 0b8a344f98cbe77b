#include "core/drivers/driver_kinds.h"

#include <array>
#include <cmath>
#include <limits>

namespace garland {

const DriverKind& kind_of(Driver driver) {
    static const std::array kinds{chance_driver(),   order_step_driver(), order_total_driver(), order_loop_driver(),
                                  even_driver(),     even_space_driver(), noise_driver(),       gradient_driver(),
                                  distance_driver(), attribute_driver(),  zone_driver(),        sound_driver()};
    for (const DriverKind& k : kinds) {
        if (k.kind == driver) return k;
    }
    return kinds.front();
}

Result<void> validate(const DriverRule& r) {
    const V3d &drift = r.noise.drift, &axis = r.gradient.axis, &centre = r.distance.centre;
    for (double v : {r.noise.patch, drift.x, drift.y, drift.z, axis.x, axis.y, axis.z, centre.x, centre.y, centre.z,
                     r.distance.reach}) {
        if (!std::isfinite(v) || std::abs(v) > 1e9)
            return fail(ErrorCode::invalid, "a measure of a spread is not a usable number");
    }
    if (r.noise.patch <= 0) return fail(ErrorCode::invalid, "a patch of noise must be wider than nothing");
    if (r.noise.detail < 1 || r.noise.detail > 8) return fail(ErrorCode::invalid, "the detail of noise is 1 to 8");
    if (r.distance.reach < 0) return fail(ErrorCode::invalid, "a distance reaches 0 or more");
    const auto own = kind_of(r.kind).validate;
    return own ? own(r) : Result<void>{};
}

void stretch_to_one(std::vector<double>& values) {
    double low = std::numeric_limits<double>::infinity(), high = -low;
    for (double v : values) {
        if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
    }
    for (double& v : values) {
        if (std::isfinite(v)) v = high > low ? (v - low) / (high - low) : 0;
    }
}

const char* to_text(Driver driver) {
    return word_of(driver_words, driver);
}

} // namespace garland
