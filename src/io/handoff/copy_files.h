// Posed copies with a file for each copy and frame: "copies.c07.0012.ply".
#pragma once

#include "io/handoff/bake.h"

namespace garland {

// ending: ".ply" or ".obj". A copy that is not shown at a frame has no file there; neither have volumes, which bake()
// writes in files of their own. bytes: from the first frame's copies. Errors: invalid for an empty range; those of
// reading the first frame.
Result<BakeEstimate> estimate_copy_files(const Show& show, const BakeOrder& order, const char* ending,
                                         Progress& progress = Progress::none());

// PLY: what bake() writes of a copy, its number among the properties; OBJ: points, faces and texture coordinates. With
// order.starts, order.complete and order.wrote as bake() has them. Each file appears complete or not at all and is read
// back. Errors: exists (before anything is written); those of the frames; cancelled; files that are complete stay, and
// the error says so.
Result<BakeDone> write_copy_files(const Show& show, const BakeOrder& order, const char* ending,
                                  Progress& progress = Progress::none());

} // namespace garland
