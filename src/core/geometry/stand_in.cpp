#include "core/geometry/stand_in.h"

#include "core/base/portable_math.h"
#include "core/geometry/particles.h"
#include "core/geometry/volume.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

class Octahedra {
  public:
    void add(const V3f& at, float half, const V3f& colour) {
        const auto first = static_cast<std::uint32_t>(pose_->points.size());
        const V3f ways[] = {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}};
        for (const V3f& way : ways) {
            pose_->points.push_back(at + way * half);
            pose_->normals.push_back(way);
            pose_->colours.push_back(colour);
        }
        for (int x = 0; x < 2; ++x) {
            for (std::uint32_t y = 2; y < 4; ++y) {
                for (std::uint32_t z = 4; z < 6; ++z) {
                    const bool even = (static_cast<std::uint32_t>(x) + y + z) % 2 == 0;
                    for (std::uint32_t i : {static_cast<std::uint32_t>(x), even ? y : z, even ? z : y})
                        faces_->corners.push_back(first + i);
                    faces_->starts.push_back(static_cast<std::uint32_t>(faces_->corners.size()));
                }
            }
        }
    }
    PosePtr done() {
        pose_->faces = faces_;
        return pose_;
    }

  private:
    std::shared_ptr<Pose> pose_ = std::make_shared<Pose>();
    std::shared_ptr<Faces> faces_ = [] {
        auto faces = std::make_shared<Faces>();
        faces->starts.push_back(0);
        return faces;
    }();
};

} // namespace

PosePtr stand_in(const PosePtr& pose, std::size_t most) {
    if (pose->faces->count() > 0) return pose;
    Octahedra out;
    if (pose->volume) {
        const VolumeDots dots = dots_of(*pose->volume, most);
        for (std::size_t i = 0; i < dots.places.size(); ++i) {
            const float s = portable::cbrt(dots.strength[i]);
            if (s < 0.2f) continue; // thin enough to see through
            out.add(dots.places[i], dots.cell * 0.75f * s, V3f(0.62f, 0.66f, 0.70f) * (0.5f + 0.5f * s));
        }
        return out.done();
    }
    const Attribute* size = find_scalar(*pose, "size");
    const V3f box = pose->points.empty() ? V3f(0) : bounds(*pose).size();
    const float usual = std::max({box.x, box.y, box.z, 1e-3f}) / 120;
    const bool coloured = pose->colours.size() == pose->points.size();
    const std::size_t step =
        std::max<std::size_t>(1, (pose->points.size() + most - 1) / std::max<std::size_t>(most, 1));
    for (std::size_t i = 0; i < pose->points.size(); i += step) {
        out.add(pose->points[i], 0.5f * (size ? size->values[i] : usual), coloured ? pose->colours[i] : V3f(1));
    }
    return out.done();
}

} // namespace garland
