// One retimed source as USD, text or binary: a mesh or points with a time sample for every output frame.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "core/scene/written_as.h"
#include "io/files/file.h"

#include <string>

namespace garland {

struct UsdCacheOrder {
    std::string path; // .usda is text, .usdc binary
    std::string name; // of its prim
    FrameRange frames;
    Existing existing = Existing::refuse;
    std::int64_t step = 1; // every so many frames, from the first on; above 0
    WrittenAs as{};
    ShutterSamples shutter{};

    FrameSteps steps() const { return {frames, step, shutter}; }
};

struct UsdCacheDone {
    double bytes = 0;
    std::int64_t frames = 0, samples = 0; // samples: of the points; equal ones in a row are written at their ends only
};

// About how large the file will be, from its first frame; at most, since what stands still is written once.
Result<double> usd_cache_bytes(const Show& show, const UsdCacheOrder& order, Progress& progress = Progress::none());

// A show of a single copy (see core/project/alone.h). Time codes are output frames, at the output rate; in the space of
// `as`. Written: points, velocities (a second of output), normals, extent, displayColor, st (of points or of corners),
// ids and attributes as primvars; what never changes once, the rest as time samples; faces again where they change;
// invisible where nothing is shown. Read back: the points of every whole frame, to the last bit. Errors: unsupported,
// for volumes; invalid, for more than one copy; those of reading and writing; cancelled. The file appears complete or
// not at all.
Result<UsdCacheDone> write_usd_cache(const Show& show, const UsdCacheOrder& order,
                                     Progress& progress = Progress::none());

} // namespace garland
