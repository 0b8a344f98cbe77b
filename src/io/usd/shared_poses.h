// Shared poses: each distinct pose once, and for every copy and frame only which pose it shows and where it stands. A
// PointInstancer for each source (USD's schema of that name).
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "core/scene/written_as.h"
#include "io/files/file.h"

#include <string>
#include <vector>

namespace garland {

struct SharedPosesOrder {
    std::string path; // .usda is text, .usdc binary
    std::string name; // of its root prim
    FrameSteps frames;
    int per_frame = 8; // file frames are rounded to 1/per_frame, 1 … 1000
    Existing existing = Existing::refuse;
    WrittenAs as{};
};

// What it would hold, before anything is written.
struct SharedPosesPlan {
    std::int64_t picks = 0; // distinct source frames that copies show, over all frames
    std::int64_t poses = 0; // of them that are left after rounding: what is written
    double worst = 0;       // metres: how far rounding moves any point, at most; measured on the picks that are moved
                            // furthest, one between each two file frames, times the largest copy
    std::string worst_source;
    double usual_step = 0;             // metres: how far that source's points usually go from file frame to file frame
    bool unmeasured = false;           // some poses cannot be compared point by point
    double bytes = 0;                  // of the file, about
    double baked_bytes = 0;            // of the same copies as posed copies, about
    double free = -1;                  // bytes on that disk; −1 unknown
    std::int64_t files = 0, there = 0; // there: of the files, that exist already
};

// Errors: invalid; those of reading; cancelled.
Result<SharedPosesPlan> plan_shared_poses(const Show& show, const SharedPosesOrder& order,
                                          Progress& progress = Progress::none());

struct SharedPosesDone {
    SharedPosesPlan plan;
    std::vector<std::string> files; // the layer, then those of volumes
    double bytes = 0;
    std::int64_t copies = 0, frames = 0;
};

// Written, for each source: a prim of type PointInstancer with the prototypes below it, ids (a copy's number from 1),
// and as time samples (output frames) protoIndices, positions, orientations (half floats, as the schema wants them;
// orientationsf beside it as floats, for readers that know it), scales, invisibleIds; velocities and angularVelocities
// where copies move. Prototypes have no velocities: their local speeds differ from copy to copy. A pose of a volume is
// an OpenVDB file beside the layer, name.source.0001.vdb. Errors: exists, disk_full …; those of reading; cancelled. All
// files appear, or none does and what was there stays.
Result<SharedPosesDone> write_shared_poses(const Show& show, const SharedPosesOrder& order,
                                           Progress& progress = Progress::none());

} // namespace garland
