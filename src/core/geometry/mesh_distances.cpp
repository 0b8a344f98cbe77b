#include "core/geometry/mesh_distances.h"

#include <openvdb/tools/MeshToVolume.h>

namespace garland {

namespace {

// A mesh as the converter wants it, in voxels from the grid's first one.
struct InVoxels {
    const Pose& pose;
    const std::vector<std::uint32_t> triangles;
    V3d low;
    double voxel;

    std::size_t polygonCount() const { return triangles.size() / 3; }
    std::size_t pointCount() const { return pose.points.size(); }
    std::size_t vertexCount(std::size_t) const { return 3; }
    void getIndexSpacePoint(std::size_t n, std::size_t v, openvdb::Vec3d& place) const {
        const V3d p = (V3d(pose.points[triangles[n * 3 + v]]) - low) / voxel;
        place = openvdb::Vec3d(p.x, p.y, p.z);
    }
};

struct Stopper {
    Progress* progress;
    void start(const char* = nullptr) {}
    void end() {}
    bool wasInterrupted(int = -1) { return progress->cancelled(); }
};

} // namespace

openvdb::FloatGrid::Ptr mesh_distances(const Pose& pose, const V3d& low, double voxel, double scale, float outside,
                                       float inside, Progress& progress) {
    Stopper stop{&progress};
    const auto transform = openvdb::math::Transform::createLinearTransform(scale);
    return openvdb::tools::meshToVolume<openvdb::FloatGrid>(stop, InVoxels{pose, pose.faces->triangles(), low, voxel},
                                                            *transform, outside, inside);
}

} // namespace garland
