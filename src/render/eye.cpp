#include "render/eye.h"

#include "core/base/angles.h"
#include "core/base/portable_math.h"
#include "core/project/camera_axes.h"

namespace garland {

Eye::Eye(const Camera& c, int width, int height) {
    const CameraAxes axes = axes_of(c);
    right_ = axes.right, up_ = axes.up, forward_ = -axes.back, place_ = axes.place;
    middle_x_ = width / 2.0, middle_y_ = height / 2.0;
    const double half = c.field_of_view / 2 * radians; // the field of view is that of the height
    focal_ = height / (2 * portable::sin(half) / portable::cos(half));
}

V3d Eye::ray(double x, double y) const {
    return (forward_ + right_ * ((x - middle_x_) / focal_) + up_ * ((middle_y_ - y) / focal_)).normalized();
}

Eye::Spot Eye::spot(const V3d& place) const {
    const V3d to = place - place_;
    const double depth = to.dot(forward_);
    return {middle_x_ + to.dot(right_) / depth * focal_, middle_y_ - to.dot(up_) / depth * focal_, depth};
}

} // namespace garland
