#include "core/drivers/distance_grid.h"

#include "core/base/numbers.h"
#include "core/geometry/mesh_distances.h"

#include <openvdb/tools/Dense.h>

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <unordered_map>

namespace garland {

std::size_t open_edges(const Pose& pose) {
    std::map<std::array<float, 3>, std::uint32_t> places;
    std::vector<std::uint32_t> same(pose.points.size());
    for (std::uint32_t i = 0; i < same.size(); ++i) {
        const V3f& p = pose.points[i];
        same[i] = places.try_emplace({p.x, p.y, p.z}, i).first->second;
    }
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
    const Faces& faces = *pose.faces;
    for (std::size_t f = 0; f < faces.count(); ++f) {
        for (std::uint32_t c = faces.starts[f]; c < faces.starts[f + 1]; ++c) {
            const std::uint32_t next = c + 1 == faces.starts[f + 1] ? faces.starts[f] : c + 1;
            const std::uint32_t a = same[faces.corners[c]], b = same[faces.corners[next]];
            if (a != b) ++edges[{std::min(a, b), std::max(a, b)}];
        }
    }
    return static_cast<std::size_t>(
        std::count_if(edges.begin(), edges.end(), [](const auto& e) { return e.second != 2; }));
}

Result<DistanceGridPtr> DistanceGrid::make(const Pose& pose, double reach, Progress& progress) {
    if (pose.faces->count() == 0)
        return fail(Error{ErrorCode::invalid, "the shape has no faces"}.advise("choose a closed mesh"));
    if (const std::size_t open = open_edges(pose); open > 0) {
        return fail(Error{
            ErrorCode::invalid,
            fmt::format("the shape is not closed: {} not between exactly two faces",
                        open == 1 ? "1 edge is" : counted(static_cast<long long>(open), "edge", "edges") + " are")}
                        .advise("choose a closed mesh"));
    }
    auto out = std::make_shared<DistanceGrid>();
    const Imath::Box3f box = bounds(pose);
    const V3d size = V3d(box.max) - V3d(box.min);
    reach = std::max(reach, 0.0);
    out->step_ = std::max({size.length() / 96, (size.length() + 2 * reach) / 192, 1e-9});
    const double margin = reach + 2 * out->step_;
    out->low_ = V3d(box.min) - V3d(margin);
    auto nodes = [&](double wide) { return static_cast<int>(std::ceil((wide + 2 * margin) / out->step_)) + 1; };
    out->nx_ = nodes(size.x), out->ny_ = nodes(size.y), out->nz_ = nodes(size.z);
    for (const V3f& p : pose.points) out->radius_ = std::max(out->radius_, V3d(p).length());
    openvdb::initialize();
    const float band = static_cast<float>(std::sqrt(3.0) * (margin / out->step_ + 2));
    const auto grid = mesh_distances(pose, out->low_, out->step_, 1.0, band, 1e6f, progress);
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    const openvdb::CoordBBox all({0, 0, 0}, {out->nx_ - 1, out->ny_ - 1, out->nz_ - 1});
    openvdb::tools::Dense<float, openvdb::tools::LayoutXYZ> dense(all);
    openvdb::tools::copyToDense(*grid, dense);
    out->values_.assign(dense.data(), dense.data() + dense.valueCount());
    for (float& v : out->values_) v *= static_cast<float>(out->step_);
    return DistanceGridPtr(out);
}

double DistanceGrid::node(int x, int y, int z) const {
    const auto row = static_cast<std::size_t>(z) * static_cast<std::size_t>(ny_) + static_cast<std::size_t>(y);
    return static_cast<double>(values_[row * static_cast<std::size_t>(nx_) + static_cast<std::size_t>(x)]);
}

double DistanceGrid::at(const V3d& p, V3d* gradient) const {
    const V3d high = low_ + V3d(nx_ - 1, ny_ - 1, nz_ - 1) * step_;
    const V3d here(std::clamp(p.x, low_.x, high.x), std::clamp(p.y, low_.y, high.y), std::clamp(p.z, low_.z, high.z));
    const V3d away = p - here;
    const V3d at = (here - low_) / step_;
    const int x = std::min(static_cast<int>(at.x), nx_ - 2), y = std::min(static_cast<int>(at.y), ny_ - 2),
              z = std::min(static_cast<int>(at.z), nz_ - 2);
    const double u = at.x - x, v = at.y - y, w = at.z - z;
    double c[2][2][2];
    for (int k = 0; k < 8; ++k) c[k >> 2][(k >> 1) & 1][k & 1] = node(x + (k >> 2), y + ((k >> 1) & 1), z + (k & 1));
    double face[2][2], line[2];
    for (int j = 0; j < 2; ++j) {
        for (int k = 0; k < 2; ++k) face[j][k] = c[0][j][k] * (1 - u) + c[1][j][k] * u;
    }
    for (int k = 0; k < 2; ++k) line[k] = face[0][k] * (1 - v) + face[1][k] * v;
    if (gradient) {
        double dx = 0;
        for (int j = 0; j < 2; ++j) {
            for (int k = 0; k < 2; ++k) dx += (c[1][j][k] - c[0][j][k]) * (j ? v : 1 - v) * (k ? w : 1 - w);
        }
        const double dy = (face[1][0] - face[0][0]) * (1 - w) + (face[1][1] - face[0][1]) * w;
        const double dz = line[1] - line[0];
        *gradient = V3d(away.x == 0 ? dx : 0, away.y == 0 ? dy : 0, away.z == 0 ? dz : 0) / step_;
        if (away != V3d(0)) *gradient += away.normalized();
    }
    return line[0] * (1 - w) + line[1] * w + away.length();
}

} // namespace garland
