#include "io/fast_copy.h"

#include "core/base/numbers.h"
#include "core/geometry/blend.h"
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

} // namespace

std::vector<std::string> can_keep(const SourceFacts& f) {
    std::vector<std::string> out;
    if (f.normals) out.emplace_back("normals");
    if (f.uvs) out.emplace_back("texture coordinates");
    if (f.colours) out.emplace_back("colours");
    out.insert(out.end(), f.attributes.begin(), f.attributes.end());
    return out;
}

double fast_copy_bytes(const SourceFacts& f, const FastCopyOrder& order) {
    const double value = order.type == NpyType::f16 ? 2 : order.type == NpyType::f32 ? 4 : 8;
    const double arrays = order.velocities && f.velocities ? 2 : 1;
    return static_cast<double>(f.frames()) * static_cast<double>(f.points) * 3 * value * arrays;
}

Result<FastCopyDone> make_fast_copy(const Source& source, const FastCopyOrder& order, Progress& progress) {
    const SourceFacts& f = source.facts();
    const std::string mesh = order.stem + ".ply", points_path = order.stem + ".npy", velocity_path = order.stem + "_velocity.npy";
    if (f.faces_change_at) {
        return fail(Error{ErrorCode::unsupported, "points or faces change, so the frames do not fit into one array"}
                        .at_frame(*f.faces_change_at)
                        .keeping("nothing was written"));
    }
    for (const std::string& name : order.keep.value_or(std::vector<std::string>{})) {
        const auto all = can_keep(f);
        if (std::find(all.begin(), all.end(), name) != all.end()) continue;
        std::string list;
        for (const std::string& one : all) list += (list.empty() ? "" : ", ") + one;
        return fail(Error{ErrorCode::not_found, fmt::format("the source has no \"{}\" to keep", name)}.keeping("nothing was written").advise(
            list.empty() ? "it has nothing beside points and faces" : "it has " + list));
    }
    for (const std::string& own : source.files()) {
        for (const std::string& out : {mesh, points_path, velocity_path}) {
            if (!same_file(own, out)) continue;
            return fail(Error{ErrorCode::invalid, "the copy would overwrite the source itself"}.at(out).keeping("the source").advise(
                "choose another name"));
        }
    }
    for (const std::string& out : {mesh, points_path, velocity_path}) {
        if (order.existing == Existing::refuse && file_exists(out)) {
            return fail(Error{ErrorCode::exists, "there is such a file already"}.at(out).keeping("it, and nothing was written").advise(
                "choose another name"));
        }
    }
    const double wanted = fast_copy_bytes(f, order), free = free_space(folder_of(mesh));
    if (free >= 0 && wanted > free) {
        return fail(Error{ErrorCode::disk_full, fmt::format("about {} are needed, but only {} are free", byte_count(wanted),
                                                            byte_count(free))}
                        .at(folder_of(mesh))
                        .keeping("nothing was written"));
    }
    GARLAND_TRY(first, source.read(f.first, progress));
    const bool moving = order.velocities && first->velocities.size() == first->points.size() && !first->points.empty();
    const auto frames = static_cast<std::uint64_t>(f.frames()), count = static_cast<std::uint64_t>(first->points.size());
    GARLAND_TRY(points, NpyWriter::create(points_path, frames, count, order.type, order.existing));
    std::optional<NpyWriter> velocities;
    if (moving) {
        GARLAND_TRY(writer, NpyWriter::create(velocity_path, frames, count, order.type, order.existing));
        velocities.emplace(std::move(writer));
    }
    auto report = [&](std::int64_t frame, double from, const char* what) {
        progress.report(from + 0.5 * static_cast<double>(frame - f.first) / static_cast<double>(frames),
                        fmt::format("{} frame {}", what, frame));
        return progress.cancelled();
    };
    FastCopyDone done;
    done.frames = f.frames();
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        if (report(frame, 0, "copying")) return fail(Error{ErrorCode::cancelled, "stopped"}.keeping("nothing was written"));
        done.bridged += source.present(frame) != frame;
        GARLAND_TRY(pose, source.read(frame, progress));
        if (!mixable(*first, *pose)) {
            return fail(Error{ErrorCode::unsupported, "points or faces differ from the first frame's"}.at_frame(frame).keeping(
                "nothing was written"));
        }
        if (order.type == NpyType::f16) {
            GARLAND_CHECK(fits_halves(pose->points, frame));
            if (moving) GARLAND_CHECK(fits_halves(pose->velocities, frame));
        }
        points.add(pose->points);
        if (velocities) velocities->add(pose->velocities.size() == count ? pose->velocities : std::vector<V3f>(count, V3f(0)));
    }
    GARLAND_CHECK(points.commit());
    if (velocities) GARLAND_CHECK(velocities->commit());
    Pose still = *first; // what moves is in the arrays
    still.velocities.clear();
    if (order.keep) keep_only(still, *order.keep);
    GARLAND_CHECK(write_ply(mesh, still, PlyForm::little_endian, order.existing));

    GARLAND_TRY(written, NpyFile::open(points_path));
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        if (report(frame, 0.5, "comparing")) {
            return fail(Error{ErrorCode::cancelled, "stopped while comparing"}.at(mesh).keeping("the copy, not compared to its end"));
        }
        GARLAND_TRY(pose, source.read(frame, progress));
        GARLAND_TRY(back, written.vectors(static_cast<std::uint64_t>(frame - f.first)));
        if (back.size() != pose->points.size()) {
            return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}.at(points_path).at_frame(frame));
        }
        done.worst = std::max(done.worst, furthest(pose->points, back));
    }
    done.files = {mesh, points_path};
    if (velocities) done.files.push_back(velocity_path);
    for (const std::string& file : done.files) {
        std::error_code none;
        done.bytes += static_cast<double>(std::filesystem::file_size(file, none));
    }
    progress.report(1, "copied and compared");
    return done;
}

} // namespace garland
