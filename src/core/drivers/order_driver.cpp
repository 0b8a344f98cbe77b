#include "core/drivers/order_driver.h"

#include "core/drivers/driver_kinds.h"

namespace garland {

namespace {

template <auto value>
DriverValues by_order(const DriverRule&, std::uint64_t, const DrivenCopies& copies) {
    const auto count = static_cast<std::int64_t>(copies.places.size());
    return each_copy(copies, [&](std::size_t i) { return value(static_cast<std::int64_t>(i), count); });
}

double step(std::int64_t index, std::int64_t) {
    return static_cast<double>(index);
}

} // namespace

double order_total_of(std::int64_t index, std::int64_t count) {
    return count > 1 ? static_cast<double>(index) / (static_cast<double>(count) - 1) : 0;
}

double order_loop_of(std::int64_t index, std::int64_t count) {
    return count > 0 ? static_cast<double>(index) / static_cast<double>(count) : 0;
}

DriverKind order_step_driver() {
    return {Driver::order_step, by_order<step>};
}

DriverKind order_total_driver() {
    return {Driver::order_total, by_order<order_total_of>};
}

DriverKind order_loop_driver() {
    return {Driver::order_loop, by_order<order_loop_of>};
}

} // namespace garland
