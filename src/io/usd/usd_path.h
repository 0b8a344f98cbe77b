// The first curve of a USD file.
#pragma once

#include "io/tables/path_file.h"

namespace garland {

Result<PathInFile> read_usd_path(const std::string& path);

} // namespace garland
