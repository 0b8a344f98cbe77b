// The drivers by order: a copy's place in it, counted, over all copies, or round a loop. index: 0 … count − 1.
#pragma once

#include "core/drivers/driver.h"

namespace garland {

double order_total_of(std::int64_t index, std::int64_t count); // one copy: 0
double order_loop_of(std::int64_t index, std::int64_t count);

} // namespace garland
