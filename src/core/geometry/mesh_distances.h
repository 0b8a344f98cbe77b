// How far away a mesh is, voxel by voxel. Included by few files only: OpenVDB takes long to compile.
#pragma once

#include "core/base/progress.h"
#include "core/geometry/openvdb_trees.h"
#include "core/geometry/pose.h"

namespace garland {

// Signed distances in voxels, negative inside, within `outside` and `inside` voxels of a closed mesh's surface; the
// grid's voxel (0, 0, 0) lies at `low`, and its transform is the identity times `scale`. Stops early, with whatever
// there is, when cancelled.
openvdb::FloatGrid::Ptr mesh_distances(const Pose& pose, const V3d& low, double voxel, double scale, float outside,
                                       float inside, Progress& progress);

} // namespace garland
