// A timing as a file that other programs can give and take.
// CSV: a row a key, `output_frame,source_frame`, straight lines between; RFC 4180, numbers with a point.
// JSON: {"garland_timing": 1, "rate": "24", "timing": {…}}, the timing as in the project file, nothing lost.
#pragma once

#include "core/time/rate.h"
#include "core/time/timing.h"
#include "io/files/file.h"

#include <string>
#include <string_view>

namespace garland {

// A row for every whole output frame from the span's first to its last, and one for every key between whole frames.
// Before and after are not in it. Errors: too_large, above key_limit rows.
Result<std::string> curve_csv(const Timing& timing);
std::string curve_json(const Timing& timing, Rate rate);

struct Curve {
    Timing timing;        // without an id
    std::string words;    // "12 keys from 240 rows", "3 phrases"
    bool outside = false; // it says what comes before and after
};

// A timing that takes the curve: its id and name stay, and what comes before and after where the curve says nothing of
// it.
Timing with_curve(const Timing& now, const Curve& curve);

// Which of the two it is, is seen from its first character. Keys that lie on the line between their neighbours (within
// 10⁻⁹ of a source frame) are left out. A header is needed in CSV only where the columns are in another order.
// Errors: malformed, with the line: not two numbers in a row, decimal commas, frames that do not rise; too_large above
// key_limit rows; those of validate. `path` is for messages.
Result<Curve> parse_curve(std::string_view text, const std::string& path);

Result<Curve> read_curve(const std::string& path); // at most 256 MB
// By the path's ending: .csv or .json. Errors: unsupported for another one; those of writing.
Result<void> write_curve(const std::string& path, const Timing& timing, Rate rate, Existing existing);

} // namespace garland
