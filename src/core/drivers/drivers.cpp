#include "core/base/measure.h"
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
    GARLAND_CHECK(within(joined({{{"the patch width of noise", r.noise.patch, -1e9, 1e9, "m"},
                                  {"how far a distance reaches", r.distance.reach, -1e9, 1e9, "m"}},
                                 parts("the drift of noise", r.noise.drift, "m/s"),
                                 parts("the axis of a gradient", r.gradient.axis, ""),
                                 parts("the point that distances are taken from", r.distance.centre)})));
    if (r.noise.patch <= 0)
        return fail(
            Error{ErrorCode::invalid, "a patch of noise must be wider than nothing"}.advise("use more than 0 m"));
    if (r.noise.detail < 1 || r.noise.detail > 8)
        return fail(Error{ErrorCode::invalid, "the detail of noise is 1 to 8"}.advise("use 1 to 8 octaves"));
    if (r.distance.reach < 0)
        return fail(Error{ErrorCode::invalid, "a distance reaches 0 or more"}.advise("use 0 m or more"));
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
