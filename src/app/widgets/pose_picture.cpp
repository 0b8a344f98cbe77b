#include "app/widgets/pose_picture.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace garland {

namespace {

// A pose turned by 25° about y and tipped by 12°; then flat.
class FlatPose {
  public:
    FlatPose(const Pose& pose, QImage& image, const Imath::Box3f& box)
        : image_(image), middle_(box.center()),
          depth_(static_cast<std::size_t>(image.width()) * static_cast<std::size_t>(image.height()),
                 -std::numeric_limits<float>::infinity()) {
        float reach_x = 1e-6f, reach_y = 1e-6f;
        for (int corner = 0; corner < 8; ++corner) {
            const V3f q = turned(V3f(corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y,
                                     corner & 4 ? box.max.z : box.min.z));
            reach_x = std::max(reach_x, std::abs(q.x));
            reach_y = std::max(reach_y, std::abs(q.y));
        }
        const auto width = static_cast<float>(image.width()), height = static_cast<float>(image.height());
        scale_ = 0.94f * std::min(width / (2 * reach_x), height / (2 * reach_y));
        at_.reserve(pose.points.size());
        for (const V3f& point : pose.points) {
            const V3f q = turned(point);
            at_.emplace_back(0.5f * width + q.x * scale_, 0.5f * height - q.y * scale_, q.z);
        }
    }

    // Of three points of the pose, lit.
    void triangle(std::uint32_t i, std::uint32_t j, std::uint32_t k, const V3f& paint) {
        const V3f &a = at_[i], &b = at_[j], &c = at_[k];
        const float area = (b.x - a.x) * (c.y - a.y) - (c.x - a.x) * (b.y - a.y);
        if (std::abs(area) < 1e-9f || !std::isfinite(area)) return;
        const V3f lit = paint * light_on(a, b, c);
        const auto [x0, x1] = pixels({a.x, b.x, c.x}, image_.width());
        const auto [y0, y1] = pixels({a.y, b.y, c.y}, image_.height());
        for (int y = y0; y <= y1; ++y) {
            for (int x = x0; x <= x1; ++x) {
                const float px = static_cast<float>(x) + 0.5f, py = static_cast<float>(y) + 0.5f;
                const float u = ((b.x - px) * (c.y - py) - (c.x - px) * (b.y - py)) / area;
                const float v = ((c.x - px) * (a.y - py) - (a.x - px) * (c.y - py)) / area;
                const float w = 1 - u - v;
                if (u < 0 || v < 0 || w < 0) continue;
                plot(x, y, u * a.z + v * b.z + w * c.z, lit);
            }
        }
    }
    void point(std::size_t i, const V3f& paint) {
        const V3f& p = at_[i];
        // Also false where a number is none.
        const bool inside = p.x > -1 && p.y > -1 && p.x < static_cast<float>(image_.width()) &&
                            p.y < static_cast<float>(image_.height());
        if (inside) plot(static_cast<int>(p.x), static_cast<int>(p.y), p.z, paint);
    }

  private:
    V3f turned(const V3f& p) const {
        constexpr float ca = 0.9063f, sa = 0.4226f, ce = 0.9781f, se = 0.2079f;
        const V3f q = p - middle_;
        const float x = q.x * ca - q.z * sa, z = q.x * sa + q.z * ca;
        return V3f(x, q.y * ce - z * se, q.y * se + z * ce);
    }
    float light_on(const V3f& a, const V3f& b, const V3f& c) const {
        V3f normal =
            V3f(b.x - a.x, a.y - b.y, (b.z - a.z) * scale_).cross(V3f(c.x - a.x, a.y - c.y, (c.z - a.z) * scale_));
        normal.normalize();
        if (normal.z < 0) normal = -normal;
        return 0.55f + 0.5f * std::max(normal.dot(V3f(0.35f, 0.7f, 0.62f).normalized()), 0.0f);
    }
    // The first and the last that some places reach, of so many.
    static std::pair<int, int> pixels(std::initializer_list<float> places, int count) {
        const auto most = static_cast<float>(count);
        return {static_cast<int>(std::floor(std::clamp(std::min(places), 0.0f, most))),
                static_cast<int>(std::ceil(std::clamp(std::max(places), -1.0f, most - 1)))};
    }
    void plot(int x, int y, float z, const V3f& colour) {
        float& nearest = depth_[static_cast<std::size_t>(y) * static_cast<std::size_t>(image_.width()) +
                                static_cast<std::size_t>(x)];
        if (z < nearest) return;
        nearest = z;
        auto part = [](float v) { return static_cast<int>(std::clamp(v, 0.0f, 1.0f) * 255); };
        reinterpret_cast<QRgb*>(image_.scanLine(y))[x] = qRgb(part(colour.x), part(colour.y), part(colour.z));
    }

    QImage& image_;
    V3f middle_;
    float scale_ = 1;
    std::vector<V3f> at_; // pixels across and down, and how near
    std::vector<float> depth_;
};

} // namespace

QImage pose_picture(const Pose& pose, int width, int height, const PictureStyle& style) {
    QImage image(width, height, QImage::Format_ARGB32);
    image.fill(0);
    if (pose.points.empty()) return image;
    FlatPose flat(pose, image, style.frame.isEmpty() ? bounds(pose) : style.frame);
    const bool coloured = style.use_colours && pose.colours.size() == pose.points.size();
    const V3f plain(style.paint.redF(), style.paint.greenF(), style.paint.blueF());
    const auto triangles = pose.faces->triangles();
    for (std::size_t t = 0; t + 2 < triangles.size(); t += 3) {
        const std::uint32_t i = triangles[t], j = triangles[t + 1], k = triangles[t + 2];
        flat.triangle(i, j, k, coloured ? (pose.colours[i] + pose.colours[j] + pose.colours[k]) / 3.0f : plain);
    }
    for (std::size_t i = 0; triangles.empty() && i < pose.points.size(); ++i) // points alone
        flat.point(i, coloured ? pose.colours[i] : plain);
    return image;
}

} // namespace garland
