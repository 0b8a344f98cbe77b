#include "io/files/file_series.h"
#include "io/handoff/fast_copy_note.h"
#include "io/sources/mesh_file.h"
#include "io/sources/sources.h"
#include "io/vdb/grid_kinds.h"
#include "io/vdb/volume_archive.h"
#include "io/vdb/volume_file.h"

#include "core/geometry/volume_grids.h"

#include <algorithm>
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
    f.read = f.type == "vector" || becomes_floats(f.type) || becomes_vectors(f.type);
    f.staggered = f.type == "vector" && grid.getGridClass() == openvdb::GRID_STAGGERED;
    f.voxel = grid.voxelSize()[0];
    if (const auto count = grid.getMetadata<openvdb::Int64Metadata>("file_voxel_count"))
        f.active = static_cast<std::uint64_t>(count->value());
    return f;
}

// What a grid is read as; what is not said by its kind is to be said to people.
std::string read_as(const GridFacts& f) {
    return becomes_floats(f.type) ? "float" : becomes_vectors(f.type) || f.type == "vector" ? "vector" : f.type;
}

void tell_of_grid(const GridFacts& g, std::vector<SourceProblem>& problems) {
    auto say = [&](std::string what, std::string instead) {
        problems.push_back({fmt::format("the grid \"{}\" {}", g.name, what), std::move(instead), std::nullopt});
    };
    if (!g.read) say(fmt::format("is of a kind that is not read ({})", g.type), "it is left out");
    if (g.type == "double" || g.type == "vec3d")
        say("holds numbers of eight bytes", "they are read as four, to about seven digits");
    if (g.type == "int32" || g.type == "int64" || g.type == "vec3i")
        say("holds whole numbers", "they are read as floats, exact up to 16 777 216");
    if (g.type == "bool") say("holds truth values", "they are read as floats, 1 where it is true");
    if (g.staggered) say("holds its values on the faces of its cells", "they are read at the cells' middles");
}

// The names of float grids among them; others are "".
std::vector<std::string> names_of_floats(const std::vector<GridFacts>& grids) {
    std::vector<std::string> out;
    for (const GridFacts& g : grids) out.push_back(becomes_floats(g.type) ? g.name : "");
    return out;
}

// Whether velocities come of three grids; a grid of that name may be there already.
std::optional<VelocityAxes> axes_among(const std::vector<GridFacts>& grids) {
    for (const GridFacts& g : grids) {
        if (read_as(g) == "vector" && (g.name == "velocity" || g.name == "vel" || g.name == "v")) return std::nullopt;
    }
    return velocity_axes(names_of_floats(grids));
}

void tell_of_axes(const VelocityAxes& axes, const std::vector<GridFacts>& grids, SourceFacts& facts) {
    const auto& [x, y, z] = axes.axes;
    facts.problems.push_back({fmt::format("the grids \"{}\", \"{}\" and \"{}\" are the axes of a velocity",
                                          grids[x].name, grids[y].name, grids[z].name),
                              fmt::format("they are read as one vector grid, \"{}\"", axes.name), std::nullopt});
    facts.carries.attributes.push_back(fmt::format("{} ({}vector)", axes.name, grids[x].half ? "half " : ""));
    facts.carries.velocities = true;
}

constexpr double most_made = 4e9; // bytes of a vector grid that is made of others

Result<void> can_be_made(const openvdb::GridBase& grid, const std::string& path) {
    const double bytes = 12.0 * static_cast<double>(grid.activeVoxelCount());
    if (bytes <= most_made) return {};
    return fail(Error{ErrorCode::too_large, fmt::format("the grid \"{}\" needs {:.3g} GB of memory to be put together",
                                                        grid.getName(), bytes / 1e9)}
                    .at(path)
                    .advise("write its velocity as one vector grid with values at the cells' middles"));
}

// Three float grids become the velocity they are; values on faces move to the middles of their cells.
Result<void> put_together(std::vector<openvdb::GridBase::Ptr>& grids, const std::string& path) {
    std::vector<GridFacts> facts;
    for (const auto& grid : grids) facts.push_back(described(*grid));
    if (const auto axes = axes_among(facts)) {
        const openvdb::FloatGrid* parts[3];
        for (std::size_t k = 0; k < 3; ++k) {
            const auto& grid = grids[axes->axes[k]];
            GARLAND_CHECK(can_be_made(*grid, path));
            parts[k] = static_cast<const openvdb::FloatGrid*>(grid.get());
        }
        openvdb::GridBase::Ptr whole = joined_axes(*parts[0], *parts[1], *parts[2], axes->name);
        std::vector<openvdb::GridBase::Ptr> others;
        for (std::size_t i = 0; i < grids.size(); ++i) {
            if (std::find(axes->axes.begin(), axes->axes.end(), i) == axes->axes.end()) others.push_back(grids[i]);
        }
        grids = std::move(others);
        grids.push_back(std::move(whole));
    }
    for (auto& grid : grids) {
        if (grid->getGridClass() != openvdb::GRID_STAGGERED || !grid->isType<openvdb::Vec3SGrid>()) continue;
        GARLAND_CHECK(can_be_made(*grid, path));
        grid = with_centres(grid);
    }
    return {};
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
                    .advise("write it with larger voxels, or open it on a machine with more memory")
                    .at(path));
        }
        GARLAND_TRY(all, VolumeArchive().read(path, GridsWanted::whole));
        for (const auto& grid : all) {
            if (!grid->transform().isLinear()) {
                return fail(
                    Error{ErrorCode::unsupported, fmt::format("the grid \"{}\" has a tapered frame", grid->getName())}
                        .advise("write it with straight cells")
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
        return put_together(grids->list, path);
    }));
    if (grids->list.empty())
        return fail(
            Error{ErrorCode::unsupported, "there are no grids in it"}.advise("write it again with its grids").at(path));
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
        if (note) facts.says.rate = note->rate, facts.says.up = note->up, facts.says.scale = note->scale;
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
        facts.varies.most_points = std::max<std::size_t>(facts.varies.most_points, most);
        if (frame != facts.first) continue;
        facts.points = most;
        bool half = false;
        std::string names;
        const auto axes = axes_among(*grids);
        if (axes) tell_of_axes(*axes, *grids, facts);
        for (const GridFacts& g : *grids) {
            half |= g.half;
            names += (names.empty() ? "" : ", ") + g.name;
            tell_of_grid(g, facts.problems);
            const std::string type = read_as(g);
            const auto at = static_cast<std::size_t>(&g - grids->data());
            if (axes && std::find(axes->axes.begin(), axes->axes.end(), at) != axes->axes.end()) continue;
            facts.carries.attributes.push_back(fmt::format("{} ({}{})", g.name, g.half ? "half " : "", type));
            const bool moves = type == "vector" && (g.name == "velocity" || g.name == "vel" || g.name == "v");
            facts.carries.velocities |= moves;
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
