// The third demo project: lanterns along both quays of the canal on a curve, pinwheels whose delays follow noise,
// petals that carry small lanterns, and a ring of lanterns that meet at one frame.
#pragma once

#include "core/base/progress.h"
#include "core/project/project.h"

#include <string>

namespace garland {

inline constexpr std::int64_t canal_meeting = 96; // the output frame at which the ring agrees

Project canal_project();

// Writes the sources and canal.garland into a folder; the project's path. Errors: those of writing; cancelled.
// lantern_is_there: its files were just written with another project.
Result<std::string> write_canal(const std::string& folder, bool lantern_is_there = false,
                                Progress& progress = Progress::none());

} // namespace garland
