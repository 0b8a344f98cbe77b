// Particles: points with ids. Between two frames they are matched by id, whatever their order and number.
#pragma once

#include "core/geometry/blend.h"

namespace garland {

bool is_particles(const Pose& pose); // one id for each point

// The particles at w of the way from a to b, 0 < w < 1, which lie `seconds` apart; those of a first, then the born.
// In both: linear; smooth: by cubic Hermite through velocities, else through `before` and `after` as blend_through;
// carried: the nearer place moved along its velocity.
// Only in a: it dies. With the attributes `age` and `life` (seconds) it is shown while age + w·seconds < life,
// otherwise up to the frame of b; it goes on along its velocity. Only in b: it is born. With `age` it is shown from the
// moment it was 0, on its velocity back from b; otherwise it comes with the frame of b.
PosePtr blend_particles(const Beside& before, const PosePtr& a, const PosePtr& b, const Beside& after, double w,
                        SubFrame how, double seconds);

// The attribute of a name that has one float a point; null if there is none.
const Attribute* find_scalar(const Pose& pose, std::string_view name);

} // namespace garland
