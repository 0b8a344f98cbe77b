// A project's timing as a file for other programs: .csv, .json, or phrases as .otio.
#pragma once

#include "core/project/project.h"
#include "io/files/file.h"

#include <string>

namespace garland {

// What else there is to say: "7 clips; the endless repeat is written once"; empty: nothing. The clips name the source
// of the first arrangement that follows the timing. Errors: not_found; those of curve_file.h and otio.h.
Result<std::string> export_timing(const Project& project, TimingId timing, const std::string& path, Existing existing);

} // namespace garland
