#include "core/drivers/pulse.h"

#include "core/base/numbers.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(const Pulse& p) {
    auto wrong = [](std::string field, std::string advice) {
        return fail(Error{ErrorCode::invalid, "a pulse: " + field}.advise(std::move(advice)));
    };
    GARLAND_CHECK(validate(p.wave, "a pulse"));
    if (!std::isfinite(p.lift.length()) || p.lift.length() > 1e9)
        return wrong("its lift is not a length below 10⁹ m", "use metres");
    if (!std::isfinite(p.turn) || std::abs(p.turn) > 36'000)
        return wrong("its turn is not an angle within ±36 000°", "use at most 36 000°");
    if (!std::isfinite(p.size) || p.size <= 0 || p.size > 1000)
        return wrong(fmt::format("its size is {}×", short_number(p.size)), "use more than 0× and at most 1000×");
    return {};
}

} // namespace garland
