// Grids of any kind of number as those that all work is done in: floats, and vectors of three floats. Included by
// volume_source.cpp only.
#pragma once

#include "core/geometry/openvdb_trees.h"

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace garland {

// Numbers of eight bytes, whole numbers and truth values (true: 1) as floats, vectors of them as vectors of floats,
// with the same frame and name; other grids as they are.
openvdb::GridBase::Ptr with_floats(const openvdb::GridBase::Ptr& grid);

// Whether a kind of grid, as the library calls it, comes out of with_floats as a float grid or as a vector grid.
bool becomes_floats(std::string_view kind);
bool becomes_vectors(std::string_view kind);

// Which of three float grids are the axes of a velocity, by their names: velocity, vel or v with x, y, z behind it,
// also after "." or "_" and in capitals ("vel.x", "velX"), or u, v and w (common practice, no source). The name of the
// whole and the three indices; none where a grid of the whole's name is there itself, or one axis is missing.
struct VelocityAxes {
    std::string name;
    std::array<std::size_t, 3> axes{};
};
std::optional<VelocityAxes> velocity_axes(const std::vector<std::string>& names);

// One vector grid of three float grids: where any of them has a value, in the first one's frame. Those in other frames
// (staggered ones lie half a voxel apart) are sampled there, linearly between their voxels. This and with_centres take
// twelve bytes for every active voxel, tiles included.
openvdb::Vec3SGrid::Ptr joined_axes(const openvdb::FloatGrid& x, const openvdb::FloatGrid& y,
                                    const openvdb::FloatGrid& z, const std::string& name);

// A vector grid whose values lie on the faces of its cells (the library's class "staggered"): the same, with each value
// in its cell's middle, as the mean of both faces of an axis. Others as they are.
openvdb::GridBase::Ptr with_centres(const openvdb::GridBase::Ptr& grid);

} // namespace garland
