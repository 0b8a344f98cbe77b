// All posed copies of a frame as one mesh, and as one array for all frames.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "io/handoff/bake.h"

#include <vector>

namespace garland {

// Points, faces and, where all have them, texture coordinates and normals of corners, copy after copy. Particles are
// points without faces; volumes are left out.
Pose merged_pose(const std::vector<Posed>& all, const WrittenAs& as = {});

// name.npy of the shape (frames, points, 3) and name.ply with the first frame's faces, as they are opened again.
// Errors: unsupported, where the number of points changes (with the frame and how else to write it); exists; those of
// reading and writing; cancelled. Both files appear or none does.
Result<BakeDone> write_array(const Show& show, const BakeOrder& order, Progress& progress = Progress::none());

} // namespace garland
