#include "support/volume_writer.h"

#include "core/geometry/volume_grids.h"

#include <openvdb/points/PointAttribute.h>
#include <openvdb/points/PointConversion.h>
#include <openvdb/points/PointCount.h>
#include <openvdb/tools/Interpolation.h>

namespace garland::testing {

namespace {

template <class Grid>
typename Grid::Ptr block(int size, const char* name) {
    auto grid = Grid::create();
    auto to = grid->getAccessor();
    for (int x = 0; x < size; ++x) {
        for (int y = 0; y < size; ++y) {
            for (int z = 0; z < size; ++z)
                to.setValue({x, y, z}, typename Grid::ValueType(static_cast<float>(1 + x + 2 * y + 3 * z)));
        }
    }
    grid->setName(name);
    grid->setTransform(openvdb::math::Transform::createLinearTransform(0.5));
    return grid;
}

} // namespace

void write_every_grid(const std::string& path, std::uint32_t compression) {
    openvdb::initialize();
    auto nothing = openvdb::FloatGrid::create(2.5f);
    nothing->setName("nothing");
    auto tiles = openvdb::FloatGrid::create();
    tiles->setName("tiles");
    tiles->fill(openvdb::CoordBBox({0, 0, 0}, {4095, 127, 127}), 3.0f, true);
    auto switches = openvdb::BoolGrid::create();
    switches->setName("switches");
    switches->getAccessor().setValue({1, 2, 3}, true);
    openvdb::io::File file(path);
    file.setCompression(compression);
    file.write({block<openvdb::FloatGrid>(70, "density"), block<openvdb::DoubleGrid>(40, "heat"),
                block<openvdb::Vec3SGrid>(40, "velocity"), block<openvdb::Vec3DGrid>(40, "force"), nothing, tiles,
                switches, block<openvdb::Int32Grid>(40, "count"), block<openvdb::Int64Grid>(40, "number")});
    file.close();
}

void write_ball(const std::string& path, int size) {
    openvdb::initialize();
    openvdb::io::File file(path);
    file.write({block<openvdb::FloatGrid>(size, "density")});
    file.close();
}

V3f place_of_point(int i, double rise) {
    return {0.01f * static_cast<float>(i % 100), static_cast<float>(rise) + 0.02f * static_cast<float>(i / 100 % 100),
            0.03f * static_cast<float>(i / 10000)};
}

void write_points(const std::string& path, int count, double rise, bool ids, bool fixed) {
    using namespace openvdb;
    initialize();
    std::vector<Vec3s> places, ways, axes;
    std::vector<float> heat;
    std::vector<std::int32_t> counts;
    std::vector<std::int64_t> names;
    for (int i = 0; i < count; ++i) {
        const V3f p = place_of_point(i, rise);
        places.emplace_back(p.x, p.y, p.z);
        ways.emplace_back(static_cast<float>(i), 0.0f, -1.0f);
        axes.emplace_back(0.0f, 0.0f, static_cast<float>(i));
        heat.push_back(static_cast<float>(i) / 2);
        counts.push_back(i);
        names.push_back(std::int64_t(7) * i + 1);
    }
    const auto frame = math::Transform::createLinearTransform(0.25);
    const points::PointAttributeVector<Vec3s> wrapped(places);
    const auto index = tools::createPointIndexGrid<tools::PointIndexGrid>(wrapped, *frame);
    const auto grid =
        fixed ? points::createPointDataGrid<points::FixedPointCodec<false>, points::PointDataGrid>(*index, wrapped,
                                                                                                   *frame)
              : points::createPointDataGrid<points::NullCodec, points::PointDataGrid>(*index, wrapped, *frame);
    auto put = [&](const char* name, const auto& values) {
        using Value = typename std::decay_t<decltype(values)>::value_type;
        points::appendAttribute<Value>(grid->tree(), name);
        points::populateAttribute(grid->tree(), index->tree(), name, points::PointAttributeVector<Value>(values));
    };
    put("velocity", ways);
    put("heat", heat);
    put("count", counts);
    put("axis", axes);
    if (ids) put("id", names);
    grid->setName("sparks");
    io::File file(path);
    file.write({grid});
    file.close();
}

V3f vector_at(const Volume& volume, const std::string& name, const V3f& place) {
    const auto* grid = find_grid(volume.grids(), name);
    if (!grid || !grid->isType<openvdb::Vec3SGrid>()) return V3f(-1e9f);
    const auto& typed = static_cast<const openvdb::Vec3SGrid&>(*grid);
    openvdb::tools::GridSampler<openvdb::Vec3SGrid, openvdb::tools::BoxSampler> sample(typed);
    const openvdb::Vec3s v = sample.wsSample(openvdb::Vec3d(place.x, place.y, place.z));
    return {v[0], v[1], v[2]};
}

} // namespace garland::testing
