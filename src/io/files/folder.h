// Folders that are written into.
#pragma once

#include "core/base/result.h"

#include <string>

namespace garland {

// Makes the folder and those above it, where they are not there. Errors: unreadable.
Result<void> make_folder(const std::string& folder);

} // namespace garland
