// Where one copy stands.
#pragma once

#include "core/base/ids.h"
#include "core/geometry/pose.h"

#include <Imath/ImathQuat.h>

namespace garland {

// `id` stays the same when counts change: line, ring and curve, the place along it from 0; grid
// and box, layer · 2⁴⁰ + row · 2²⁰ + column; rings, ring · 2²⁰ + place; scatter, the number of the dart that hit;
// points, the point's own id or its number.
struct Placement {
    CopyId id;
    V3d position{0, 0, 0};
    double turn = 0; // degrees about y, counter-clockwise seen from above
    Imath::Quatd
        tilt{}; // and then turned further in the scene (see copies/attitude.h); the identity where it stands upright
    double size = 1;
    V3f stretch{1, 1, 1}; // of the copy's own width, height and length, before it is turned
    float along = 0;      // its share of the arrangement's path, 0 … 1
};

} // namespace garland
