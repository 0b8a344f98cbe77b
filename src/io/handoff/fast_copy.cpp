#include "io/handoff/fast_copy_steps.h"

#include "core/base/numbers.h"
#include "core/geometry/blend.h"
#include "core/geometry/halves.h"
#include "io/ply/ply.h"
#include "io/sources/moving_values.h"
#include "io/sources/open_source.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <optional>

namespace garland {

namespace {

bool same_file(const std::string& a, const std::string& b) {
    std::error_code none;
    return a == b || std::filesystem::equivalent(a, b, none);
}

void keep_only(Pose& pose, const std::vector<std::string>& names) {
    auto kept = [&](std::string_view name) { return std::find(names.begin(), names.end(), name) != names.end(); };
    if (!kept("normals")) {
        pose.normals.clear();
        pose.corner_normals.clear();
    }
    if (!kept("colours")) pose.colours.clear();
    auto faces = std::make_shared<Faces>(*pose.faces);
    if (!kept("texture coordinates")) {
        pose.uvs.clear();
        faces->corner_uvs.clear();
    }
    std::erase_if(pose.attributes, [&](const Attribute& a) { return !kept(a.name); });
    for (auto* list : {&faces->attributes, &faces->corner_attributes})
        std::erase_if(*list, [&](const Attribute& a) { return !kept(a.name); });
    pose.faces = faces;
}

Result<void> known_names(const SourceFacts& f, const FastCopyOrder& order) {
    const auto all = can_keep(f);
    for (const std::string& name : order.keep.value_or(std::vector<std::string>{})) {
        if (std::find(all.begin(), all.end(), name) != all.end()) continue;
        std::string list;
        for (const std::string& one : all) list += (list.empty() ? "" : ", ") + one;
        return fail(Error{ErrorCode::not_found, fmt::format("the source has no \"{}\" to keep", name)}
                        .keeping("nothing was written")
                        .advise(list.empty() ? "it has nothing beside points and faces" : "it has " + list));
    }
    return {};
}

Result<void> has_room(const SourceFacts& f, const FastCopyOrder& order) {
    const double wanted = fast_copy_bytes(f, order), free = free_space(folder_of(order.stem));
    if (free < 0 || wanted <= free) return {};
    return fail(Error{ErrorCode::disk_full,
                      fmt::format("about {} are needed, but only {} are free", byte_count(wanted), byte_count(free))}
                    .at(folder_of(order.stem))
                    .keeping("nothing was written"));
}

// Everything but the points has to be as it was, to what halves can hold.
bool near(const float* a, const float* b, std::size_t count, NpyType type) {
    for (std::size_t i = 0; i < count; ++i) {
        const float allowed = type == NpyType::f16 ? std::max(std::abs(a[i]) / 1024, 1e-7f) : 0;
        if (!(std::abs(a[i] - b[i]) <= allowed)) return false;
    }
    return true;
}

template <class V>
bool near(const std::vector<V>& a, const std::vector<V>& b, NpyType type) {
    constexpr std::size_t width = sizeof(V) / sizeof(float);
    return a.size() == b.size() &&
           (a.empty() || near(reinterpret_cast<const float*>(a.data()), reinterpret_cast<const float*>(b.data()),
                              a.size() * width, type));
}

// The poses of a mesh source, without what is not kept.
struct KeptPoses {
    const Source& source;
    const FastCopyOrder& order;
    Result<PosePtr> read(std::int64_t frame, Progress& progress) const {
        GARLAND_TRY(pose, source.read(frame, progress));
        if (!order.keep) return pose;
        auto out = std::make_shared<Pose>(*pose);
        keep_only(*out, *order.keep);
        return PosePtr(out);
    }
};

// Arrays hold points that have the same faces, and the same values of faces and corners, in every frame.
Result<void> fits_arrays(const Pose& first, const Pose& pose, std::int64_t frame) {
    if (!mixable(first, pose)) {
        return fail(Error{ErrorCode::unsupported, "points or faces differ from the first frame's"}
                        .advise("keep the source as it is")
                        .at_frame(frame));
    }
    if (first.faces == pose.faces || *first.faces == *pose.faces) return {};
    return fail(
        Error{ErrorCode::unsupported,
              "values kept for faces or corners differ from the first frame's, and arrays hold those of points only"}
            .at_frame(frame)
            .advise("leave them out with the list of what is kept"));
}

// Reads back what was written, frame by frame; the largest difference of a point.
Result<double> compare_mesh(const KeptPoses& kept, const std::string& points_path, bool moving, Progress& progress) {
    const SourceFacts& f = kept.source.facts();
    const NpyType type = kept.order.type;
    double worst = 0;
    GARLAND_TRY(written, open_source(points_path, progress));
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        GARLAND_CHECK(still_wanted(progress, f, frame, 0.5, 1, "comparing"));
        GARLAND_TRY(pose, kept.read(frame, progress));
        GARLAND_TRY(back, written->read(frame, progress));
        const bool same = back->points.size() == pose->points.size() && near(pose->normals, back->normals, type) &&
                          (!moving || near(pose->velocities, back->velocities, type)) &&
                          near(pose->uvs, back->uvs, type);
        if (!same)
            return fail(
                Error{ErrorCode::unreadable, "what was read back is not what was written"}.at_frame(frame).advise(
                    "check the disk and try again"));
        worst = std::max(worst, furthest(pose->points, back->points));
    }
    return worst;
}

Result<FastCopyDone> copy_mesh(const Source& source, const FastCopyOrder& order, CopyFiles& files, Progress& progress) {
    const SourceFacts& f = source.facts();
    const KeptPoses kept{source, order};
    GARLAND_TRY(first, kept.read(f.first, progress));
    files.learn_directions(*first);
    const bool moving = order.velocities && !f.carries.velocities_a_frame &&
                        first->velocities.size() == first->points.size() && !first->points.empty();
    const auto frames = static_cast<std::uint64_t>(f.frames()),
               count = static_cast<std::uint64_t>(first->points.size());
    const std::string mesh = files.add(".ply"), points_path = files.add(".npy");
    GARLAND_TRY(points, NpyWriter::create(points_path, frames, count, order.type, Existing::refuse));
    std::optional<NpyWriter> velocities;
    if (moving) {
        GARLAND_TRY(writer, NpyWriter::create(files.add("_velocity.npy"), frames, count, order.type, Existing::refuse));
        velocities.emplace(std::move(writer));
    }
    MovingWriter others(files.stem(), frames, count, order.type, Existing::refuse);
    const std::vector<ValueList> first_lists = value_lists(*first);
    FastCopyDone done;
    done.frames = f.frames();
    for (std::int64_t frame = f.first; frame <= f.last; ++frame) {
        GARLAND_CHECK(still_wanted(progress, f, frame, 0, 0.5, "copying"));
        done.bridged += source.present(frame) != frame;
        GARLAND_TRY(pose, kept.read(frame, progress));
        GARLAND_CHECK(fits_arrays(*first, *pose, frame));
        if (order.type == NpyType::f16) {
            GARLAND_CHECK(fits_halves(pose->points, frame));
            if (moving) GARLAND_CHECK(fits_halves(pose->velocities, frame));
        }
        points.add(pose->points);
        if (velocities)
            velocities->add(pose->velocities.size() == count ? pose->velocities : std::vector<V3f>(count, V3f(0)));
        for (const ValueList& list : value_lists(*pose)) { // what stands still is in the mesh
            const auto before = std::find_if(first_lists.begin(), first_lists.end(),
                                             [&](const ValueList& l) { return l.name == list.name; });
            if (before != first_lists.end())
                GARLAND_CHECK(others.add_if_moving(list, *before, static_cast<std::uint64_t>(frame - f.first)));
        }
    }
    GARLAND_CHECK(points.commit());
    if (velocities) GARLAND_CHECK(velocities->commit());
    GARLAND_TRY(more, others.commit());
    for (const std::string& path : more) files.add_written(path);
    Pose still = *first; // what moves is in the arrays
    still.velocities.clear();
    GARLAND_CHECK(write_ply(mesh, still, PlyForm::little_endian, Existing::refuse));

    GARLAND_CHECK(files.write_note());
    GARLAND_TRY(worst, compare_mesh(kept, points_path, moving, progress));
    done.worst = worst;
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

CopyFiles::CopyFiles(const Source& source, const FastCopyOrder& order, StagedFiles staged)
    : source_(source), order_(order), staged_(std::move(staged)), name_(file_name(order.stem)) {}

Result<CopyFiles> CopyFiles::create(const Source& source, const FastCopyOrder& order) {
    GARLAND_TRY(staged, StagedFiles::create(folder_of(order.stem)));
    return CopyFiles(source, order, std::move(staged));
}

std::string CopyFiles::add(const std::string& tail) {
    return add_written(stem() + tail);
}

std::string CopyFiles::add_written(const std::string& path) {
    names_.push_back(file_name(path));
    return path;
}

void CopyFiles::learn_directions(const Pose& pose) {
    for (const Attribute& a : pose.attributes) {
        if (a.vector && std::find(directions_.begin(), directions_.end(), a.name) == directions_.end())
            directions_.push_back(a.name);
    }
}

// The source's own files are never written over, and others only where the order says so.
Result<void> CopyFiles::may_appear() const {
    for (const std::string& name : names_) {
        const std::string out = folder_of(order_.stem) + "/" + name;
        for (const std::string& own : source_.files()) {
            if (!same_file(own, out)) continue;
            return fail(Error{ErrorCode::invalid, "the copy would overwrite the source itself"}
                            .at(out)
                            .keeping("the source")
                            .advise("choose another name"));
        }
        if (order_.existing == Existing::refuse && file_exists(out)) {
            return fail(Error{ErrorCode::exists, "already exists"}
                            .at(out)
                            .keeping("it, and nothing was written")
                            .advise("choose another name"));
        }
    }
    return {};
}

Result<void> CopyFiles::write_note() {
    const SourceFacts& f = source_.facts();
    FastCopyNote note{
        f.kind == SourceKind::volume ? 0 : f.first, f.says.rate, f.says.up, f.says.scale, f.missing, directions_, {}};
    for (const std::string& name : names_) {
        std::uint64_t size = 0;
        const std::string path = staged_.folder() + "/" + name;
        GARLAND_CHECK(open_regular(path, size));
        note.files.push_back({name, size, sample_of(path)});
    }
    return write_file(note_path(stem()), note_text(note), Existing::replace);
}

Result<std::vector<std::string>> CopyFiles::publish() {
    GARLAND_CHECK(may_appear());
    const std::string last = file_name(note_path(order_.stem)), unfinished = "unfinished.json";
    GARLAND_CHECK(write_file(staged_.folder() + "/" + unfinished, unfinished_note_text(), Existing::refuse));
    // The note says that files are missing until the last of them is in its place.
    std::vector<StagedFiles::Place> places{{unfinished, last}};
    for (const std::string& name : names_) places.push_back({name, name});
    places.push_back({last, last});
    GARLAND_CHECK(staged_.publish(places, order_.existing));
    std::vector<std::string> out;
    for (const std::string& name : names_) out.push_back(folder_of(order_.stem) + "/" + name);
    out.push_back(note_path(order_.stem));
    return out;
}

Result<void> still_wanted(Progress& progress, const SourceFacts& f, std::int64_t frame, double from, double to,
                          const char* what) {
    progress.report(from + (to - from) * static_cast<double>(frame - f.first) / static_cast<double>(f.frames()),
                    fmt::format("{} frame {}", what, frame));
    if (!progress.cancelled()) return {};
    return fail(ErrorCode::cancelled, "stopped");
}

std::vector<std::string> can_keep(const SourceFacts& f) {
    std::vector<std::string> out;
    if (f.kind == SourceKind::volume) { // "density (half float)"
        for (const std::string& a : f.carries.attributes) out.push_back(a.substr(0, a.rfind(" (")));
        return out;
    }
    if (f.carries.normals && f.carries.normal_corners == 0) out.emplace_back("normals");
    if (f.carries.uvs) out.emplace_back("texture coordinates");
    if (f.carries.colours) out.emplace_back("colours");
    out.insert(out.end(), f.carries.attributes.begin(), f.carries.attributes.end());
    return out;
}

Result<void> can_copy(const SourceFacts& f) {
    if (f.kind == SourceKind::volume || f.kind == SourceKind::particles || (!f.varies.faces_change_at && f.points > 0))
        return {};
    if (f.points == 0)
        return fail(Error{ErrorCode::unsupported, "there are no points to copy"}
                        .advise("keep the source as it is")
                        .keeping("nothing was written"));
    return fail(Error{ErrorCode::unsupported, "points or faces change, so the frames do not fit into one array"}
                    .advise("keep the source as it is")
                    .at_frame(*f.varies.faces_change_at)
                    .keeping("nothing was written"));
}

double fast_copy_bytes(const SourceFacts& f, const FastCopyOrder& order) {
    const double value = order.type == NpyType::f16 ? 2 : order.type == NpyType::f32 ? 4 : 8;
    if (f.kind == SourceKind::volume) {
        double numbers = 0; // in a voxel
        const auto kept = order.keep.value_or(can_keep(f));
        for (const std::string& a : f.carries.attributes) {
            if (std::find(kept.begin(), kept.end(), a.substr(0, a.rfind(" ("))) != kept.end())
                numbers += a.ends_with("vector)") ? 3 : 1;
        }
        return static_cast<double>(f.frames()) * static_cast<double>(f.varies.most_points) * numbers * value;
    }
    const double arrays = order.velocities && f.carries.velocities && !f.carries.velocities_a_frame ? 2 : 1;
    const double each = static_cast<double>(std::max(f.points, f.varies.most_points)) * 3 * value * arrays;
    const double ids = f.kind == SourceKind::particles ? static_cast<double>(f.varies.most_points) * 8 : 0;
    return static_cast<double>(f.frames()) * (each + ids);
}

Result<FastCopyDone> make_fast_copy(const Source& source, const FastCopyOrder& order, Progress& progress) {
    const SourceFacts& f = source.facts();
    GARLAND_CHECK(can_copy(f));
    GARLAND_CHECK(known_names(f, order));
    GARLAND_CHECK(has_room(f, order));
    GARLAND_TRY(files, CopyFiles::create(source, order));
    auto copied = f.kind == SourceKind::volume      ? copy_volumes(source, order, files, progress)
                  : f.kind == SourceKind::particles ? copy_particles(source, order, files, progress)
                                                    : copy_mesh(source, order, files, progress);
    auto kept = [&](Error error) { // nothing has its place before everything is written and compared
        if (error.kept.empty())
            error.kept = order.existing == Existing::replace ? "all files as they were" : "nothing was written";
        return fail(std::move(error));
    };
    if (!copied) return kept(std::move(copied.error()));
    FastCopyDone done = std::move(*copied);
    auto published = files.publish();
    if (!published) return kept(std::move(published.error()));
    done.files = std::move(*published);
    for (const std::string& file : done.files) {
        std::error_code none;
        done.bytes += static_cast<double>(std::filesystem::file_size(file, none));
    }
    done.kept = fmt::format("first frame {}", f.first);
    if (f.says.rate) done.kept += fmt::format(", {} frames per second", to_text(*f.says.rate));
    if (f.says.up == UpAxis::z) done.kept += ", z up";
    if (f.carries.normal_corners > 0) done.kept += "; not the normals of corners, which arrays cannot hold";
    if (f.says.scale != 1) done.kept += fmt::format(", {} m per unit", exact_number(f.says.scale));
    progress.report(1, "copied and compared");
    return done;
}

} // namespace garland
