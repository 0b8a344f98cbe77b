// The project's camera as a pinhole: rays through pixels, and places to pixels.
#pragma once

#include "core/project/camera.h"

namespace garland {

class Eye {
  public:
    Eye(const Camera& camera, int width, int height);
    const V3d& place() const { return place_; }
    // Through a place of the picture, in pixels from its top left corner; unit length.
    V3d ray(double x, double y) const;
    struct Spot {
        double x = 0, y = 0; // pixels
        double depth = 0;    // along the view, scene units; 0 or below: behind the eye
    };
    Spot spot(const V3d& place) const;
    const V3d& forward() const { return forward_; }

  private:
    V3d place_, forward_, right_, up_;
    double middle_x_, middle_y_, focal_; // pixels
};

} // namespace garland
