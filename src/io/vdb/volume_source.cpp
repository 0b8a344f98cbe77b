#include "io/files/file_series.h"
#include "io/handoff/fast_copy_note.h"
#include "io/sources/mesh_file.h"
#include "io/sources/sources.h"
#include "io/vdb/volume_archive.h"
#include "io/vdb/volume_file.h"

#include "core/geometry/volume_grids.h"

#include <cmath>
#include <filesystem>
#include <fmt/format.h>

namespace garland {

namespace {

// Runs what the library does; its exceptions become errors.
template <class F>
Result<void> guarded(const std::string& path, F&& work) {
    start_volumes();
    try {
        return work();
    } catch (const std::bad_alloc&) {
        return fail(Error{ErrorCode::too_large, "asks for more memory than there is"}.at(path).advise(
            "the file may be damaged; write it again"));
    } catch (const std::exception& error) {
        std::string words = error.what();
        if (const auto at = words.find(path); at != words.npos) words.erase(at, path.size());
        return fail(Error{ErrorCode::malformed, fmt::format("cannot be read as OpenVDB ({})", words)}.at(path).advise(
            "the file may be damaged or cut short; write it again"));
    }
}

double claimed_bytes(const openvdb::GridBase& grid) {
    const auto bytes = grid.getMetadata<openvdb::Int64Metadata>("file_mem_bytes");
    return bytes ? static_cast<double>(bytes->value()) : 0;
}

GridFacts described(const openvdb::GridBase& grid) {
    GridFacts f;
    f.name = grid.getName();
    f.type = grid.isType<openvdb::Vec3SGrid>() ? "vector" : grid.valueType();
    f.half = grid.saveFloatAsHalf();
    f.read = f.type == "vector" || f.type == "float" || f.type == "double" || f.type == "int32" || f.type == "int64" ||
             f.type == "vec3d" || f.type == "vec3i";
    f.voxel = grid.voxelSize()[0];
    if (const auto count = grid.getMetadata<openvdb::Int64Metadata>("file_voxel_count"))
        f.active = static_cast<std::uint64_t>(count->value());
    return f;
}

// Numbers of eight bytes as those of four, which all work is done in.
openvdb::GridBase::Ptr with_floats(const openvdb::GridBase::Ptr& grid) {
    openvdb::GridBase::Ptr out;
    if (grid->isType<openvdb::DoubleGrid>())
        out = std::make_shared<openvdb::FloatGrid>(static_cast<const openvdb::DoubleGrid&>(*grid));
    if (grid->isType<openvdb::Vec3DGrid>()) { // vectors the library does not convert
        const auto& from = static_cast<const openvdb::Vec3DGrid&>(*grid);
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
        out = to;
    }
    if (!out) return grid;
    out->setName(grid->getName());
    return out;
}

Result<PosePtr> read_volume_pose(const std::string& path) {
    GARLAND_TRY(volume, read_volume(path));
    auto pose = std::make_shared<Pose>();
    pose->volume = std::move(volume);
    return PosePtr(pose);
}

} // namespace

Result<std::vector<GridFacts>> read_volume_facts(const std::string& path) {
    std::vector<GridFacts> out;
    GARLAND_CHECK(guarded(path, [&]() -> Result<void> {
        GARLAND_TRY(heads, VolumeArchive().read(path, GridsWanted::heads));
        for (const auto& grid : heads) out.push_back(described(*grid));
        return {};
    }));
    return out;
}

Result<VolumePtr> read_volume(const std::string& path, double most) {
    auto grids = std::make_unique<VolumeGrids>();
    GARLAND_CHECK(guarded(path, [&]() -> Result<void> {
        double bytes = 0;
        GARLAND_TRY(heads, VolumeArchive().read(path, GridsWanted::heads));
        for (const auto& grid : heads) bytes += claimed_bytes(*grid);
        if (bytes > most) {
            return fail(
                Error{ErrorCode::too_large, fmt::format("says that its grids need {:.3g} GB of memory", bytes / 1e9)}
                    .at(path));
        }
        GARLAND_TRY(all, VolumeArchive().read(path, GridsWanted::whole));
        for (const auto& grid : all) {
            if (!grid->transform().isLinear()) {
                return fail(
                    Error{ErrorCode::unsupported, fmt::format("the grid \"{}\" has a tapered frame", grid->getName())}
                        .at(path));
            }
            const openvdb::Vec3d voxel = grid->voxelSize();
            if (!std::isfinite(voxel.lengthSqr()) || !(voxel[0] > 0)) {
                return fail(
                    Error{ErrorCode::malformed, fmt::format("the grid \"{}\" has voxels without size", grid->getName())}
                        .at(path));
            }
            grids->list.push_back(with_floats(grid));
        }
        return {};
    }));
    if (grids->list.empty()) return fail(Error{ErrorCode::unsupported, "there are no grids in it"}.at(path));
    auto volume = std::make_shared<Volume>(std::move(grids));
    for (const GridFacts& f : volume->facts()) {
        if (!std::isfinite(f.least) || !std::isfinite(f.most)) {
            return fail(
                Error{ErrorCode::malformed, fmt::format("the grid \"{}\" has values that are not finite", f.name)}
                    .at(path)
                    .advise("write this frame again"));
        }
    }
    return VolumePtr(volume);
}

Result<void> write_volume(const std::string& path, const Volume& volume, Existing existing, VolumePacking packing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    GARLAND_CHECK(guarded(path, [&]() -> Result<void> {
        file.write(VolumeArchive().bytes_of(volume.grids().list, packing == VolumePacking::plain));
        return {};
    }));
    return file.commit();
}

Result<SourcePtr> open_volumes(const std::string& path, Progress& progress) {
    GARLAND_TRY(series, find_series(path));
    SourceFacts facts;
    facts.kind = SourceKind::volume;
    facts.first = series.first();
    facts.last = series.last();
    facts.missing = series.missing();
    if (series.prefix.ends_with(".")) {
        GARLAND_TRY(note, read_note(series.folder + "/" + series.prefix.substr(0, series.prefix.size() - 1)));
        if (note) facts.rate = note->rate, facts.up = note->up, facts.scale = note->scale;
    }
    std::size_t done = 0;
    for (const auto& [frame, file] : series.files) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(done++) / static_cast<double>(series.files.size()),
                        fmt::format("looking at {}", file_name(file)));
        facts.bytes_on_disk += disk_bytes(file);
        auto grids = read_volume_facts(file);
        if (!grids) {
            if (frame == facts.first) return fail(std::move(grids.error()).at_frame(frame));
            facts.problems.push_back({fmt::format("frame {} cannot be read: {}", frame, grids.error().message),
                                      "write it again, or leave it out", frame});
            continue;
        }
        std::uint64_t most = 0;
        for (const GridFacts& g : *grids) most = std::max(most, g.active);
        facts.most_points = std::max<std::size_t>(facts.most_points, most);
        if (frame != facts.first) continue;
        facts.points = most;
        bool half = false;
        std::string names;
        for (const GridFacts& g : *grids) {
            half |= g.half;
            names += (names.empty() ? "" : ", ") + g.name;
            if (!g.read)
                facts.problems.push_back(
                    {fmt::format("the grid \"{}\" is of a kind that is not read ({})", g.name, g.type),
                     "it is left out", std::nullopt});
            const bool wide = g.type == "double" || g.type == "vec3d";
            if (wide)
                facts.problems.push_back({fmt::format("the grid \"{}\" holds numbers of eight bytes", g.name),
                                          "they are read as four, to about seven digits", std::nullopt});
            const std::string type = g.type == "double" ? "float" : g.type == "vec3d" ? "vector" : g.type;
            facts.attributes.push_back(fmt::format("{} ({}{})", g.name, g.half ? "half " : "", type));
            const bool moves = type == "vector" && (g.name == "velocity" || g.name == "vel" || g.name == "v");
            facts.velocities |= moves;
        }
        facts.format = fmt::format("OpenVDB {}, {}{}", series.files.size() > 1 ? "series" : "file", names,
                                   half ? ", half floats" : "");
    }
    auto first = read_volume(series.files.begin()->second);
    if (!first) return fail(std::move(first.error()).at_frame(facts.first));
    facts.box = (*first)->box();
    tell_missing(facts);
    return SourcePtr(std::make_shared<FileSeries>(std::move(series), std::move(facts), read_volume_pose));
}

} // namespace garland
