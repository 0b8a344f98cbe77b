// Keyed values as glTF 2.0 defines them (Khronos Group, glTF 2.0 specification, appendix C: animation sampler
// interpolation modes).
#pragma once

#include "core/base/result.h"
#include "core/geometry/pieces.h"

#include <span>
#include <vector>

namespace garland {

enum class KeyWay { step, linear, cubic };

struct KeyTrack {
    std::vector<double> times;  // seconds, strictly rising, at least one
    std::vector<double> values; // width a key; cubic: in-tangent, value, out-tangent, 3 · width a key
    int width = 3;
    KeyWay way = KeyWay::linear;
    bool rotation = false; // values are unit quaternions x y z w, interpolated along the shortest arc

    std::size_t keys() const { return times.size(); }
};

// Errors: invalid: no keys, times that do not rise or are not finite, values that do not fit.
Result<void> validate(const KeyTrack& track);

// The value at a time; held at both ends. out: `width` numbers. smooth: linear tracks that are no rotations go by cubic
// Hermite through the keys on both sides instead (Catmull and Rom, 1974, for uneven distances).
void sample(const KeyTrack& track, double time, std::span<double> out, bool smooth = false);

} // namespace garland
