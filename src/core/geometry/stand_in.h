// What is drawn where there are no faces.
#pragma once

#include "core/geometry/pose.h"

namespace garland {

// A mesh of small octahedra in place of particles (the attribute `size` is how wide they are, otherwise 1/120 of the
// box's longest side) or of a volume's cells, merged until there are at most `most`, sized and shaded by what they
// hold. The pose itself where it has faces; one without any points stays empty.
PosePtr stand_in(const PosePtr& pose, std::size_t most = 12'000);

} // namespace garland
