// A timing as JSON: the same in the project file and in curve files.
#pragma once

#include "core/time/timing.h"
#include "io/json_part.h"

namespace garland {

inline const Word<Toward> toward_words[] = {
    {"step", Toward::step}, {"linear", Toward::linear}, {"smooth", Toward::smooth}, {"free", Toward::free}};

Json timing_json(const Timing& timing);

// Throws BadJson. with_id: the id must be there.
Timing read_timing(const JsonPart& part, bool with_id = true);

} // namespace garland
