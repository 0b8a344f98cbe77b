// Times on the command line with a unit, as the window's fields take them: "12f", "0.5s", "250ms", "2beats".
#pragma once

#include "core/base/result.h"

#include <string>
#include <vector>

namespace garland {

// The arguments without the program's name; what follows an option of time, also as a range "P:Q", is in plain frames
// then. Seconds and beats go by the rate and the tempo of the project that is named. Errors: invalid, for a unit that
// is not known; those of loading that project, where a unit needs it.
Result<std::vector<std::string>> with_times_in_frames(int argc, char** argv);

} // namespace garland
