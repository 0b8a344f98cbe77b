#include "app/widgets/pose_picture.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace garland {

QImage pose_picture(const Pose& pose, int width, int height, const PictureStyle& style) {
    QImage image(width, height, QImage::Format_ARGB32);
    image.fill(0);
    if (pose.points.empty()) return image;
    const Imath::Box3f box = style.frame.isEmpty() ? bounds(pose) : style.frame;
    const V3f middle = box.center();
    // Turned by 25° about y and tipped by 12°; then flat.
    const float ca = 0.9063f, sa = 0.4226f, ce = 0.9781f, se = 0.2079f;
    auto turn = [&](const V3f& p) {
        const V3f q = p - middle;
        const float x = q.x * ca - q.z * sa, z = q.x * sa + q.z * ca;
        return V3f(x, q.y * ce - z * se, q.y * se + z * ce);
    };
    float reach_x = 1e-6f, reach_y = 1e-6f;
    for (int corner = 0; corner < 8; ++corner) {
        const V3f q = turn(V3f(corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y,
                               corner & 4 ? box.max.z : box.min.z));
        reach_x = std::max(reach_x, std::abs(q.x));
        reach_y = std::max(reach_y, std::abs(q.y));
    }
    const float scale = 0.94f * std::min(width / (2 * reach_x), height / (2 * reach_y));
    std::vector<V3f> at(pose.points.size());
    for (std::size_t i = 0; i < at.size(); ++i) {
        const V3f q = turn(pose.points[i]);
        at[i] =
            V3f(0.5f * static_cast<float>(width) + q.x * scale, 0.5f * static_cast<float>(height) - q.y * scale, q.z);
    }
    std::vector<float> depth(static_cast<std::size_t>(width) * static_cast<std::size_t>(height),
                             -std::numeric_limits<float>::infinity());
    const bool coloured = style.use_colours && pose.colours.size() == at.size();
    auto plot = [&](int x, int y, float z, float r, float g, float b) {
        const std::size_t i =
            static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x);
        if (z < depth[i]) return;
        depth[i] = z;
        auto part = [](float v) { return static_cast<int>(std::clamp(v, 0.0f, 1.0f) * 255); };
        reinterpret_cast<QRgb*>(image.scanLine(y))[x] = qRgb(part(r), part(g), part(b));
    };
    const V3f light = V3f(0.35f, 0.7f, 0.62f).normalized();
    const auto triangles = pose.faces->triangles();
    for (std::size_t t = 0; t + 2 < triangles.size(); t += 3) {
        const V3f &a = at[triangles[t]], &b = at[triangles[t + 1]], &c = at[triangles[t + 2]];
        const float area = (b.x - a.x) * (c.y - a.y) - (c.x - a.x) * (b.y - a.y);
        if (std::abs(area) < 1e-9f || !std::isfinite(area)) continue;
        V3f normal =
            V3f(b.x - a.x, a.y - b.y, (b.z - a.z) * scale).cross(V3f(c.x - a.x, a.y - c.y, (c.z - a.z) * scale));
        normal.normalize();
        if (normal.z < 0) normal = -normal;
        const float shade = 0.55f + 0.5f * std::max(normal.dot(light), 0.0f);
        V3f paint(style.paint.redF(), style.paint.greenF(), style.paint.blueF());
        if (coloured) {
            paint =
                (pose.colours[triangles[t]] + pose.colours[triangles[t + 1]] + pose.colours[triangles[t + 2]]) / 3.0f;
        }
        const int x0 = std::max(0, static_cast<int>(std::floor(std::min({a.x, b.x, c.x}))));
        const int x1 = std::min(width - 1, static_cast<int>(std::ceil(std::max({a.x, b.x, c.x}))));
        const int y0 = std::max(0, static_cast<int>(std::floor(std::min({a.y, b.y, c.y}))));
        const int y1 = std::min(height - 1, static_cast<int>(std::ceil(std::max({a.y, b.y, c.y}))));
        for (int y = y0; y <= y1; ++y) {
            for (int x = x0; x <= x1; ++x) {
                const float px = static_cast<float>(x) + 0.5f, py = static_cast<float>(y) + 0.5f;
                const float u = ((b.x - px) * (c.y - py) - (c.x - px) * (b.y - py)) / area;
                const float v = ((c.x - px) * (a.y - py) - (a.x - px) * (c.y - py)) / area;
                const float w = 1 - u - v;
                if (u < 0 || v < 0 || w < 0) continue;
                plot(x, y, u * a.z + v * b.z + w * c.z, paint.x * shade, paint.y * shade, paint.z * shade);
            }
        }
    }
    if (triangles.empty()) { // points alone
        for (std::size_t i = 0; i < at.size(); ++i) {
            const int x = static_cast<int>(at[i].x), y = static_cast<int>(at[i].y);
            if (x < 0 || y < 0 || x >= width || y >= height) continue;
            const V3f p =
                coloured ? pose.colours[i] : V3f(style.paint.redF(), style.paint.greenF(), style.paint.blueF());
            plot(x, y, at[i].z, p.x, p.y, p.z);
        }
    }
    return image;
}

} // namespace garland
