// Which way a copy stands: first its turn about its own upright, then a tilt in the scene. Rotations are right-handed.
#pragma once

#include "core/copies/arrangement.h"

namespace garland {

inline bool tilted(const Placement& p) {
    return p.tilt.v != V3d(0);
}

// The copy's own axes in the scene, without its size.
Axes axes_of(const Placement& placement);

// The same as one rotation of its own space into the scene.
Imath::Quatd attitude_of(const Placement& placement);

// Leans a copy about its own axes before everything else: pitch dips its front, bank lifts its left side (+x; its front
// is +z). Degrees.
void lean(Placement& placement, double pitch, double bank);

// Turns a copy further, in the scene: about y, then x, then z of what is turned already (degrees). Its place stays.
void turn_further(Placement& placement, const V3d& turn);

// Tilts a copy whose turn is right already, so that its front follows a direction of the scene up or down. A lean of
// `bank` degrees toward its right side (seen from behind, y up) comes first.
void pitch_along(Placement& placement, const V3d& direction, double bank = 0);

// Tilts a copy so that its upright is a direction of the scene, by the smallest rotation.
void stand_on(Placement& placement, const V3d& up);

// Turns a copy as `orient` says, a unit quaternion in the space of what carries it, which stands in the scene turned by
// `carrier_turn` degrees about y; the copy's own turn comes first, about its upright.
void stand_as(Placement& placement, const Imath::Quatd& orient, double carrier_turn);

// Where the front of what is turned so looks to.
V3d forward_of(const Imath::Quatd& orient);

// The box in the scene of a copy whose own space has the box `own`; empty for an empty one.
Imath::Box3d box_of(const Placement& placement, const Imath::Box3f& own);

// From one attitude to another: axis times angle, degrees, in the scene; at most 180.
V3d rotation_between(const Placement& from, const Placement& to);

} // namespace garland
