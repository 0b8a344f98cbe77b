// Meshes whose faces change, blended as solids.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/geometry/volume.h"

namespace garland {

// The surface at w of the way from a to b, 0 < w < 1: both closed meshes become signed distances on a grid of `voxel`
// (the source's units), which are mixed and meshed again (M. Levoy et al. and D. Breen and R. Whitaker, "A level-set
// approach for the metamorphosis of solid models", 2001, use the same field). Slow. Points beyond the narrow band are
// held at its width, so solids further apart than `band` voxels shrink and grow instead of moving. Errors: invalid for
// a voxel not above 0; too_large where the grid would hold more than voxels_limit.
Result<PosePtr> between_level_sets(const Pose& a, const Pose& b, double w, double voxel, Progress& progress);

inline constexpr double voxels_limit = 4e8; // of the box of both meshes

// The surface where a dense grid of floats has the value `level`, inside where it is larger; quads and triangles, with
// normals.
PosePtr surface_of(const DenseGrid& grid, double level);

// The volume enclosed by a closed mesh (divergence theorem over its triangles).
double enclosed_volume(const Pose& pose);

} // namespace garland
