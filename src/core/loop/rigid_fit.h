// The rigid motion that brings one set of points nearest to another: W. Kabsch, "A solution for the best rotation to
// relate two sets of vectors", 1976; without mirroring, as in his discussion of 1978.
#pragma once

#include "core/geometry/pieces.h"

#include <cstdint>
#include <span>

namespace garland {

struct RigidFit {
    Quatd rotation{};               // turns a's points about their middle onto b's
    V3d from{0, 0, 0}, to{0, 0, 0}; // the middles
    double rms = 0;                 // what is left between the points then
};

// Of the points `which` of both lists, or of all where it is empty; none give no motion.
RigidFit rigid_fit(std::span<const V3f> a, std::span<const V3f> b, std::span<const std::uint32_t> which = {});

} // namespace garland
