// A timing as JSON: the same in the project file and in curve files.
#pragma once

#include "core/time/keyed_curve.h"
#include "core/time/timing.h"
#include "io/files/json_part.h"

namespace garland {

// A field that files leave out where it has its usual value; text: the value as JSON.
template <class T>
void add_unless_usual(Json& j, const char* key, const T& value, const T& usual, const Json& text) {
    if (!(value == usual)) j[key] = text;
}

Json timing_json(const Timing& timing);

// Throws BadJson. with_id: the id must be there.
Timing read_timing(const JsonPart& part, bool with_id = true);

// Curves of values over keys; read_curve throws BadJson, and gives no keys where the field is missing.
Json write(const KeyedCurve& curve);
KeyedCurve read_curve(const JsonPart& part, const char* field);

} // namespace garland
