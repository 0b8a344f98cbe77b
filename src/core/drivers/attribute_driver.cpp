#include "core/base/numbers.h"
#include "core/drivers/driver_kinds.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>

namespace garland {

DriverKind attribute_driver() {
    DriverKind k{Driver::attribute, [](const DriverRule& r, std::uint64_t, const DrivenCopies& copies) {
                     DriverValues out;
                     if (copies.carried) out.values = copies.carried(r.carrier.attribute);
                     const std::string& name = r.carrier.attribute;
                     const std::size_t all = copies.places.size();
                     if (all == 0) return out;
                     if (out.values.empty()) {
                         out.note = fmt::format(
                             "what carries the copies has no attribute \"{}\": all take the first value", name);
                         out.values.assign(all, std::numeric_limits<double>::quiet_NaN());
                         return out;
                     }
                     const auto missing = std::count_if(out.values.begin(), out.values.end(),
                                                        [](double v) { return !std::isfinite(v); });
                     if (missing > 0) {
                         out.note = fmt::format("{} of {} {} no \"{}\" and {} the first value", missing,
                                                counted(static_cast<long long>(all), "copy", "copies"),
                                                missing == 1 ? "has" : "have", name, missing == 1 ? "takes" : "take");
                     }
                     if (!r.carrier.as_it_is) stretch_to_one(out.values);
                     return out;
                 }};
    k.validate = [](const DriverRule& r) -> Result<void> {
        if (!r.carrier.attribute.empty()) return {};
        return fail(Error{ErrorCode::invalid, "a spread by attribute needs the attribute's name"}.advise(
            "name one that the carrying points have"));
    };
    return k;
}

} // namespace garland
