// In which space a hand-off is written, and what of its geometry. Here it is metres with y up.
#pragma once

#include "core/geometry/pose.h"

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace garland {

struct WrittenAs {
    bool z_up = false;      // the y axis becomes z, and z becomes −y: what faced the viewer faces −y
    double unit = 1;        // metres, above 0; 0.01: a number of 100 is a metre
    bool velocities = true; // of points; grids of volumes keep theirs
    bool attributes = true; // those with names, of points and faces; colours, normals, texture coordinates, ids always

    bool usual_space() const { return !z_up && unit == 1; }
    bool usual() const { return usual_space() && velocities && attributes; }
    float per_unit() const { return static_cast<float>(1 / unit); }
    V3f turned(const V3f& v) const { return z_up ? V3f(v.x, -v.z, v.y) : v; } // of directions
    V3f sized(const V3f& v) const { return turned(v) * per_unit(); }          // of points and velocities
    V3d turned(const V3d& v) const { return z_up ? V3d(v.x, -v.z, v.y) : v; }
    V3d sized(const V3d& v) const { return turned(v) / unit; }
};

// A unit of length by its name, or a number of metres; in metres. Nothing for what is none, or not above 0.
std::optional<double> unit_called(const std::string& text);
// Those with names, the largest first: what a window offers.
const std::vector<std::pair<const char*, double>>& units_of_length();

} // namespace garland
