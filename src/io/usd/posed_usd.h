// Posed copies as one USD file: a Mesh or Points prim for each copy, with its points in the scene for every frame.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "core/scene/written_as.h"
#include "io/files/file.h"

#include <string>
#include <vector>

namespace garland {

struct PosedUsdOrder {
    std::string path; // .usda is text, .usdc binary
    std::string name; // of its root prim
    FrameSteps frames;
    Existing existing = Existing::refuse;
    WrittenAs as{};
};

struct PosedUsdDone {
    double bytes = 0;
    std::int64_t copies = 0, frames = 0;
    std::vector<std::string> left_out; // volumes
    WrittenFile written;
};

// Points, velocities (a second of output, local speed and motion in them), normals, colours, texture coordinates and
// attributes as time samples at output frames; invisible where a copy is not there. Errors: exists; those of reading
// and writing; cancelled. The file appears complete or not at all.
Result<PosedUsdDone> write_posed_usd(const Show& show, const PosedUsdOrder& order,
                                     Progress& progress = Progress::none());
// About how many bytes it takes, from its first frame.
Result<double> posed_usd_bytes(const Show& show, const PosedUsdOrder& order, Progress& progress = Progress::none());

} // namespace garland
