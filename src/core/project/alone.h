// One source by itself: what is handed off when it is the retimed source that is wanted and not the copies.
#pragma once

#include "core/project/project.h"

namespace garland {

// The project with a single copy of the source, upright at the origin, unvaried, in the timing of the first arrangement
// that shows it. Errors: not_found, where nothing shows the source.
Result<Project> alone(const Project& project, SourceId source);

} // namespace garland
