// The first curve of a USD text file.
#pragma once

#include "io/tables/path_file.h"

namespace garland {

Result<PathInFile> read_usda_path(const std::string& path);

} // namespace garland
