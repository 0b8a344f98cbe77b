#include "io/handoff/merged_copies.h"

#include "core/base/behind.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/scene/placed_copy.h"
#include "io/files/staged_files.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

namespace garland {

namespace {

Error stopped(std::int64_t frame) {
    return Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", frame)};
}

} // namespace

namespace {

// Calls work(posed, copy, pose) for every copy that shows points.
template <class Work>
void each_shown(const std::vector<Posed>& all, const Work& work) {
    for (const Posed& posed : all) {
        for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
            const std::uint32_t pick = posed.picks.copies[i];
            if (pick != no_pose && !posed.poses[pick].pose->volume) work(posed, i, *posed.poses[pick].pose);
        }
    }
}

// The points of merged_pose alone. out is used again.
void merge_points(const std::vector<Posed>& all, const WrittenAs& as, std::vector<V3f>& out) {
    struct Part {
        const Posed* posed;
        std::size_t copy, first;
    };
    std::vector<Part> parts;
    std::size_t count = 0;
    each_shown(all, [&](const Posed& posed, std::size_t i, const Pose& pose) {
        parts.push_back({&posed, i, count});
        count += pose.points.size();
    });
    out.resize(count);
    const std::size_t at_once = std::max<std::size_t>(1, parts.size() * 16384 / std::max<std::size_t>(count, 1));
    parallel_for(parts.size(), at_once, [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k)
            place_points(*parts[k].posed, parts[k].copy, as, out.data() + parts[k].first);
    });
}

// The same mesh as merged_pose, without ever holding it.
Result<WrittenFile> write_merged(const std::string& path, const std::vector<Posed>& all, const WrittenAs& as) {
    PlyMerger::Content content;
    bool textured = true;
    each_shown(all, [&](const Posed&, std::size_t, const Pose& pose) {
        content.points += pose.points.size();
        content.add_faces(*pose.faces);
        textured = textured && pose.faces->corner_uvs.size() == pose.faces->corners.size();
    });
    content.corner_uvs = content.corner_uvs && textured;
    content.materials.clear(), content.pictures.clear(), content.face_attributes.clear();
    GARLAND_TRY(out, PlyMerger::create(path, content, Existing::refuse, ""));
    std::vector<V3f> points;
    each_shown(all, [&](const Posed& posed, std::size_t i, const Pose& pose) {
        points.resize(pose.points.size());
        place_points(posed, i, as, points.data());
        out.add_points(points, {}, {}, {}, pose, 0);
    });
    std::uint32_t first = 0;
    each_shown(all, [&](const Posed&, std::size_t, const Pose& pose) {
        out.add_faces(*pose.faces, first);
        first += static_cast<std::uint32_t>(pose.points.size());
    });
    GARLAND_CHECK(out.finish());
    GARLAND_CHECK(out.publish());
    return out.about();
}

} // namespace

Pose merged_pose(const std::vector<Posed>& all, const WrittenAs& as) {
    Pose out;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    bool textured = true, hard = true;
    PlacedCopy placed{as};
    merge_points(all, as, out.points);
    std::uint32_t first = 0;
    each_shown(all, [&](const Posed& posed, std::size_t i, const Pose& pose) {
        const Faces& own = *pose.faces;
        const auto corner = static_cast<std::uint32_t>(faces->corners.size());
        for (const std::uint32_t c : own.corners) faces->corners.push_back(c + first);
        for (std::size_t f = 0; f < own.count(); ++f) faces->starts.push_back(corner + own.starts[f + 1]);
        first += static_cast<std::uint32_t>(pose.points.size());
        hard = hard && pose.corner_normals.size() == own.corners.size();
        if (hard) {
            place_copy(posed, i, placed);
            out.corner_normals.insert(out.corner_normals.end(), placed.corner_normals.begin(),
                                      placed.corner_normals.end());
        }
        textured = textured && own.corner_uvs.size() == own.corners.size();
        if (textured) faces->corner_uvs.insert(faces->corner_uvs.end(), own.corner_uvs.begin(), own.corner_uvs.end());
    });
    if (!textured) faces->corner_uvs.clear();
    if (!hard) out.corner_normals.clear();
    out.faces = faces;
    return out;
}

namespace {

Result<void> nothing_in_the_way(const BakeOrder& order, const std::string& name) {
    if (order.existing == Existing::replace || !file_exists(order.folder + "/" + name)) return {};
    return fail(Error{ErrorCode::exists, "already exists"}
                    .at(order.folder + "/" + name)
                    .keeping("the existing file")
                    .advise("choose another place, or say that it may be replaced"));
}

} // namespace

Result<BakeDone> write_array(const Show& show, const BakeOrder& order, Progress& progress) {
    const auto frames = FrameSteps{order.frames, order.step}.count();
    GARLAND_TRY(staged, StagedFiles::create(order.folder));
    const std::string array = order.name + ".npy", mesh = order.name + ".ply";
    for (const std::string& name : {array, mesh}) GARLAND_CHECK(nothing_in_the_way(order, name));
    BakeDone done;
    std::optional<NpyWriter> out;
    std::array<std::vector<V3f>, 2> placed; // one is written while the other is filled
    std::size_t points = 0;
    // The first frame's faces; written beside all frames' points.
    auto write_mesh = [&](const std::vector<Posed>& posed) -> Result<void> {
        GARLAND_TRY(written, write_merged(staged.folder() + "/" + mesh, posed, order.as));
        done.written.push_back(written);
        return {};
    };
    auto add = [&](std::int64_t f, const std::vector<V3f>& now) -> Result<void> {
        if (!out) {
            points = now.size();
            GARLAND_TRY(made, NpyWriter::create(staged.folder() + "/" + array, static_cast<std::uint64_t>(frames),
                                                points, NpyType::f32, Existing::refuse));
            out.emplace(std::move(made));
        }
        if (now.size() != points) {
            return fail(
                Error{ErrorCode::unsupported,
                      fmt::format("output frame {} has {} points and frame {} has {}: one array cannot hold them", f,
                                  now.size(), order.frames.first, points)}
                    .keeping("nothing was written")
                    .advise("write PLY or USD, or frames in which all copies are shown"));
        }
        out->add(now);
        return {};
    };
    Behind meshing, adding;
    for (std::int64_t f = order.frames.first; f <= order.frames.last; f += order.step) {
        progress.report(static_cast<double>(f - order.frames.first) / static_cast<double>(order.frames.count()),
                        fmt::format("frame {}", f));
        if (progress.cancelled()) return fail(stopped(f).keeping("nothing was written"));
        GARLAND_TRY(posed, pose_all(show, OutputFrame(static_cast<double>(f)), progress));
        for (const Posed& p : posed) {
            done.poses += static_cast<std::int64_t>(p.poses.size());
            for (std::uint32_t pick : p.picks.copies) done.copies += pick != no_pose;
        }
        auto& now = placed[static_cast<std::size_t>((f - order.frames.first) / order.step) % 2];
        merge_points(posed, order.as, now);
        if (f == order.frames.first)
            GARLAND_CHECK(meshing.run([&write_mesh, posed = std::move(posed)] { return write_mesh(posed); }));
        GARLAND_CHECK(adding.run([&add, &now, f] { return add(f, now); }));
    }
    GARLAND_CHECK(adding.wait());
    GARLAND_CHECK(meshing.wait());
    GARLAND_CHECK(out->commit());
    for (const std::string& name : {array, mesh}) {
        std::uint64_t size = 0;
        GARLAND_CHECK(read_head(staged.folder() + "/" + name, 1, size));
        if (name == array && size != out->about().bytes) {
            return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}
                            .at(order.folder + "/" + name)
                            .keeping("nothing was written")
                            .advise("check the disk and write it again"));
        }
        done.bytes += static_cast<double>(size);
        done.files.push_back(order.folder + "/" + name);
    }
    done.written.push_back(out->about());
    GARLAND_CHECK(staged.publish({{mesh, mesh}, {array, array}}, order.existing));
    progress.report(1, "written");
    return done;
}

} // namespace garland
