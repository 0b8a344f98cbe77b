// Arrangements and their spreads as the project file has them.
#pragma once

#include "core/copies/arrangement.h"
#include "io/files/json_part.h"

namespace garland {

Json arrangement_json(const Arrangement& arrangement);
Arrangement read_arrangement(const JsonPart& part); // complains as JsonPart does

// The words of the project file, which the command line takes too.

} // namespace garland
