// Point grids of OpenVDB files, as particles. The library believes what such a grid claims of itself, and a damaged one
// can take the program with it: they are read in a process of its own (garland-cli vdb-points), which turns them into
// PLY files once; what it wrote is kept (io/sources/converted.h) and read as any other particles.
#pragma once

#include "core/base/progress.h"
#include "core/geometry/pose.h"
#include "core/source/source.h"

#include <string>

namespace garland {

// Whether the heads of a file name point grids and no grid that is read as a volume.
bool holds_points_only(const std::string& path);

// All points of a file's point grids, in its frame: places, ids (the attribute "id" where every point has its own,
// otherwise counted from 0 in the order of the file), velocities ("v", "vel" or "velocity"), every other attribute of
// floats, whole numbers or vectors of three. Only for a process of its own. Errors: those of reading; unsupported, for
// a file without points.
Result<PosePtr> read_point_grids(const std::string& path);

// What that process does: the file's whole series as out.0001.ply … with the numbers of their frames; frames after the
// first that cannot be read are named in out.left_out, with the reason. out.at has the number of the one in hand, so
// that whoever started the process knows which one ended it; begun again it goes on where it was. Errors: those of
// reading the first frame, and of writing.
inline constexpr int points_refused = 4; // its exit code where it ends with one of these, which it says
Result<void> write_points_of(const std::string& path, const std::string& out, Progress& progress);

// Opens such a file or series by way of that process. Errors: not_found, where garland-cli is neither beside this
// program nor on the path; malformed, where the process failed, with what it said; cancelled.
Result<SourcePtr> open_point_grids(const std::string& path, Progress& progress);

} // namespace garland
