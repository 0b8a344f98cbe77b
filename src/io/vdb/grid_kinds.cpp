#include "io/vdb/grid_kinds.h"

#include <algorithm>
#include <cctype>
#include <openvdb/tools/Interpolation.h>

namespace garland {

namespace {

template <class Grid>
openvdb::GridBase::Ptr as_floats(const openvdb::GridBase& grid) {
    return std::make_shared<openvdb::FloatGrid>(static_cast<const Grid&>(grid));
}

// Vectors the library does not convert.
template <class Grid>
openvdb::GridBase::Ptr as_vectors(const openvdb::GridBase& grid) {
    const auto& from = static_cast<const Grid&>(grid);
    auto to = openvdb::Vec3SGrid::create(openvdb::Vec3s(from.background()));
    auto places = to->getAccessor();
    for (auto it = from.cbeginValueOn(); it; ++it) {
        if (it.isVoxelValue()) {
            places.setValue(it.getCoord(), openvdb::Vec3s(*it));
        } else {
            openvdb::CoordBBox box;
            it.getBoundingBox(box);
            to->sparseFill(box, openvdb::Vec3s(*it), true);
        }
    }
    to->setTransform(from.transform().copy());
    to->setGridClass(from.getGridClass());
    return to;
}

std::string small_letters(std::string text) {
    for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return text;
}

} // namespace

bool becomes_floats(std::string_view kind) {
    return kind == "float" || kind == "double" || kind == "int32" || kind == "int64" || kind == "bool";
}

bool becomes_vectors(std::string_view kind) {
    return kind == "vec3s" || kind == "vec3d" || kind == "vec3i";
}

openvdb::GridBase::Ptr with_floats(const openvdb::GridBase::Ptr& grid) {
    openvdb::GridBase::Ptr out;
    if (grid->isType<openvdb::DoubleGrid>()) out = as_floats<openvdb::DoubleGrid>(*grid);
    if (grid->isType<openvdb::Int32Grid>()) out = as_floats<openvdb::Int32Grid>(*grid);
    if (grid->isType<openvdb::Int64Grid>()) out = as_floats<openvdb::Int64Grid>(*grid);
    if (grid->isType<openvdb::BoolGrid>()) out = as_floats<openvdb::BoolGrid>(*grid);
    if (grid->isType<openvdb::Vec3DGrid>()) out = as_vectors<openvdb::Vec3DGrid>(*grid);
    if (grid->isType<openvdb::Vec3IGrid>()) out = as_vectors<openvdb::Vec3IGrid>(*grid);
    if (!out) return grid;
    out->setName(grid->getName());
    return out;
}

std::optional<VelocityAxes> velocity_axes(const std::vector<std::string>& names) {
    auto find = [&](const std::string& wanted) {
        const auto at =
            std::find_if(names.begin(), names.end(), [&](const std::string& n) { return small_letters(n) == wanted; });
        return at == names.end() ? std::optional<std::size_t>() : static_cast<std::size_t>(at - names.begin());
    };
    for (const char* whole : {"velocity", "vel", "v"}) {
        if (find(whole)) continue; // it is there itself, or u, v and w are
        for (const char* between : {".", "_", ""}) {
            const std::string start = std::string(whole) + between;
            const auto x = find(start + "x"), y = find(start + "y"), z = find(start + "z");
            if (x && y && z) return VelocityAxes{whole, {*x, *y, *z}};
        }
    }
    if (find("velocity") || find("vel")) return std::nullopt;
    const auto u = find("u"), v = find("v"), w = find("w");
    if (u && v && w) return VelocityAxes{"velocity", {*u, *v, *w}};
    return std::nullopt;
}

openvdb::Vec3SGrid::Ptr joined_axes(const openvdb::FloatGrid& x, const openvdb::FloatGrid& y,
                                    const openvdb::FloatGrid& z, const std::string& name) {
    const openvdb::FloatGrid* axes[3] = {&x, &y, &z};
    auto out = openvdb::Vec3SGrid::create(openvdb::Vec3s(x.background(), y.background(), z.background()));
    out->setTransform(x.transform().copy());
    out->setName(name);
    out->setSaveFloatAsHalf(x.saveFloatAsHalf());
    const bool same[3] = {true, y.transform() == x.transform(), z.transform() == x.transform()};
    // Where any of them has a value: a grid in another frame lies within a voxel of the place it is asked at.
    for (int k = 0; k < 3; ++k) {
        if (same[k]) {
            out->tree().topologyUnion(axes[k]->tree());
            continue;
        }
        auto places = out->getAccessor();
        for (auto it = axes[k]->cbeginValueOn(); it; ++it) {
            openvdb::CoordBBox box;
            it.getBoundingBox(box);
            for (auto voxel = box.begin(); voxel; ++voxel) {
                const auto at = x.transform().worldToIndex(axes[k]->transform().indexToWorld(*voxel));
                places.setValueOn(openvdb::Coord::round(at));
            }
        }
    }
    out->tree().voxelizeActiveTiles();
    const openvdb::FloatGrid::ConstAccessor at[3] = {x.getConstAccessor(), y.getConstAccessor(), z.getConstAccessor()};
    using Sampler = openvdb::tools::GridSampler<openvdb::FloatGrid::ConstAccessor, openvdb::tools::BoxSampler>;
    const Sampler between[3] = {
        {at[0], x.transform()}, {at[1], y.transform()}, {at[2], z.transform()}}; // they refer to it
    for (auto it = out->beginValueOn(); it; ++it) {
        openvdb::Vec3s value;
        for (int k = 0; k < 3; ++k)
            value[k] = same[k] ? at[k].getValue(it.getCoord())
                               : between[k].wsSample(x.transform().indexToWorld(it.getCoord()));
        it.setValue(value);
    }
    return out;
}

openvdb::GridBase::Ptr with_centres(const openvdb::GridBase::Ptr& grid) {
    if (!grid->isType<openvdb::Vec3SGrid>() || grid->getGridClass() != openvdb::GRID_STAGGERED) return grid;
    const auto& from = static_cast<const openvdb::Vec3SGrid&>(*grid);
    auto out = openvdb::Vec3SGrid::create(from.background());
    out->setTransform(from.transform().copy());
    out->setName(from.getName());
    out->setSaveFloatAsHalf(from.saveFloatAsHalf());
    out->tree().topologyUnion(from.tree());
    out->tree().voxelizeActiveTiles();
    auto values = from.getConstAccessor();
    for (auto it = out->beginValueOn(); it; ++it) {
        const openvdb::Coord here = it.getCoord();
        const openvdb::Vec3s near = values.getValue(here);
        openvdb::Vec3s middle;
        for (int k = 0; k < 3; ++k) {
            openvdb::Coord next = here;
            next[k] += 1;
            // At the end of what there is, the face that is there stands for both.
            middle[k] = values.isValueOn(next) ? (near[k] + values.getValue(next)[k]) / 2 : near[k];
        }
        it.setValue(middle);
    }
    return out;
}

} // namespace garland
