// What has to be learned from sources and sounds before zones and sounds can play copies.
#pragma once

#include "core/project/show.h"

namespace garland {

// Reads distances from meshes, what zones ride on, where carried copies are at every output frame, and analyses sounds:
// everything that `sources` does not know yet for this project. Trouble is kept with what it belongs to. True when
// anything was learned; errors: cancelled.
Result<bool> find_drive_ground(const Project& project, OpenSources& sources, PoseCache& cache, Progress& progress);
bool needs_drive_ground(const Project& project, const OpenSources& sources);

// What takes a zone along its path, at whole output frames; empty where it rides on none.
ZoneCarriage carriage_along_path(const Zone& zone);

} // namespace garland
