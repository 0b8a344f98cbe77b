// The driver "chance": the hash of (seed, salt, copy id), and of nothing else. A bell is the mean of four such values
// (Irwin–Hall).
#pragma once

#include "core/drivers/driver.h"

namespace garland {

double chance_of(const DriverRule& rule, std::uint64_t salt, CopyId copy);

} // namespace garland
