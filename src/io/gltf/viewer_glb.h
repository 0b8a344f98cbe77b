// One file for any viewer: glTF 2.0 (.glb) with each source's geometry once, its poses as morph targets, and for every
// copy an animation of their weights. Between two poses a viewer goes straight, as the copies do.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "io/files/file.h"

#include <string>
#include <vector>

namespace garland {

struct ViewerOrder {
    std::string path; // of the .glb
    FrameRange frames;
    double tolerance = 0.001; // source frames: how far straight pieces may leave a curved clock
    int per_frame = 2;        // poses between two file frames, where what lies between is not straight
    Existing existing = Existing::refuse;
};

// A source may have so many poses in use, and take so many bytes as targets; one that needs more is left out.
inline constexpr std::size_t viewer_most_targets = 1000;
inline constexpr double viewer_most_bytes = 1e9;

struct ViewerPlan {
    std::int64_t copies = 0, targets = 0, keys = 0; // keys: of all weights
    double bytes = 0, free = -1;
    bool there = false;
    std::vector<std::string> left_out; // arrangements that cannot be held so, with the reason
};
Result<ViewerPlan> plan_viewer(const Show& show, const ViewerOrder& order, Progress& progress = Progress::none());

struct ViewerDone {
    ViewerPlan plan;
    double bytes = 0;
    double worst_clock = 0; // source frames, as in TimedReferencesDone
};

// Seconds count from the first frame. Nodes are copies, with translations, rotations and scales (sampled for every
// output frame where they move; a scale of 0 hides). Jumps are two keys as close as floats allow. Not held: volumes,
// particles, changing faces, and phrases that fade into each other. Errors: exists; unsupported, where nothing can be
// held; too_large; disk_full …; those of reading; cancelled. The file appears complete or not at all.
Result<ViewerDone> write_viewer(const Show& show, const ViewerOrder& order, Progress& progress = Progress::none());

} // namespace garland
