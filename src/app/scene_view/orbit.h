// The camera's geometry, without a window: where it stands, what a pixel looks at.
#pragma once

#include "core/project/project.h"

#include <QMatrix4x4>
#include <QPointF>
#include <QSizeF>
#include <optional>

namespace garland {

struct Ray {
    V3d from, along; // along has unit length
};

class Orbit {
  public:
    Camera camera;

    V3d eye() const;
    QMatrix4x4 view() const;
    QMatrix4x4 projection(QSizeF size) const; // near and far follow the distance
    Ray ray(QPointF pixel, QSizeF size) const;
    // Logical pixels that one scene unit covers at this distance from the eye.
    double pixels_per_unit(double distance, QSizeF size) const;

    void turn(double dx, double dy);                     // pixels
    void slide(double dx, double dy, QSizeF size);       // pixels; the target's plane follows the pointer
    void zoom(double steps, QPointF pixel, QSizeF size); // toward what lies under the pixel at the target's distance
    void look_at(V3d place);
    void fit(V3d low, V3d high, QSizeF size); // keeps the direction, shows the whole box
};

// Where places fall on the picture: an orbit's matrices, put together once.
class OnPicture {
  public:
    OnPicture(const Orbit& orbit, QSizeF size) : matrix_(orbit.projection(size) * orbit.view()), size_(size) {}
    std::optional<QPointF> operator()(const V3d& place) const; // none behind the eye

  private:
    QMatrix4x4 matrix_;
    QSizeF size_;
};

} // namespace garland
