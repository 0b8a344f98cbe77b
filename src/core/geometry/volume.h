// A volume: named sparse grids of one frame. OpenVDB's types stay behind this header, since they take long to compile.
#pragma once

#include "core/geometry/pose.h"

#include <mutex>

namespace garland {

struct GridFacts {
    std::string name;         // "density"
    std::string type;         // "float", "vector", or what the library calls another one (which is carried, not mixed)
    bool half = false;        // written as half floats
    bool read = true;         // false: of a kind that readers leave out
    bool staggered = false;   // vectors on the faces of cells, in a file; readers move them to the cells' middles
    std::uint64_t active = 0; // voxels
    double voxel = 0;         // size of a voxel in x, in the source's units
    double least = 0, most = 0; // of the active values; vectors: of their lengths
};

struct VolumeGrids; // volume_grids.h

class Volume {
  public:
    explicit Volume(std::unique_ptr<VolumeGrids> grids);
    ~Volume();
    const std::vector<GridFacts>& facts() const; // looked up when first asked for: that visits every voxel
    std::size_t bytes() const { return bytes_; }
    std::size_t grids_count() const;
    const Imath::Box3f& box() const; // of all active voxels, in the source's units; looked up when first asked for
    const VolumeGrids& grids() const { return *grids_; }

  private:
    std::unique_ptr<VolumeGrids> grids_;
    std::size_t bytes_ = 0;
    mutable std::once_flag looked_, boxed_;
    mutable std::vector<GridFacts> facts_;
    mutable Imath::Box3f box_;
};
using VolumePtr = std::shared_ptr<const Volume>;

// a + w·(b − a) of every float and vector grid that both have with the same transform, leaf by leaf; a grid with
// another transform is resampled to a's first, and one that only a volume has fades in or out against its background.
VolumePtr mix(const Volume& a, const Volume& b, double w);

// Both volumes carried along their own velocity grids to the moment between them (a forward by w·seconds, b back by
// (1 − w)·seconds; semi-Lagrangian, by the midpoint rule: J. Stam, "Stable fluids", 1999),
// then mixed by w. The velocity grid is the first vector grid called v, vel or velocity; without one: mix.
VolumePtr mix_carried(const Volume& a, const Volume& b, double w, double seconds);

// Two volumes laid over each other by their weights. The first float grid of a (the density): a·weight_a + b·weight_b,
// or the larger of both terms. Every other grid: the mean of both, each counted by how much density its layer brings
// there; where neither brings any, by the weights. A grid that only one of them has counts as its background in the
// other. density: as sum, of weights that come to 1; where the layer that goes has the share r of its largest density,
// the share s of the one that comes is s + r·s·(1 − s) there: what is dense changes over sooner, and at both ends
// nothing differs from sum.
enum class VolumeJoin { sum, maximum, density };
VolumePtr lay_over(const Volume& a, const Volume& b, double weight_a, double weight_b, VolumeJoin join,
                   bool b_comes = true);

// At most `most` places in the volume: cell centres with what the first float grid has there; relative: 0 … 1 of the
// largest cell, without the thinnest; otherwise all that the cell's voxels hold.
struct VolumeDots {
    std::vector<V3f> places;
    std::vector<float> strength;
    float cell = 0; // side of the cell one dot stands for
};
VolumeDots dots_of(const Volume& volume, std::size_t most, bool relative = true);

// The first float grid as a block of cells for marching through it: at most `most` of them, each the mean of the voxels
// it holds. Empty without such a grid, or without voxels.
struct VolumeCells {
    int nx = 0, ny = 0, nz = 0;
    std::vector<float> values;              // x fastest
    V3d origin{0, 0, 0};                    // the centre of the first cell; source units
    V3d x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}; // from one cell to the next
    float largest = 0;
};
VolumeCells cells_of(const Volume& volume, std::size_t most);

// Every grid moved into another frame: turned from z up to y up, then scaled.
VolumePtr moved(const Volume& volume, bool z_up, double scale);

// The volume of a copy: sized (along its own axes), turned (its axes become `x`, `y` and `z`) and put in its place;
// vectors are turned and sized too, and times `speed`. Floats are shared.
struct VolumePlace {
    V3d x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}, size{1, 1, 1}, position{0, 0, 0};
};
VolumePtr placed(const Volume& volume, const VolumePlace& place, double speed);

// A volume of dense grids, as solvers have them. `values` has nx·ny·nz entries, x fastest;
// values of 0 (or vectors of 0) are left out. origin: the centre of the first voxel.
struct DenseGrid {
    std::string name;
    int nx = 0, ny = 0, nz = 0;
    double voxel = 1;
    V3d origin{0, 0, 0};
    bool half = false;
    std::vector<float> values{}; // floats, or
    std::vector<V3f> vectors{};
};
VolumePtr volume_from(const std::vector<DenseGrid>& grids);

// Only the grids of these names, in their order, and how they are to be stored; numbers are shared. Others are left
// out.
VolumePtr only_grids(const Volume& volume, const std::vector<std::string>& names, bool half);

// The largest difference of a number between the grids that both have, over what is active in either.
double furthest(const Volume& a, const Volume& b);

// The value at a place in the source's units, linearly between voxels; 0 for a grid that is not there.
float value_at(const Volume& volume, const std::string& grid, const V3f& place);

} // namespace garland
