// In which order the Lanes's rows stand.
#pragma once

#include "core/project/show.h"

#include <cstdint>
#include <vector>

namespace garland {

enum class LaneSort { order, x, height, z, delay, speed, size, turn, likeness, now };

// Copy numbers by row; equal ones keep their order. `at`: the output frame of LaneSort::now. Likeness: copies that show
// nearly the same source frames stand beside each other (by the first principal axis of what they show over the range).
std::vector<std::int64_t> row_order(const Show& show, LaneSort sort, OutputFrame at);

} // namespace garland
