// Volumes between two frames.
#include "core/geometry/volume_grids.h"

#include "core/base/parallel.h"
#include "core/geometry/blend.h"

#include <openvdb/tools/GridTransformer.h>
#include <openvdb/tools/Interpolation.h>
#include <openvdb/tools/Morphology.h>
#include <openvdb/tools/Prune.h>
#include <openvdb/tree/LeafManager.h>

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

using openvdb::Coord;
using openvdb::FloatGrid;
using openvdb::GridBase;
using openvdb::Vec3f;
using openvdb::Vec3SGrid;

const Vec3SGrid* velocity_of(const VolumeGrids& grids) {
    for (const char* name : {"velocity", "vel", "v"}) {
        const GridBase* grid = find_grid(grids, name);
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

const float* floats(const float* p) {
    return p;
}
const float* floats(const Vec3f* p) {
    return p->asV();
}

template <class Leaf>
void mix_leaf(const Leaf* a, const Leaf* b, const typename Leaf::ValueType& all_a,
              const typename Leaf::ValueType& all_b, float w, typename Leaf::ValueType* to) {
    using Value = typename Leaf::ValueType;
    if (a && b) {
        mix(floats(a->buffer().data()), floats(b->buffer().data()), w, const_cast<float*>(floats(to)),
            Leaf::SIZE * sizeof(Value) / sizeof(float));
        return;
    }
    for (std::size_t i = 0; i < Leaf::SIZE; ++i) {
        const Value &x = a ? a->buffer().data()[i] : all_a, &y = b ? b->buffer().data()[i] : all_b;
        to[i] = x + (y - x) * w;
    }
}

// A grid over all that is active in either. Every leaf is made once, by `write(a, b, all_a, all_b, origin, to)`: the
// leaves of both there (null: none, and then the one number all of it has), and where to; tiles by `one(a, b, place)`.
template <class Grid, class Write, class One>
typename Grid::Ptr over_both(const Grid& a, const Grid& b, Write&& write, One&& one) {
    using Tree = typename Grid::TreeType;
    using Leaf = typename Tree::LeafNodeType;
    using Value = typename Grid::ValueType;
    auto out = Grid::create(a.background());
    out->setTransform(a.transform().copy());
    out->insertMeta(a);
    const bool tiles = a.tree().activeTileCount() + b.tree().activeTileCount() > 0;
    if (tiles) { // the union's tiles are split where the other has leaves, which takes the library's own way
        out = a.deepCopy();
        out->tree().topologyUnion(b.tree());
        auto tile = out->beginValueOn(); // a tile of the union is one of both: neither has anything finer there
        tile.setMaxDepth(Tree::ValueOnIter::LEAF_DEPTH - 1);
        for (; tile; ++tile)
            tile.setValue(one(a.tree().getValue(tile.getCoord()), b.tree().getValue(tile.getCoord()), tile.getCoord()));
    }
    struct Place {
        const Leaf *a, *b;
        Leaf* to;
    };
    std::vector<Place> places;
    if (tiles) {
        for (auto leaf = out->tree().beginLeaf(); leaf; ++leaf) {
            places.push_back(
                {a.tree().probeConstLeaf(leaf->origin()), b.tree().probeConstLeaf(leaf->origin()), leaf.getLeaf()});
        }
    } else {
        const openvdb::tree::ValueAccessor<const Tree> in_a(a.tree()), in_b(b.tree());
        for (auto leaf = a.tree().cbeginLeaf(); leaf; ++leaf)
            places.push_back({leaf.getLeaf(), in_b.probeConstLeaf(leaf->origin()), nullptr});
        for (auto leaf = b.tree().cbeginLeaf(); leaf; ++leaf) {
            if (!in_a.probeConstLeaf(leaf->origin())) places.push_back({nullptr, leaf.getLeaf(), nullptr});
        }
    }
    parallel_for(places.size(), 64, [&](std::size_t from, std::size_t until) {
        for (std::size_t i = from; i < until; ++i) {
            Place& p = places[i];
            const Coord origin = (p.a ? p.a : p.b ? p.b : p.to)->origin();
            if (!p.to) {
                p.to = new Leaf(openvdb::PartialCreate(), origin, a.background(), false);
                p.to->allocate();
                p.to->setValueMask(!p.a   ? p.b->valueMask()
                                   : !p.b ? p.a->valueMask()
                                          : p.a->valueMask() | p.b->valueMask());
            }
            write(p.a, p.b, p.a ? Value() : a.tree().getValue(origin), p.b ? Value() : b.tree().getValue(origin),
                  *p.to);
        }
    });
    if (tiles) return out;
    openvdb::tree::ValueAccessor<Tree> to(out->tree());
    for (const Place& p : places) to.addLeaf(p.to);
    return out;
}

template <class Grid>
typename Grid::Ptr mixed(const Grid& a, const Grid& b, float w) {
    using Leaf = typename Grid::TreeType::LeafNodeType;
    using Value = typename Grid::ValueType;
    return over_both(
        a, b,
        [w](const Leaf* x, const Leaf* y, const Value& all_x, const Value& all_y, Leaf& to) {
            mix_leaf(x, y, all_x, all_y, w, to.buffer().data());
        },
        [w](const Value& x, const Value& y, const Coord&) { return Value(x + (y - x) * w); });
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
    openvdb::tools::dilateActiveValues(out->tree(), reach, openvdb::tools::NN_FACE_EDGE_VERTEX,
                                       openvdb::tools::EXPAND_TILES);
    openvdb::tree::LeafManager<Tree> leaves(out->tree());
    const auto& transform = from.transform();
    leaves.foreach ([&](typename Tree::LeafNodeType& leaf, std::size_t) {
        const auto values = from.getConstAccessor(); // samplers keep a reference
        const auto speeds = velocity.getConstAccessor();
        openvdb::tools::GridSampler<typename Grid::ConstAccessor, openvdb::tools::BoxSampler> value(values, transform);
        openvdb::tools::GridSampler<Vec3SGrid::ConstAccessor, openvdb::tools::BoxSampler> speed(speeds,
                                                                                                velocity.transform());
        for (auto it = leaf.beginValueOn(); it; ++it) {
            const openvdb::Vec3d here = transform.indexToWorld(it.getCoord());
            const openvdb::Vec3d middle = here - openvdb::Vec3d(speed.wsSample(here)) * (0.5 * seconds);
            it.setValue(value.wsSample(here - openvdb::Vec3d(speed.wsSample(middle)) * seconds));
        }
    });
    openvdb::tools::pruneInactive(out->tree());
    return out;
}

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
        const GridBase* other = find_grid(b.grids(), grid->getName());
        if (!other || other->type() != grid->type()) {
            out->list.push_back(one(grid, true));
        } else {
            const auto at = std::find_if(b.grids().list.begin(), b.grids().list.end(),
                                         [&](const auto& g) { return g.get() == other; });
            out->list.push_back(both(grid, *at));
        }
    }
    for (const auto& grid : b.grids().list) {
        if (!find_grid(a.grids(), grid->getName())) out->list.push_back(one(grid, false));
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
    if (grid->isType<FloatGrid>())
        return named(advected(static_cast<const FloatGrid&>(*grid), velocity, seconds, fastest), *grid);
    if (grid->isType<Vec3SGrid>())
        return named(advected(static_cast<const Vec3SGrid&>(*grid), velocity, seconds, fastest), *grid);
    return grid;
}

// How two densities are joined; peak: of the layer that goes, where the join asks for it.
struct Join {
    VolumeJoin how = VolumeJoin::sum;
    float weight_a = 0, weight_b = 0, peak = 0;
    bool b_comes = true;

    // What each brings.
    std::pair<float, float> parts(float a, float b) const {
        if (how != VolumeJoin::density) return {a * weight_a, b * weight_b};
        const float going = b_comes ? a : b, r = peak > 0 ? std::clamp(going / peak, 0.0f, 1.0f) : 0.0f;
        const float s = b_comes ? weight_b : weight_a, come = s + r * s * (1 - s);
        return b_comes ? std::pair(a * (1 - come), b * come) : std::pair(a * come, b * (1 - come));
    }
    float operator()(float a, float b) const {
        const auto [x, y] = parts(a, b);
        return how == VolumeJoin::maximum ? std::max(x, y) : x + y;
    }
};

float largest(const FloatGrid& grid) {
    float most = grid.background();
    for (auto v = grid.cbeginValueOn(); v; ++v) most = std::max(most, *v);
    return most;
}

// The weights of two layers at a place, for all that is carried by density.
class ByDensity {
  public:
    ByDensity(const FloatGrid* a, const FloatGrid* b, const Join& join)
        : a_(a), b_(b), join_(join),
          flat_(join.weight_a + join.weight_b > 0 ? join.weight_b / (join.weight_a + join.weight_b) : 0.5f) {}
    float share_of_b(const openvdb::Vec3d& place) const {
        const auto [a, b] = join_.parts(at(a_, place), at(b_, place));
        return a + b > 1e-12f ? b / (a + b) : flat_;
    }

  private:
    static float at(const FloatGrid* grid, const openvdb::Vec3d& place) {
        if (!grid) return 0;
        return std::max(openvdb::tools::BoxSampler::sample(grid->tree(), grid->transform().worldToIndex(place)), 0.0f);
    }
    const FloatGrid *a_, *b_;
    Join join_;
    float flat_;
};

template <class Grid>
typename Grid::Ptr laid_over(const Grid& a, const Grid& b, const ByDensity& by) {
    using Leaf = typename Grid::TreeType::LeafNodeType;
    using Value = typename Grid::ValueType;
    const auto& frame = a.transform();
    auto one = [&](const Value& x, const Value& y, const Coord& at) {
        return Value(x + (y - x) * by.share_of_b(frame.indexToWorld(at)));
    };
    return over_both(
        a, b,
        [&](const Leaf* x, const Leaf* y, const Value& all_x, const Value& all_y, Leaf& to) {
            for (openvdb::Index i = 0; i < Leaf::SIZE; ++i) {
                const Value &vx = x ? x->buffer().data()[i] : all_x, &vy = y ? y->buffer().data()[i] : all_y;
                to.buffer().data()[i] = to.valueMask().isOn(i) ? one(vx, vy, to.offsetToGlobalCoord(i)) : vx;
            }
        },
        one);
}

FloatGrid::Ptr joined(const FloatGrid& a, const FloatGrid& b, const Join& one) {
    using Leaf = FloatGrid::TreeType::LeafNodeType;
    return over_both(
        a, b,
        [&](const Leaf* x, const Leaf* y, float all_x, float all_y, Leaf& to) {
            for (openvdb::Index i = 0; i < Leaf::SIZE; ++i)
                to.buffer().data()[i] = one(x ? x->buffer().data()[i] : all_x, y ? y->buffer().data()[i] : all_y);
        },
        [&](float x, float y, const Coord&) { return one(x, y); });
}

template <class Grid>
GridBase::Ptr lay_typed(const GridBase::Ptr& a, const GridBase::Ptr& b, const ByDensity& by) {
    const auto& first = static_cast<const Grid&>(*a);
    const auto second = on_grid_of<Grid>(first, openvdb::gridConstPtrCast<Grid>(b));
    return named(laid_over<Grid>(first, *second, by), *a);
}

} // namespace

VolumePtr lay_over(const Volume& a, const Volume& b, double weight_a, double weight_b, VolumeJoin how, bool b_comes) {
    const FloatGrid* density = nullptr;
    for (const auto& grid : a.grids().list) {
        if (!density && grid->isType<FloatGrid>()) density = static_cast<const FloatGrid*>(grid.get());
    }
    const GridBase* other = density ? find_grid(b.grids(), density->getName()) : nullptr;
    const auto* density_b = other && other->isType<FloatGrid>() ? static_cast<const FloatGrid*>(other) : nullptr;
    const auto wa = static_cast<float>(weight_a), wb = static_cast<float>(weight_b);
    Join join{how, wa, wb, 0, b_comes};
    const FloatGrid* going = b_comes ? density : density_b;
    if (how == VolumeJoin::density && going) join.peak = largest(*going);
    const ByDensity by(density, density_b, join);
    return combine(
        a, b,
        [&](const GridBase::Ptr& x, const GridBase::Ptr& y) -> GridBase::Ptr {
            if (x.get() == density) {
                const auto second = on_grid_of<FloatGrid>(*density, openvdb::gridConstPtrCast<FloatGrid>(y));
                return named(joined(*density, *second, join), *x);
            }
            if (x->isType<FloatGrid>()) return lay_typed<FloatGrid>(x, y, by);
            if (x->isType<Vec3SGrid>()) return lay_typed<Vec3SGrid>(x, y, by);
            return wa >= wb ? x : y;
        },
        [&](const GridBase::Ptr& x, bool of_a) { return fade(x, of_a ? wa : wb); });
}

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

} // namespace garland
