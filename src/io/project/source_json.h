// Sources and wobbles as the project file has them.
#pragma once

#include "core/project/project.h"
#include "io/files/json_part.h"

namespace garland {

Json write(const SourceSpec& source);
SourceSpec read_source(const JsonPart& part); // complains as JsonPart does

Json write(const Wobble& wobble);
Wobble read_wobble(const JsonPart& part);

} // namespace garland
