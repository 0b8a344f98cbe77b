// The kinds of drivers, one function a file; listed by drivers.cpp.
#pragma once

#include "core/base/parallel.h"
#include "core/drivers/driver.h"

namespace garland {

DriverKind chance_driver();
DriverKind order_step_driver();
DriverKind order_total_driver();
DriverKind order_loop_driver();
DriverKind even_driver();
DriverKind even_space_driver();
DriverKind noise_driver();
DriverKind gradient_driver();
DriverKind distance_driver();
DriverKind attribute_driver();
DriverKind zone_driver();
DriverKind sound_driver();

// One value a copy, by its number in order, on the shared pool.
template <class Function>
DriverValues each_copy(const DrivenCopies& copies, const Function& value) {
    DriverValues out;
    out.values.resize(copies.places.size());
    parallel_for(out.values.size(), 4096, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) out.values[i] = value(i);
    });
    return out;
}

// Values stretched so that the smallest is 0 and the largest 1; all 0 where they are the same. NaN stays.
void stretch_to_one(std::vector<double>& values);

} // namespace garland
