#include "io/fast_copy_steps.h"

#include "core/base/numbers.h"
#include "core/geometry/blend.h"
#include "io/moving_values.h"
#include "io/ply.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <optional>

namespace garland {

namespace {

constexpr float largest_half = 65504;

bool same_file(const std::string& a, const std::string& b) {
    std::error_code none;
    return a == b || std::filesystem::equivalent(a, b, none);
}

void keep_only(Pose& pose, const std::vector<std::string>& names) {
    auto kept = [&](std::string_view name) { return std::find(names.begin(), names.end(), name) != names.end(); };
    if (!kept("normals")) pose.normals.clear();
    if (!kept("colours")) pose.colours.clear();
    auto faces = std::make_shared<Faces>(*pose.faces);
    if (!kept("texture coordinates")) {
        pose.uvs.clear();
        faces->corner_uvs.clear();
    }
    std::erase_if(pose.attributes, [&](const Attribute& a) { return !kept(a.name); });
    std::erase_if(faces->attributes, [&](const Attribute& a) { return !kept(a.name); });
    pose.faces = faces;
}

Result<void> known_names(const SourceFacts& f, const FastCopyOrder& order) {
    const auto all = can_keep(f);
    for (const std::string& name : order.keep.value_or(std::vector<std::string>{})) {
        if (std::find(all.begin(), all.end(), name) != all.end()) continue;
        std::string list;
        for (const std::string& one : all) list += (list.empty() ? "" : ", ") + one;
        return fail(Error{ErrorCode::not_found, fmt::format("the source has no \"{}\" to keep", name)}.keeping("nothing was written").advise(
            list.empty() ? "it has nothing beside points and faces" : "it has " + list));
    }
    return {};
}

Result<void> has_room(const SourceFacts& f, const FastCopyOrder& order) {
    const double wanted = fast_copy_bytes(f, order), free = free_space(folder_of(order.stem));
    if (free < 0 || wanted <= free) return {};
    return fail(Error{ErrorCode::disk_full, fmt::format("about {} are needed, but only {} are free", byte_count(wanted), byte_count(free))}
                    .at(folder_of(order.stem))
                    .keeping("nothing was written"));
}

Result<FastCopyDone> copy_mesh(const Source& source, const FastCopyOrder& order, Progress& progress) {
    const SourceFacts& f = source.facts();
    const std::string mesh = order.stem + ".ply", points_path = order.stem + ".npy", velocity_path = order.stem + "_velocity.npy";
    GARLAND_CHECK(may_be_written(source, {mesh, points_path, velocity_path}, order));
    GARLAND_TRY(read_first, source.read(f.first, progress));
    auto kept_of = [&](const PosePtr& pose) -> PosePtr {
        if (!order.keep) return pose;
        auto out = std::make_shared<Pose>(*pose);
        keep_only(*out, *order.keep);
        return out;
    };
    const PosePtr first = kept_of(read_first);
    const bool moving = order.velocities && !f.velocities_a_frame && first->velocities.size() == first->points.size() && !first->points.empty();
    const auto frames = static_cast<std::uint64_t>(f.frames()), count = static_cast<std::uint64_t>(first->points.size());
    GARLAND_TRY(points, NpyWriter::create(points_path, frames, count, order.type, order.existing));
    std::optional<NpyWriter> velocities;
    if (moving) {
        GARLAND_TRY(writer, NpyWriter::create(velocity_path, frames, count, order.type, order.existing));
        velocities.emplace(std::move(writer));
    }
    MovingWriter others(order.stem, frames, count, order.type, order.existing);
    const std::vector<ValueList> first_lists = value_lists(*first);
    FastCopyDone done;
    done.frames = f.frames();
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        GARLAND_CHECK(still_wanted(progress, f, frame, 0, 0.5, "copying"));
        done.bridged += source.present(frame) != frame;
        GARLAND_TRY(read, source.read(frame, progress));
        if (!mixable(*first, *read)) {
            return fail(Error{ErrorCode::unsupported, "points or faces differ from the first frame's"}.at_frame(frame).keeping(
                "nothing was written"));
        }
        const PosePtr pose = kept_of(read);
        if (order.type == NpyType::f16) {
            GARLAND_CHECK(fits_halves(pose->points, frame));
            if (moving) GARLAND_CHECK(fits_halves(pose->velocities, frame));
        }
        points.add(pose->points);
        if (velocities) velocities->add(pose->velocities.size() == count ? pose->velocities : std::vector<V3f>(count, V3f(0)));
        for (const ValueList& list : value_lists(*pose)) { // what stands still is in the mesh
            const auto before = std::find_if(first_lists.begin(), first_lists.end(), [&](const ValueList& l) { return l.name == list.name; });
            if (before != first_lists.end()) GARLAND_CHECK(others.add_if_moving(list, *before, static_cast<std::uint64_t>(frame - f.first)));
        }
    }
    GARLAND_CHECK(points.commit());
    if (velocities) GARLAND_CHECK(velocities->commit());
    GARLAND_TRY(more, others.commit());
    Pose still = *first; // what moves is in the arrays
    still.velocities.clear();
    GARLAND_CHECK(write_ply(mesh, still, PlyForm::little_endian, order.existing));

    GARLAND_TRY(written, NpyFile::open(points_path));
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        GARLAND_CHECK(still_wanted(progress, f, frame, 0.5, 1, "comparing", mesh));
        GARLAND_TRY(pose, source.read(frame, progress));
        GARLAND_TRY(back, written.vectors(static_cast<std::uint64_t>(frame - f.first)));
        if (back.size() != pose->points.size()) {
            return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}.at(points_path).at_frame(frame));
        }
        done.worst = std::max(done.worst, furthest(pose->points, back));
    }
    done.files = {mesh, points_path};
    if (velocities) done.files.push_back(velocity_path);
    done.files.insert(done.files.end(), more.begin(), more.end());
    return done;
}

} // namespace

double furthest(const std::vector<V3f>& a, const std::vector<V3f>& b) {
    double worst = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        for (int k = 0; k < 3; ++k) worst = std::max(worst, std::abs(static_cast<double>(a[i][k]) - b[i][k]));
    }
    return worst;
}

Result<void> fits_halves(const std::vector<V3f>& points, std::int64_t frame) {
    for (const V3f& p : points) {
        if (std::max({std::abs(p.x), std::abs(p.y), std::abs(p.z)}) <= largest_half) continue;
        return fail(Error{ErrorCode::unsupported, "a coordinate is too large for half floats"}.at_frame(frame).advise(
            "make the copy with full floats"));
    }
    return {};
}

Result<void> may_be_written(const Source& source, const std::vector<std::string>& paths, const FastCopyOrder& order) {
    for (const std::string& own : source.files()) {
        for (const std::string& out : paths) {
            if (!same_file(own, out)) continue;
            return fail(Error{ErrorCode::invalid, "the copy would overwrite the source itself"}.at(out).keeping("the source").advise(
                "choose another name"));
        }
    }
    for (const std::string& out : paths) {
        if (order.existing == Existing::refuse && file_exists(out)) {
            return fail(Error{ErrorCode::exists, "there is such a file already"}.at(out).keeping("it, and nothing was written").advise(
                "choose another name"));
        }
    }
    return {};
}

Result<void> still_wanted(Progress& progress, const SourceFacts& f, std::int64_t frame, double from, double to, const char* what, const std::string& written) {
    progress.report(from + (to - from) * static_cast<double>(frame - f.first) / static_cast<double>(f.frames()), fmt::format("{} frame {}", what, frame));
    if (!progress.cancelled()) return {};
    if (written.empty()) return fail(Error{ErrorCode::cancelled, "stopped"}.keeping("nothing was written"));
    return fail(Error{ErrorCode::cancelled, "stopped while comparing"}.at(written).keeping("the copy, not compared to its end"));
}

std::vector<std::string> can_keep(const SourceFacts& f) {
    std::vector<std::string> out;
    if (f.kind == SourceKind::volume) { // "density (half float)"
        for (const std::string& a : f.attributes) out.push_back(a.substr(0, a.rfind(" (")));
        return out;
    }
    if (f.normals) out.emplace_back("normals");
    if (f.uvs) out.emplace_back("texture coordinates");
    if (f.colours) out.emplace_back("colours");
    out.insert(out.end(), f.attributes.begin(), f.attributes.end());
    return out;
}

Result<void> can_copy(const SourceFacts& f) {
    if (f.kind == SourceKind::volume || f.kind == SourceKind::particles || (!f.faces_change_at && f.points > 0)) return {};
    if (f.points == 0) return fail(Error{ErrorCode::unsupported, "there are no points to copy"}.keeping("nothing was written"));
    return fail(Error{ErrorCode::unsupported, "points or faces change, so the frames do not fit into one array"}
                    .at_frame(*f.faces_change_at)
                    .keeping("nothing was written"));
}

double fast_copy_bytes(const SourceFacts& f, const FastCopyOrder& order) {
    const double value = order.type == NpyType::f16 ? 2 : order.type == NpyType::f32 ? 4 : 8;
    if (f.kind == SourceKind::volume) {
        double numbers = 0; // in a voxel
        const auto kept = order.keep.value_or(can_keep(f));
        for (const std::string& a : f.attributes) {
            if (std::find(kept.begin(), kept.end(), a.substr(0, a.rfind(" ("))) != kept.end()) numbers += a.ends_with("vector)") ? 3 : 1;
        }
        return static_cast<double>(f.frames()) * static_cast<double>(f.most_points) * numbers * value;
    }
    const double arrays = order.velocities && f.velocities && !f.velocities_a_frame ? 2 : 1;
    const double each = static_cast<double>(std::max(f.points, f.most_points)) * 3 * value * arrays;
    const double ids = f.kind == SourceKind::particles ? static_cast<double>(f.most_points) * 8 : 0;
    return static_cast<double>(f.frames()) * (each + ids);
}

Result<FastCopyDone> make_fast_copy(const Source& source, const FastCopyOrder& order, Progress& progress) {
    const SourceFacts& f = source.facts();
    GARLAND_CHECK(can_copy(f));
    GARLAND_CHECK(known_names(f, order));
    GARLAND_CHECK(has_room(f, order));
    GARLAND_TRY(done, f.kind == SourceKind::volume      ? copy_volumes(source, order, progress)
                      : f.kind == SourceKind::particles ? copy_particles(source, order, progress)
                                                        : copy_mesh(source, order, progress));
    for (const std::string& file : done.files) {
        std::error_code none;
        done.bytes += static_cast<double>(std::filesystem::file_size(file, none));
    }
    progress.report(1, "copied and compared");
    return done;
}

} // namespace garland
