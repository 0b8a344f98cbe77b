// Writing the posed copies: a series of PLY files, one merged mesh a frame.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "core/scene/written_as.h"
#include "core/time/frame_steps.h"
#include "io/files/file.h"

#include <functional>
#include <string>
#include <vector>

namespace garland {

struct BakeOrder {
    std::string folder;          // made if it is not there
    std::string name = "copies"; // files are name.0001.ply …; see file_names.h
    FrameRange frames;
    Existing existing = Existing::refuse;
    std::int64_t step = 1; // every so many frames, from the first on; above 0
    WrittenAs as{};
    ShutterSamples shutter{};
    // For going on where it was stopped: whether a frame's file is complete already, and what was just written.
    std::function<Result<void>()> starts{}; // once nothing speaks against it, before the first file
    std::function<bool(const std::string& name)> complete{};
    std::function<Result<void>(const WrittenFile& file, std::int64_t frame)> wrote{};

    FrameSteps steps() const { return {frames, step, shutter}; }
};

struct BakeEstimate {
    double bytes = 0; // of all files, from the first frame's copies
    double free = -1; // bytes on that disk; −1 unknown
    std::int64_t files = 0;
    std::int64_t volume_files = 0; // beside them: one .vdb for each copy of a volume and frame
    std::int64_t existing = 0;     // how many of them are there already
};

struct BakeDone {
    std::vector<std::string> files;
    double bytes = 0;
    std::int64_t poses = 0, copies = 0; // summed over all frames that were written
    std::int64_t kept = 0;              // frames that were complete
    std::vector<WrittenFile> written{}; // of an array and its mesh: what is known of the files
};

// Errors: invalid for an empty range; those of reading the first frame.
Result<BakeEstimate> estimate(const Show& show, const BakeOrder& order, Progress& progress = Progress::none());

// Whether nothing is in the way and the disk has room. Errors: exists, disk_full, with what is told to people.
Result<void> may_write(const BakeEstimate& before, const BakeOrder& order);

// Writes points, velocities (source velocity · local speed, turned and sized with the copy), normals, texture
// coordinates, colours, ids, attributes and the copy's number (from 1) of every visible copy. Volumes are written
// beside them, each copy and frame into a .vdb of its own. Each file appears complete or not at all, and its counts are
// read back. Errors: exists (before anything is written), disk_full, cancelled …; files of earlier frames stay, and the
// error says so.
Result<BakeDone> bake(const Show& show, const BakeOrder& order, Progress& progress = Progress::none());

} // namespace garland
