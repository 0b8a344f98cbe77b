// A path for copies from a file: a polyline of an OBJ file, a line strip of glTF, curves of USD text, or a CSV of
// places.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"

#include <string>
#include <vector>

namespace garland {

struct PathInFile {
    std::vector<V3d> points; // scene units, y up
    bool closed = false;
    bool smooth = false;   // the file says that it is a curve through, or near, its points
    std::size_t paths = 1; // how many the file has; the first is taken
    std::string words;     // "24 points of the first of 2 lines"
};

// Errors: unsupported for another ending, malformed without a line of at least two points, or with the line or byte.
Result<PathInFile> read_path(const std::string& path);

} // namespace garland
