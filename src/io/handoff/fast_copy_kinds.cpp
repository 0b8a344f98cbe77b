// Fast copies of particles and of volumes.
#include "io/handoff/fast_copy_steps.h"
#include "io/sources/moving_values.h"
#include "io/sources/open_source.h"
#include "io/vdb/volume_file.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <optional>

namespace garland {

namespace {

std::vector<std::string> kept_names(const SourceFacts& facts, const FastCopyOrder& order) {
    return order.keep.value_or(can_keep(facts));
}

bool kept(const std::vector<std::string>& names, const std::string& list) {
    const std::string asked = list == "normal"   ? "normals"
                              : list == "colour" ? "colours"
                              : list == "uv"     ? "texture coordinates"
                                                 : list;
    return std::find(names.begin(), names.end(), asked) != names.end();
}

} // namespace

Result<FastCopyDone> copy_particles(const Source& source, const FastCopyOrder& order, CopyFiles& files,
                                    Progress& progress) {
    const SourceFacts& f = source.facts();
    const std::string points_path = files.add(".npy"), ids_path = files.add("_ids.npy");
    GARLAND_CHECK(files.may_appear());
    std::size_t places = 0; // as many in every frame as the fullest needs
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        GARLAND_CHECK(still_wanted(progress, f, frame, 0, 0.3, "counting"));
        GARLAND_TRY(pose, source.read(frame, progress));
        places = std::max(places, pose->ids.size());
    }
    if (places == 0)
        return fail(
            Error{ErrorCode::unsupported, "there are no particles in any frame"}.advise("keep the source as it is"));
    const auto frames = static_cast<std::uint64_t>(f.frames());
    GARLAND_TRY(points, NpyWriter::create(points_path, frames, places, order.type, Existing::refuse));
    GARLAND_TRY(ids, NpyWriter::create_wholes(ids_path, frames, places, Existing::refuse));
    std::optional<NpyWriter> velocities;
    if (order.velocities && f.carries.velocities) {
        GARLAND_TRY(writer,
                    NpyWriter::create(files.add("_velocity.npy"), frames, places, order.type, Existing::refuse));
        velocities.emplace(std::move(writer));
    }
    MovingWriter others(files.stem(), frames, places, order.type, Existing::refuse);
    const std::vector<std::string> names = kept_names(f, order);
    FastCopyDone done;
    done.frames = f.frames();
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        GARLAND_CHECK(still_wanted(progress, f, frame, 0.3, 0.7, "copying"));
        done.bridged += source.present(frame) != frame;
        GARLAND_TRY(pose, source.read(frame, progress));
        if (order.type == NpyType::f16) {
            GARLAND_CHECK(fits_halves(pose->points, frame));
            GARLAND_CHECK(fits_halves(pose->velocities, frame));
        }
        files.learn_directions(*pose);
        std::vector<V3f> places_now = pose->points, speeds = pose->velocities;
        std::vector<std::int64_t> names_now = pose->ids;
        places_now.resize(places, V3f(0));
        speeds.resize(places, V3f(0));
        names_now.resize(places, -1); // an empty place
        points.add(places_now);
        ids.add(names_now);
        if (velocities) velocities->add(speeds);
        for (const ValueList& list : value_lists(*pose)) {
            if (kept(names, list.name)) GARLAND_CHECK(others.add(list, static_cast<std::uint64_t>(frame - f.first)));
        }
    }
    GARLAND_CHECK(points.commit());
    GARLAND_CHECK(ids.commit());
    if (velocities) GARLAND_CHECK(velocities->commit());
    GARLAND_TRY(more, others.commit());
    for (const std::string& path : more) files.add_written(path);
    GARLAND_CHECK(files.write_note());
    GARLAND_TRY(written, open_source(points_path, progress));
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        GARLAND_CHECK(still_wanted(progress, f, frame, 0.7, 1, "comparing"));
        GARLAND_TRY(pose, source.read(frame, progress));
        GARLAND_TRY(back, written->read(frame, progress));
        if (back->ids != pose->ids)
            return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}
                            .advise("check the disk and write it again")
                            .at_frame(frame));
        done.worst = std::max(done.worst, furthest(pose->points, back->points));
    }
    return done;
}

Result<FastCopyDone> copy_volumes(const Source& source, const FastCopyOrder& order, CopyFiles& files,
                                  Progress& progress) {
    const SourceFacts& f = source.facts();
    if (order.type == NpyType::f64)
        return fail(Error{ErrorCode::unsupported, "grids are of floats or half floats"}.advise("use f32 or f16"));
    std::vector<std::string> names = kept_names(f, order);
    if (!order.velocities)
        std::erase_if(names, [](const std::string& n) { return n == "velocity" || n == "vel" || n == "v"; });
    if (names.empty()) return fail(Error{ErrorCode::invalid, "no grid would be left"}.advise("keep one of its grids"));
    auto path_of = [&](std::int64_t frame) {
        return files.add(fmt::format(".{}{:04}.vdb", frame < 0 ? "-" : "", std::abs(frame)));
    };
    std::vector<std::string> paths;
    std::vector<std::int64_t> present;
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        if (source.present(frame) != frame) continue;
        present.push_back(frame);
        paths.push_back(path_of(frame));
    }
    GARLAND_CHECK(files.may_appear());
    FastCopyDone done;
    done.frames = static_cast<std::int64_t>(present.size());
    for (std::size_t i = 0; i < present.size(); ++i) {
        GARLAND_CHECK(still_wanted(progress, f, present[i], 0, 1, "copying"));
        GARLAND_TRY(pose, source.read(present[i], progress));
        const VolumePtr grids = only_grids(*pose->volume, names, order.type == NpyType::f16);
        GARLAND_CHECK(write_volume(paths[i], *grids, Existing::refuse, VolumePacking::plain));
        GARLAND_TRY(back, read_volume(paths[i]));
        if (back->grids_count() != grids->grids_count()) {
            return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}
                            .advise("check the disk and write it again")
                            .at_frame(present[i]));
        }
        done.worst = std::max(done.worst, furthest(*grids, *back));
    }
    GARLAND_CHECK(files.write_note());
    return done;
}

} // namespace garland
