#include "core/geometry/volume_grids.h"

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
using openvdb::Vec3SGrid;
using openvdb::Vec3f;

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

const GridBase* find(const VolumeGrids& grids, const std::string& name) {
    for (const auto& grid : grids.list) {
        if (grid->getName() == name) return grid.get();
    }
    return nullptr;
}

const Vec3SGrid* velocity_of(const VolumeGrids& grids) {
    for (const char* name : {"velocity", "vel", "v"}) {
        const GridBase* grid = find(grids, name);
        if (grid && grid->isType<Vec3SGrid>()) return static_cast<const Vec3SGrid*>(grid);
    }
    return nullptr;
}

// b on a's voxels.
template <class Grid>
typename Grid::ConstPtr on_grid_of(const Grid& a, const typename Grid::ConstPtr& b) {
    if (a.transform() == b->transform()) return b;
    auto out = Grid::create(b->background());
    out->setTransform(a.transform().copy());
    openvdb::tools::resampleToMatch<openvdb::tools::BoxSampler>(*b, *out);
    return out;
}

// The numbers of one leaf, or the one number a tile has there.
template <class Tree>
struct LeafValues {
    using Value = typename Tree::ValueType;
    const Value* values = nullptr;
    Value all{};
    LeafValues(const openvdb::tree::ValueAccessor<const Tree>& from, const Coord& origin) {
        const auto* leaf = from.probeConstLeaf(origin);
        values = leaf ? leaf->buffer().data() : nullptr;
        if (!values) all = from.getValue(origin);
    }
    const Value& operator[](std::size_t i) const { return values ? values[i] : all; }
};

void lerp(const float* a, const float* b, float w, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = a[i] + w * (b[i] - a[i]);
}

const float* floats(const float* p) {
    return p;
}
const float* floats(const Vec3f* p) {
    return p->asV();
}

template <class Grid>
typename Grid::Ptr mixed(const Grid& a, const Grid& b, float w) {
    using Tree = typename Grid::TreeType;
    using Value = typename Grid::ValueType;
    auto out = a.deepCopy();
    out->tree().topologyUnion(b.tree());
    constexpr std::size_t size = Tree::LeafNodeType::SIZE;
    openvdb::tree::LeafManager<Tree> leaves(out->tree());
    leaves.foreach ([&](typename Tree::LeafNodeType& leaf, std::size_t) {
        const openvdb::tree::ValueAccessor<const Tree> in_a(a.tree()), in_b(b.tree());
        const LeafValues<Tree> from_a(in_a, leaf.origin()), from_b(in_b, leaf.origin());
        Value* to = leaf.buffer().data();
        if (from_a.values && from_b.values) {
            lerp(floats(from_a.values), floats(from_b.values), w, const_cast<float*>(floats(to)), size * sizeof(Value) / sizeof(float));
        } else {
            for (std::size_t i = 0; i < size; ++i) to[i] = from_a[i] + (from_b[i] - from_a[i]) * w;
        }
    });
    // A tile of the union is one of both: neither has anything finer there.
    auto tile = out->beginValueOn();
    tile.setMaxDepth(Tree::ValueOnIter::LEAF_DEPTH - 1);
    for (; tile; ++tile) {
        const Value x = a.tree().getValue(tile.getCoord()), y = b.tree().getValue(tile.getCoord());
        tile.setValue(x + (y - x) * w);
    }
    return out;
}

// Against nothing: the values go to the background as `share` goes to 0.
template <class Grid>
typename Grid::Ptr faded(const Grid& grid, float share) {
    auto out = grid.deepCopy();
    const auto ground = grid.background();
    for (auto it = out->beginValueOn(); it; ++it) it.setValue(ground + (*it - ground) * share);
    return out;
}

// The grid as it is after `seconds` (negative: before), by looking back along the velocity from every voxel.
template <class Grid>
typename Grid::Ptr advected(const Grid& from, const Vec3SGrid& velocity, double seconds, float fastest) {
    using Tree = typename Grid::TreeType;
    auto out = Grid::create(from.background());
    out->setTransform(from.transform().copy());
    out->insertMeta(from);
    out->tree().topologyUnion(from.tree());
    const double voxel = from.voxelSize()[0];
    const int reach = static_cast<int>(std::min(std::ceil(fastest * std::abs(seconds) / voxel), 32.0)) + 1;
    openvdb::tools::dilateActiveValues(out->tree(), reach, openvdb::tools::NN_FACE_EDGE_VERTEX, openvdb::tools::EXPAND_TILES);
    openvdb::tree::LeafManager<Tree> leaves(out->tree());
    const auto& transform = from.transform();
    leaves.foreach ([&](typename Tree::LeafNodeType& leaf, std::size_t) {
        const auto values = from.getConstAccessor(); // samplers keep a reference
        const auto speeds = velocity.getConstAccessor();
        openvdb::tools::GridSampler<typename Grid::ConstAccessor, openvdb::tools::BoxSampler> value(values, transform);
        openvdb::tools::GridSampler<Vec3SGrid::ConstAccessor, openvdb::tools::BoxSampler> speed(speeds, velocity.transform());
        for (auto it = leaf.beginValueOn(); it; ++it) {
            const openvdb::Vec3d here = transform.indexToWorld(it.getCoord());
            const openvdb::Vec3d middle = here - openvdb::Vec3d(speed.wsSample(here)) * (0.5 * seconds);
            it.setValue(value.wsSample(here - openvdb::Vec3d(speed.wsSample(middle)) * seconds));
        }
    });
    openvdb::tools::pruneInactive(out->tree());
    return out;
}

struct CoordHash {
    std::size_t operator()(const Coord& c) const { return c.hash<20>(); }
};

float fastest_of(const Vec3SGrid& velocity) {
    float most = 0;
    for (auto it = velocity.cbeginValueOn(); it; ++it) most = std::max(most, it->length());
    return most;
}

GridBase::Ptr named(GridBase::Ptr grid, const GridBase& like) {
    grid->setName(like.getName());
    grid->setSaveFloatAsHalf(like.saveFloatAsHalf());
    return grid;
}

// What both volumes make of each of their grids.
template <class Both, class One>
VolumePtr combine(const Volume& a, const Volume& b, Both&& both, One&& one) {
    auto out = std::make_unique<VolumeGrids>();
    for (const auto& grid : a.grids().list) {
        const GridBase* other = find(b.grids(), grid->getName());
        if (!other || other->type() != grid->type()) {
            out->list.push_back(one(grid, true));
        } else {
            const auto at = std::find_if(b.grids().list.begin(), b.grids().list.end(), [&](const auto& g) { return g.get() == other; });
            out->list.push_back(both(grid, *at));
        }
    }
    for (const auto& grid : b.grids().list) {
        if (!find(a.grids(), grid->getName())) out->list.push_back(one(grid, false));
    }
    return std::make_shared<Volume>(std::move(out));
}

GridBase::Ptr fade(const GridBase::Ptr& grid, float share) {
    if (grid->isType<FloatGrid>()) return named(faded(static_cast<const FloatGrid&>(*grid), share), *grid);
    if (grid->isType<Vec3SGrid>()) return named(faded(static_cast<const Vec3SGrid&>(*grid), share), *grid);
    return grid;
}

template <class Grid>
GridBase::Ptr mix_typed(const GridBase::Ptr& a, const GridBase::Ptr& b, float w) {
    const auto& first = static_cast<const Grid&>(*a);
    const auto second = on_grid_of<Grid>(first, openvdb::gridConstPtrCast<Grid>(b));
    return named(mixed<Grid>(first, *second, w), *a);
}

GridBase::Ptr mix_grids(const GridBase::Ptr& a, const GridBase::Ptr& b, float w) {
    if (a->isType<FloatGrid>()) return mix_typed<FloatGrid>(a, b, w);
    if (a->isType<Vec3SGrid>()) return mix_typed<Vec3SGrid>(a, b, w);
    return w < 0.5f ? a : b;
}

GridBase::Ptr carry(const GridBase::Ptr& grid, const Vec3SGrid& velocity, double seconds, float fastest) {
    if (grid->isType<FloatGrid>()) return named(advected(static_cast<const FloatGrid&>(*grid), velocity, seconds, fastest), *grid);
    if (grid->isType<Vec3SGrid>()) return named(advected(static_cast<const Vec3SGrid&>(*grid), velocity, seconds, fastest), *grid);
    return grid;
}

} // namespace

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

const Imath::Box3f& Volume::box() const {
    std::call_once(boxed_, [this] {
        for (const auto& grid : grids_->list) {
            const openvdb::CoordBBox active = grid->evalActiveVoxelBoundingBox();
            if (active.empty()) continue;
            const openvdb::Vec3d half(0.5);
            const auto world = grid->transform().indexToWorld(openvdb::BBoxd(active.min().asVec3d() - half, active.max().asVec3d() + half));
            for (const auto& corner : {world.min(), world.max()}) box_.extendBy(V3f(V3d(corner.x(), corner.y(), corner.z())));
        }
    });
    return box_;
}

Volume::~Volume() = default;

VolumePtr mix(const Volume& a, const Volume& b, double w) {
    const auto share = static_cast<float>(w);
    return combine(
        a, b, [&](const auto& x, const auto& y) { return mix_grids(x, y, share); },
        [&](const auto& x, bool of_a) { return fade(x, of_a ? 1 - share : share); });
}

VolumePtr mix_carried(const Volume& a, const Volume& b, double w, double seconds) {
    const Vec3SGrid *va = velocity_of(a.grids()), *vb = velocity_of(b.grids());
    if (!va || !vb) return mix(a, b, w);
    const auto share = static_cast<float>(w);
    const float fast_a = fastest_of(*va), fast_b = fastest_of(*vb);
    auto later = [&](const auto& x) { return carry(x, *va, w * seconds, fast_a); };
    auto earlier = [&](const auto& x) { return carry(x, *vb, (w - 1) * seconds, fast_b); };
    return combine(
        a, b, [&](const auto& x, const auto& y) { return mix_grids(later(x), earlier(y), share); },
        [&](const auto& x, bool of_a) { return fade(of_a ? later(x) : earlier(x), of_a ? 1 - share : share); });
}

VolumeDots dots_of(const Volume& volume, std::size_t most) {
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
            if (c.sum <= largest * 1e-3) continue;
            const auto w = grid.transform().indexToWorld(c.at.asVec3d() * side + openvdb::Vec3d(middle));
            out.places.emplace_back(V3d(w.x(), w.y(), w.z()));
            out.strength.push_back(static_cast<float>(c.sum / largest));
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
        if (z_up) transform->postRotate(-M_PI / 2, openvdb::math::X_AXIS);
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

VolumePtr placed(const Volume& volume, double turn, const V3d& size, const V3d& position, double speed) {
    const double angle = turn * M_PI / 180;
    const auto c = static_cast<float>(std::cos(angle)), s = static_cast<float>(std::sin(angle));
    auto out = std::make_unique<VolumeGrids>();
    for (const auto& grid : volume.grids().list) {
        const bool vectors = grid->isType<Vec3SGrid>();
        GridBase::Ptr copy = vectors ? grid->deepCopyGrid() : grid->copyGrid();
        auto transform = grid->transform().copy();
        transform->postScale({size.x, size.y, size.z});
        transform->postRotate(angle, openvdb::math::Y_AXIS);
        transform->postTranslate({position.x, position.y, position.z});
        copy->setTransform(transform);
        if (vectors) {
            const Vec3f by(openvdb::Vec3d(size.x, size.y, size.z) * speed);
            for (auto it = static_cast<Vec3SGrid&>(*copy).beginValueOn(); it; ++it) {
                const Vec3f v = *it * by;
                it.setValue(Vec3f(v.x() * c + v.z() * s, v.y(), v.z() * c - v.x() * s));
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

float value_at(const Volume& volume, const std::string& name, const V3f& place) {
    const GridBase* grid = find(volume.grids(), name);
    if (!grid || !grid->isType<FloatGrid>()) return 0;
    const auto& typed = static_cast<const FloatGrid&>(*grid);
    openvdb::tools::GridSampler<FloatGrid, openvdb::tools::BoxSampler> sample(typed);
    return sample.wsSample(openvdb::Vec3d(place.x, place.y, place.z));
}

} // namespace garland
