// The drivers "zone" and "sound": levels, which change from moment to moment (see copies/copy_levels.h). What they give
// at level 0 is all that is known without a time.
#include "core/drivers/driver_kinds.h"

namespace garland {

namespace {

DriverKind level_driver(Driver kind) {
    DriverKind k{kind, [](const DriverRule&, std::uint64_t, const DrivenCopies& copies) {
                     return each_copy(copies, [](std::size_t) { return 0.0; });
                 }};
    k.validate = [](const DriverRule& r) { return validate(r.level); };
    k.changes = [](const DriverRule&) { return true; };
    return k;
}

} // namespace

DriverKind zone_driver() {
    return level_driver(Driver::zone);
}

DriverKind sound_driver() {
    return level_driver(Driver::sound);
}

} // namespace garland
