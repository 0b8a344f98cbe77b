// The names that fields of project files had before they were decided on.
#pragma once

#include "io/files/json_part.h"

#include <string>
#include <vector>

namespace garland {

// Gives the fields of a project, of a timing alone (curve files), or of an arrangement alone (copied text) the names
// they have now, where the new name is not there as well. What is no object is left for the reader to complain about.
// Returns what was renamed, each name once: "master is slider now".
std::vector<std::string> take_earlier_names(Json& project);
std::vector<std::string> take_earlier_names_of_timing(Json& timing);
std::vector<std::string> take_earlier_names_of_arrangement(Json& arrangement);

// One sentence for whoever opened the file; "" where nothing was renamed.
std::string earlier_names_note(const std::vector<std::string>& renamed);

} // namespace garland
