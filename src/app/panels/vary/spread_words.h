// The sentence of a spread.
#pragma once

#include "core/copies/spread.h"

#include <QString>
#include <cstdint>

namespace garland {

// "Delay by noise, up to 24 frames later, patches 3 m wide", with its main words bold.
QString spread_words(const Spread& spread, std::int64_t copies);

} // namespace garland
