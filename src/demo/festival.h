// The demo data: a paper lantern on a canal quay in gusty wind, simulated here, and the project that strings it up.
// Seeded and deterministic: the same bytes every time.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/geometry/pose.h"
#include "core/project/project.h"

#include <string>
#include <vector>

namespace garland {

struct LanternCache {
    Pose base;                                // faces, colours, and the first frame's points
    std::vector<std::vector<V3f>> frames;     // 96, in metres; the cord hangs from the origin, y up
    std::vector<std::vector<V3f>> velocities; // metres a second
};

// A paper lantern as cloth held by hoops, pushed by wind on its faces, with a tassel of swinging strands.
// 96 frames at 24 a second, which do not loop. Errors: cancelled.
Result<LanternCache> simulate_lantern(Progress& progress = Progress::none());

// Sixty lanterns in swags along both quays, held and played there and back, no two of them twins. source_path as it
// will stand in the project file.
Project festival_project(const std::string& source_path);

// Writes lantern.ply, lantern.npy and lantern_velocity.npy into `folder` (made if missing), replacing files of these
// names.
Result<void> write_lantern(const std::string& folder, Progress& progress = Progress::none());

// Writes lantern.ply, lantern.npy, lantern_velocity.npy and festival.garland into `folder` (made if missing), replacing
// files of these names. Returns the project's path.
Result<std::string> write_demo(const std::string& folder, Progress& progress = Progress::none());

} // namespace garland
