#include "core/geometry/level_set.h"

#include "core/geometry/mesh_distances.h"
#include "core/geometry/volume_grids.h"

#include <openvdb/tools/Composite.h>
#include <openvdb/tools/VolumeToMesh.h>
#include <openvdb/tree/LeafManager.h>

#include <fmt/format.h>

namespace garland {

namespace {

using openvdb::FloatGrid;

constexpr float band = 3; // voxels on either side of a surface

PosePtr meshed(const FloatGrid& grid, double level) {
    std::vector<openvdb::Vec3s> points;
    std::vector<openvdb::Vec4I> quads;
    openvdb::tools::volumeToMesh(grid, points, quads, level);
    auto pose = std::make_shared<Pose>();
    pose->points.reserve(points.size());
    for (const auto& p : points) pose->points.emplace_back(p.x(), p.y(), p.z());
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    for (const auto& q : quads) { // its quads turn clockwise seen from outside
        for (int k = 3; k >= 0; --k) faces->corners.push_back(q[k]);
        faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
    }
    pose->faces = faces;
    pose->normals = point_normals(pose->points, *faces);
    return pose;
}

} // namespace

Result<PosePtr> between_level_sets(const Pose& a, const Pose& b, double w, double voxel, Progress& progress) {
    if (!(voxel > 0))
        return fail(Error{ErrorCode::invalid, "the voxel size must be above 0"}.advise("use more than 0 m"));
    Imath::Box3f box = bounds(a);
    box.extendBy(bounds(b));
    const V3d size = (V3d(box.max) - V3d(box.min)) / voxel + V3d(2 * band);
    if (box.isEmpty() || size.x * size.y * size.z > voxels_limit) {
        return fail(
            Error{ErrorCode::too_large, fmt::format("the meshes span {:.3g} voxels of {}, above the limit of {:.3g}",
                                                    size.x * size.y * size.z, voxel, voxels_limit)}
                .advise("choose larger voxels"));
    }
    start_volumes();
    const auto in_a = mesh_distances(a, V3d(0), voxel, voxel, band, band, progress),
               in_b = mesh_distances(b, V3d(0), voxel, voxel, band, band, progress);
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    // Outside of both bands the distance is the background's, with its sign; both trees are flooded with it.
    auto mixed = in_a->deepCopy();
    mixed->tree().topologyUnion(in_b->tree());
    const auto share = static_cast<float>(w);
    openvdb::tree::LeafManager<FloatGrid::TreeType> leaves(mixed->tree());
    leaves.foreach ([&](FloatGrid::TreeType::LeafNodeType& leaf, std::size_t) {
        const auto from_a = in_a->getConstAccessor(), from_b = in_b->getConstAccessor();
        for (auto it = leaf.beginValueAll(); it; ++it) {
            const float x = from_a.getValue(it.getCoord()), y = from_b.getValue(it.getCoord());
            it.setValue(x + share * (y - x));
        }
    });
    auto tile = mixed->beginValueAll();
    tile.setMaxDepth(FloatGrid::ValueAllIter::LEAF_DEPTH - 1);
    for (; tile; ++tile) {
        const float x = in_a->tree().getValue(tile.getCoord()), y = in_b->tree().getValue(tile.getCoord());
        tile.setValue(x + share * (y - x));
    }
    return meshed(*mixed, 0);
}

PosePtr surface_of(const DenseGrid& d, double level) {
    start_volumes();
    const auto grid = empty_grid<FloatGrid>(d);
    auto to = grid->getAccessor();
    each_voxel(d, [&](const openvdb::Coord& at, std::size_t i) { to.setValue(at, d.values[i]); });
    return meshed(*grid, level);
}

double enclosed_volume(const Pose& pose) {
    double six = 0;
    const auto triangles = pose.faces->triangles();
    for (std::size_t i = 0; i + 2 < triangles.size(); i += 3) {
        const V3d a(pose.points[triangles[i]]), b(pose.points[triangles[i + 1]]), c(pose.points[triangles[i + 2]]);
        six += a.dot(b.cross(c));
    }
    return six / 6;
}

} // namespace garland
