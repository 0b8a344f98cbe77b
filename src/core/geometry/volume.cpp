#include "core/geometry/volume_grids.h"

#include "core/base/parallel.h"
#include "core/base/portable_math.h"
#include "core/geometry/blend.h"

#include <openvdb/tools/GridTransformer.h>
#include <openvdb/tools/Interpolation.h>
#include <openvdb/tools/Morphology.h>
#include <openvdb/tools/Prune.h>
#include <openvdb/tree/LeafManager.h>

#include <algorithm>
#include <cmath>
#include <mutex>
#include <unordered_map>

namespace garland {

namespace {

using openvdb::Coord;
using openvdb::FloatGrid;
using openvdb::GridBase;
using openvdb::Vec3f;
using openvdb::Vec3SGrid;

double length_of(float v) {
    return v;
}
double length_of(const Vec3f& v) {
    return v.length();
}

template <class Grid>
void learn(const Grid& grid, GridFacts& f) {
    bool first = true;
    for (auto it = grid.cbeginValueOn(); it; ++it) {
        const double v = length_of(*it);
        f.least = first ? v : std::min(f.least, v);
        f.most = first ? v : std::max(f.most, v);
        first = false;
    }
}

struct CoordHash {
    std::size_t operator()(const Coord& c) const { return c.hash<20>(); }
};

} // namespace

const openvdb::GridBase* find_grid(const VolumeGrids& grids, const std::string& name) {
    for (const auto& grid : grids.list) {
        if (grid->getName() == name) return grid.get();
    }
    return nullptr;
}

void start_volumes() {
    static std::once_flag once;
    std::call_once(once, [] { openvdb::initialize(); });
}

Volume::Volume(std::unique_ptr<VolumeGrids> grids) : grids_(std::move(grids)) {
    for (const auto& grid : grids_->list) bytes_ += grid->memUsage();
}

const std::vector<GridFacts>& Volume::facts() const {
    std::call_once(looked_, [this] {
        for (const auto& grid : grids_->list) {
            GridFacts& f = facts_.emplace_back();
            f.name = grid->getName();
            f.half = grid->saveFloatAsHalf();
            f.active = grid->activeVoxelCount();
            f.voxel = grid->voxelSize()[0];
            f.type = grid->valueType();
            if (grid->isType<FloatGrid>()) learn(static_cast<const FloatGrid&>(*grid), f);
            if (grid->isType<Vec3SGrid>()) {
                f.type = "vector";
                learn(static_cast<const Vec3SGrid&>(*grid), f);
            }
        }
    });
    return facts_;
}

std::size_t Volume::grids_count() const {
    return grids_->list.size();
}

const Imath::Box3f& Volume::box() const {
    std::call_once(boxed_, [this] {
        for (const auto& grid : grids_->list) {
            const openvdb::CoordBBox active = grid->evalActiveVoxelBoundingBox();
            if (active.empty()) continue;
            const openvdb::Vec3d half(0.5);
            const auto world = grid->transform().indexToWorld(
                openvdb::BBoxd(active.min().asVec3d() - half, active.max().asVec3d() + half));
            for (const auto& corner : {world.min(), world.max()})
                box_.extendBy(V3f(V3d(corner.x(), corner.y(), corner.z())));
        }
    });
    return box_;
}

Volume::~Volume() = default;

VolumeCells cells_of(const Volume& volume, std::size_t most) {
    VolumeCells out;
    for (const auto& base : volume.grids().list) {
        if (!base->isType<FloatGrid>()) continue;
        const auto& grid = static_cast<const FloatGrid&>(*base);
        const openvdb::CoordBBox box = grid.evalActiveVoxelBoundingBox();
        if (box.empty()) return out;
        int shift = 0;
        auto cells = [&](int k) { return (box.max()[k] >> shift) - (box.min()[k] >> shift) + 1; };
        while (static_cast<double>(cells(0)) * cells(1) * cells(2) > static_cast<double>(most)) ++shift;
        out.nx = cells(0), out.ny = cells(1), out.nz = cells(2);
        out.values.assign(static_cast<std::size_t>(out.nx) * static_cast<std::size_t>(out.ny) *
                              static_cast<std::size_t>(out.nz),
                          0.0f);
        const Coord low(box.min().x() >> shift, box.min().y() >> shift, box.min().z() >> shift);
        const auto each = static_cast<float>(std::pow(8.0, -shift));
        auto add = [&](const Coord& at, float v) {
            const Coord c(at.x() >> shift, at.y() >> shift, at.z() >> shift);
            out.values[static_cast<std::size_t>(c.x() - low.x()) +
                       static_cast<std::size_t>(out.nx) *
                           (static_cast<std::size_t>(c.y() - low.y()) +
                            static_cast<std::size_t>(out.ny) * static_cast<std::size_t>(c.z() - low.z()))] += v * each;
        };
        for (auto it = grid.cbeginValueOn(); it; ++it) {
            if (it.isVoxelValue()) {
                add(it.getCoord(), *it);
                continue;
            }
            openvdb::CoordBBox tile;
            it.getBoundingBox(tile);
            for (auto at = tile.begin(); at != tile.end(); ++at) add(*at, *it);
        }
        for (float v : out.values) out.largest = std::max(out.largest, v);
        const double side = std::pow(2.0, shift), middle = 0.5 * (side - 1);
        auto place = [&](const openvdb::Vec3d& cell) {
            const auto w = grid.transform().indexToWorld(cell * side + openvdb::Vec3d(middle));
            return V3d(w.x(), w.y(), w.z());
        };
        const openvdb::Vec3d first = low.asVec3d();
        out.origin = place(first);
        out.x = place(first + openvdb::Vec3d(1, 0, 0)) - out.origin;
        out.y = place(first + openvdb::Vec3d(0, 1, 0)) - out.origin;
        out.z = place(first + openvdb::Vec3d(0, 0, 1)) - out.origin;
        break;
    }
    return out;
}

VolumeDots dots_of(const Volume& volume, std::size_t most, bool relative) {
    VolumeDots out;
    for (const auto& base : volume.grids().list) {
        if (!base->isType<FloatGrid>()) continue;
        const auto& grid = static_cast<const FloatGrid&>(*base);
        int shift = 0;
        while (static_cast<double>(grid.activeVoxelCount()) > static_cast<double>(most) * std::pow(8.0, shift)) ++shift;
        struct Cell {
            Coord at;
            double sum = 0;
        };
        std::unordered_map<Coord, std::size_t, CoordHash> index;
        std::vector<Cell> cells;
        for (auto it = grid.cbeginValueOn(); it; ++it) {
            const Coord at = it.getCoord(), c(at.x() >> shift, at.y() >> shift, at.z() >> shift);
            const auto [place, fresh] = index.try_emplace(c, cells.size());
            if (fresh) cells.push_back({c});
            cells[place->second].sum += *it * static_cast<double>(it.getVoxelCount());
        }
        double largest = 1e-30;
        for (const Cell& c : cells) largest = std::max(largest, c.sum);
        const double side = std::pow(2.0, shift), middle = 0.5 * (side - 1);
        for (const Cell& c : cells) {
            if (relative && c.sum <= largest * 1e-3) continue;
            const auto w = grid.transform().indexToWorld(c.at.asVec3d() * side + openvdb::Vec3d(middle));
            out.places.emplace_back(V3d(w.x(), w.y(), w.z()));
            out.strength.push_back(static_cast<float>(relative ? c.sum / largest : c.sum));
        }
        out.cell = static_cast<float>(grid.voxelSize()[0] * side);
        break;
    }
    return out;
}

VolumePtr moved(const Volume& volume, bool z_up, double scale) {
    auto out = std::make_unique<VolumeGrids>();
    for (const auto& grid : volume.grids().list) {
        const bool vectors = grid->isType<Vec3SGrid>();
        GridBase::Ptr copy = vectors ? grid->deepCopyGrid() : grid->copyGrid(); // trees of numbers are shared
        auto transform = grid->transform().copy();
        if (z_up)
            transform->postMult(openvdb::math::Mat4d(1.0, 0.0, 0.0, 0.0, 0.0, 0.0, -1.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0,
                                                     0.0, 0.0, 1.0)); // exact, for row vectors
        transform->postScale(scale);
        copy->setTransform(transform);
        if (vectors) {
            for (auto it = static_cast<Vec3SGrid&>(*copy).beginValueOn(); it; ++it) {
                const Vec3f v = *it;
                it.setValue((z_up ? Vec3f(v.x(), v.z(), -v.y()) : v) * static_cast<float>(scale));
            }
        }
        out->list.push_back(copy);
    }
    return std::make_shared<Volume>(std::move(out));
}

VolumePtr placed(const Volume& volume, const VolumePlace& place, double speed) {
    const auto& [x, y, z, size, position] = place;
    const openvdb::math::Mat4d turn(x.x, x.y, x.z, 0.0, y.x, y.y, y.z, 0.0, z.x, z.y, z.z, 0.0, 0.0, 0.0, 0.0, 1.0);
    auto out = std::make_unique<VolumeGrids>();
    for (const auto& grid : volume.grids().list) {
        const bool vectors = grid->isType<Vec3SGrid>();
        GridBase::Ptr copy = vectors ? grid->deepCopyGrid() : grid->copyGrid();
        auto transform = grid->transform().copy();
        transform->postScale({size.x, size.y, size.z});
        transform->postMult(turn); // for row vectors
        transform->postTranslate({position.x, position.y, position.z});
        copy->setTransform(transform);
        if (vectors) {
            const Vec3f by(openvdb::Vec3d(size.x, size.y, size.z) * speed);
            for (auto it = static_cast<Vec3SGrid&>(*copy).beginValueOn(); it; ++it) {
                const Vec3f v = *it * by;
                const V3f t = V3f(x) * v.x() + V3f(y) * v.y() + V3f(z) * v.z();
                it.setValue(Vec3f(t.x, t.y, t.z));
            }
        }
        out->list.push_back(copy);
    }
    return std::make_shared<Volume>(std::move(out));
}

VolumePtr volume_from(const std::vector<DenseGrid>& grids) {
    start_volumes();
    auto out = std::make_unique<VolumeGrids>();
    for (const DenseGrid& d : grids) {
        if (d.vectors.empty()) {
            const auto grid = empty_grid<FloatGrid>(d);
            auto to = grid->getAccessor();
            each_voxel(d, [&](const Coord& at, std::size_t i) {
                if (d.values[i] != 0) to.setValue(at, d.values[i]);
            });
            out->list.push_back(grid);
        } else {
            const auto grid = empty_grid<Vec3SGrid>(d);
            auto to = grid->getAccessor();
            each_voxel(d, [&](const Coord& at, std::size_t i) {
                const V3f& v = d.vectors[i];
                if (v != V3f(0)) to.setValue(at, Vec3f(v.x, v.y, v.z));
            });
            out->list.push_back(grid);
        }
    }
    return std::make_shared<Volume>(std::move(out));
}

VolumePtr only_grids(const Volume& volume, const std::vector<std::string>& names, bool half) {
    auto out = std::make_unique<VolumeGrids>();
    for (const auto& grid : volume.grids().list) {
        if (std::find(names.begin(), names.end(), grid->getName()) == names.end()) continue;
        out->list.push_back(grid->copyGrid());
        out->list.back()->setSaveFloatAsHalf(half);
    }
    return std::make_shared<Volume>(std::move(out));
}

namespace {
template <class Grid>
double furthest_of(const Grid& a, const Grid& b) {
    double most = 0;
    auto look = [&](const Grid& from, const Grid& other) {
        const auto there = other.getConstAccessor();
        for (auto it = from.cbeginValueOn(); it; ++it)
            most = std::max(most, length_of(typename Grid::ValueType(*it - there.getValue(it.getCoord()))));
    };
    look(a, b);
    look(b, a);
    return most;
}
} // namespace

double furthest(const Volume& a, const Volume& b) {
    double most = 0;
    for (const auto& grid : a.grids().list) {
        const GridBase* other = find_grid(b.grids(), grid->getName());
        if (!other || other->type() != grid->type()) continue;
        if (grid->isType<FloatGrid>())
            most = std::max(most,
                            furthest_of(static_cast<const FloatGrid&>(*grid), static_cast<const FloatGrid&>(*other)));
        if (grid->isType<Vec3SGrid>())
            most = std::max(most,
                            furthest_of(static_cast<const Vec3SGrid&>(*grid), static_cast<const Vec3SGrid&>(*other)));
    }
    return most;
}

float value_at(const Volume& volume, const std::string& name, const V3f& place) {
    const GridBase* grid = find_grid(volume.grids(), name);
    if (!grid || !grid->isType<FloatGrid>()) return 0;
    const auto& typed = static_cast<const FloatGrid&>(*grid);
    openvdb::tools::GridSampler<FloatGrid, openvdb::tools::BoxSampler> sample(typed);
    return sample.wsSample(openvdb::Vec3d(place.x, place.y, place.z));
}

} // namespace garland
