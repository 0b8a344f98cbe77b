// OpenVDB's own C++ library as a writer of test files. Its headers and Qt's keywords do not go together.
#pragma once

#include "core/geometry/volume.h"

#include <cstdint>
#include <string>

namespace garland::testing {

enum : std::uint32_t { vdb_none = 0, vdb_zip = 1, vdb_active = 2, vdb_blosc = 4 }; // openvdb/io/Compression.h

// The grids density (floats, 70³), heat (doubles, 40³), velocity (floats, 40³), force (doubles, 40³), nothing (no
// voxels), tiles (tiles only, 4096 × 128 × 128 voxels of 3), switches (booleans), count and number (whole numbers of 4
// and 8 bytes, 40³). Voxels of 0.5; the value at x, y, z is 1 + x + 2y + 3z.
void write_every_grid(const std::string& path, std::uint32_t compression);
void write_ball(const std::string& path, int size); // density only

// A grid of points "sparks" with voxels of 0.25: point i lies at place_of_point(i), and has the id 7 i + 1 (where
// `ids`), the velocity (i, 0, −1), heat i / 2, count i and axis (0, 0, i). fixed: places are stored in 16 bits a voxel.
void write_points(const std::string& path, int count, double rise = 0, bool ids = true, bool fixed = false);
V3f place_of_point(int i, double rise = 0);

// A vector grid's value at a place, linearly between voxels.
V3f vector_at(const Volume& volume, const std::string& name, const V3f& place);

} // namespace garland::testing
