// One retimed source, or all copies, as a file for each output frame, in kinds that need no more than the frame itself.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "io/handoff/bake.h"

#include <vector>

namespace garland {

// Writes one frame's file and reads back that it is whole. What it says wrong needs no path.
using WriteFrame = Result<void> (*)(const std::vector<Posed>& all, const BakeOrder& order, const std::string& path);

// name.0001.obj …, with order.starts, order.complete and order.wrote as bake() has them. Errors: exists (before
// anything is written); those of the frames; cancelled; files of earlier frames stay, and the error says so.
Result<BakeDone> write_frame_files(const Show& show, const BakeOrder& order, const char* ending, WriteFrame write,
                                   Progress& progress = Progress::none());

// Points, faces and texture coordinates of corners of all copies; volumes are left out.
Result<void> write_obj_frame(const std::vector<Posed>& all, const BakeOrder& order, const std::string& path);

// The grids of a single copy that shows a volume; where it shows nothing, the source's grids without voxels.
Result<void> write_volume_frame(const std::vector<Posed>& all, const BakeOrder& order, const std::string& path);

// A table of the particles of a single copy: id, x, y, z, and where they have them vx, vy, vz (a second of output),
// r, g, b and attributes; a wide attribute has columns name_0, name_1 …;
// commas and the like in names are written as _. Only the first line where nothing is shown.
Result<void> write_particle_frame(const std::vector<Posed>& all, const BakeOrder& order, const std::string& path);

} // namespace garland
