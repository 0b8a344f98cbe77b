// Named numbers held against the range they must be in.
#pragma once

#include "core/base/result.h"

#include <initializer_list>
#include <string>
#include <vector>

namespace garland {

struct Measure {
    std::string name; // "the patch width of noise"
    double value = 0;
    double least = -1e9, most = 1e9;
    const char* unit = ""; // "m", "f", "°", "%"; none for plain numbers
};

// Errors: invalid, for the first one that is not a finite number in its range; its name, its value and the range are
// in the message.
Result<void> within(const std::vector<Measure>& measures);

// The three parts of a vector, called by its name and "x", "y", "z".
template <class V>
std::vector<Measure> parts(const std::string& name, const V& v, const char* unit = "m", double most = 1e9) {
    return {{name + " in x", v.x, -most, most, unit},
            {name + " in y", v.y, -most, most, unit},
            {name + " in z", v.z, -most, most, unit}};
}

std::vector<Measure> joined(std::initializer_list<std::vector<Measure>> lists);

} // namespace garland
