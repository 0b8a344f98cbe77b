// Where a camera is and how it is turned: it looks along its own −z, y is up.
#pragma once

#include "core/project/camera.h"

namespace garland {

struct CameraAxes {
    V3d right, up, back, place; // in the scene
};
CameraAxes axes_of(const Camera& camera);

} // namespace garland
