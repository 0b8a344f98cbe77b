#include "core/drivers/chance_driver.h"

#include "core/base/chance.h"
#include "core/drivers/driver_kinds.h"

namespace garland {

double chance_of(const DriverRule& r, std::uint64_t salt, CopyId copy) {
    double u = chance(r.seed, salt, copy.value);
    if (!r.bell) return u;
    for (std::uint64_t k = 1; k < 4; ++k) u += chance(r.seed + k * 0x9e3779b97f4a7c15u, salt, copy.value);
    return u / 4;
}

DriverKind chance_driver() {
    return {Driver::chance, [](const DriverRule& r, std::uint64_t salt, const DrivenCopies& copies) {
                return each_copy(copies, [&](std::size_t i) { return chance_of(r, salt, copies.places[i].id); });
            }};
}

} // namespace garland
