// What stands behind Volume. Included by few files only: OpenVDB takes half a minute to compile.
#pragma once

#include "core/geometry/openvdb_trees.h"
#include "core/geometry/volume.h"

namespace garland {

struct VolumeGrids {
    std::vector<openvdb::GridBase::Ptr> list; // never changed once shared
};

// An empty grid of a dense grid's voxels, name and half-float mark.
template <class Grid>
typename Grid::Ptr empty_grid(const DenseGrid& dense) {
    auto grid = Grid::create(typename Grid::ValueType(0.0f));
    auto transform = openvdb::math::Transform::createLinearTransform(dense.voxel);
    transform->postTranslate({dense.origin.x, dense.origin.y, dense.origin.z});
    grid->setTransform(transform);
    grid->setName(dense.name);
    grid->setSaveFloatAsHalf(dense.half);
    return grid;
}

// use(place, index) for each voxel, x fastest.
template <class Use>
void each_voxel(const DenseGrid& dense, Use&& use) {
    std::size_t i = 0;
    for (int z = 0; z < dense.nz; ++z) {
        for (int y = 0; y < dense.ny; ++y) {
            for (int x = 0; x < dense.nx; ++x, ++i) use(openvdb::Coord(x, y, z), i);
        }
    }
}

// The grid of that name; null: there is none.
const openvdb::GridBase* find_grid(const VolumeGrids& grids, const std::string& name);

void start_volumes(); // the library's own registration, once

} // namespace garland
