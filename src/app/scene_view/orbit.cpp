#include "app/scene_view/orbit.h"

#include "core/base/angles.h"
#include "core/project/camera_axes.h"

#include <QVector3D>
#include <QVector4D>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {
QVector3D q(const V3d& v) {
    return {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z)};
}

} // namespace

V3d Orbit::eye() const {
    return axes_of(camera).place;
}

QMatrix4x4 Orbit::view() const {
    QMatrix4x4 m;
    m.lookAt(q(eye()), q(camera.target), q(axes_of(camera).up));
    return m;
}

QMatrix4x4 Orbit::projection(QSizeF size) const {
    QMatrix4x4 m;
    const double near_plane = std::max(camera.distance / 200, 1e-4);
    m.perspective(static_cast<float>(camera.field_of_view),
                  static_cast<float>(size.width() / std::max(size.height(), 1.0)), static_cast<float>(near_plane),
                  static_cast<float>(near_plane * 20000));
    return m;
}

double Orbit::pixels_per_unit(double distance, QSizeF size) const {
    return size.height() / (2 * std::tan(camera.field_of_view * radians / 2) * std::max(distance, 1e-9));
}

Ray Orbit::ray(QPointF pixel, QSizeF size) const {
    const CameraAxes a = axes_of(camera);
    const double k = 1 / pixels_per_unit(1, size);
    const double x = (pixel.x() - size.width() / 2) * k, y = (size.height() / 2 - pixel.y()) * k;
    return {eye(), (a.right * x - a.back + a.up * y).normalized()};
}

void Orbit::turn(double dx, double dy) {
    camera.azimuth = std::remainder(camera.azimuth - dx * 0.4, 360.0);
    camera.elevation = std::clamp(camera.elevation + dy * 0.4, -89.0, 89.0);
}

void Orbit::slide(double dx, double dy, QSizeF size) {
    const CameraAxes a = axes_of(camera);
    const double unit = 1 / pixels_per_unit(camera.distance, size);
    camera.target += (a.right * -dx + a.up * dy) * unit;
}

void Orbit::zoom(double steps, QPointF pixel, QSizeF size) {
    const double factor = std::pow(0.87, steps);
    const double next = std::clamp(camera.distance * factor, 1e-3, 1e6);
    const Ray r = ray(pixel, size);
    const double reach = camera.distance / std::max(r.along.dot(-axes_of(camera).back), 0.05);
    const V3d under = r.from + r.along * reach;
    camera.target = under + (camera.target - under) * (next / camera.distance);
    camera.distance = next;
}

void Orbit::look_at(V3d place) {
    camera.target = place;
}

void Orbit::fit(V3d low, V3d high, QSizeF size) {
    camera.target = (low + high) * 0.5;
    const double radius = std::max((high - low).length() / 2, 1e-3);
    const double aspect = std::min(1.0, size.width() / std::max(size.height(), 1.0));
    camera.distance = 1.05 * radius / (std::sin(camera.field_of_view * radians / 2) * aspect);
}

std::optional<QPointF> OnPicture::operator()(const V3d& place) const {
    const QVector4D at = matrix_ * QVector4D(q(place), 1);
    if (at.w() <= 1e-6f) return {};
    return QPointF((static_cast<double>(at.x() / at.w()) + 1) / 2 * size_.width(),
                   (1 - static_cast<double>(at.y() / at.w())) / 2 * size_.height());
}

} // namespace garland
