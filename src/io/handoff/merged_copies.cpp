#include "io/handoff/merged_copies.h"

#include "core/base/behind.h"
#include "core/base/numbers.h"
#include "core/scene/placed_copy.h"
#include "io/files/staged_files.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

namespace {

Error stopped(std::int64_t frame) {
    return Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", frame)};
}

} // namespace

Pose merged_pose(const std::vector<Posed>& all, const WrittenAs& as, bool with_faces) {
    Pose out;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    bool textured = true, hard = true;
    PlacedCopy placed{as};
    for (const Posed& posed : all) {
        for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
            const std::uint32_t pick = posed.picks.copies[i];
            if (pick == no_pose || posed.poses[pick].pose->volume) continue;
            const Faces& own = *posed.poses[pick].pose->faces;
            place_copy(posed, i, placed);
            const auto first = static_cast<std::uint32_t>(out.points.size());
            out.points.insert(out.points.end(), placed.points.begin(), placed.points.end());
            if (!with_faces) continue;
            const auto corner = static_cast<std::uint32_t>(faces->corners.size());
            for (const std::uint32_t c : own.corners) faces->corners.push_back(c + first);
            for (std::size_t f = 0; f < own.count(); ++f) faces->starts.push_back(corner + own.starts[f + 1]);
            hard = hard && placed.corner_normals.size() == own.corners.size();
            if (hard)
                out.corner_normals.insert(out.corner_normals.end(), placed.corner_normals.begin(),
                                          placed.corner_normals.end());
            textured = textured && own.corner_uvs.size() == own.corners.size();
            if (textured)
                faces->corner_uvs.insert(faces->corner_uvs.end(), own.corner_uvs.begin(), own.corner_uvs.end());
        }
    }
    if (!textured) faces->corner_uvs.clear();
    if (!hard) out.corner_normals.clear();
    out.faces = faces;
    return out;
}

Result<BakeDone> write_array(const Show& show, const BakeOrder& order, Progress& progress) {
    const auto frames = FrameSteps{order.frames, order.step}.count();
    GARLAND_TRY(staged, StagedFiles::create(order.folder));
    const std::string array = order.name + ".npy", mesh = order.name + ".ply";
    for (const std::string& name : {array, mesh}) {
        if (order.existing == Existing::replace || !file_exists(order.folder + "/" + name)) continue;
        return fail(Error{ErrorCode::exists, "already exists"}
                        .at(order.folder + "/" + name)
                        .keeping("the existing file")
                        .advise("choose another place, or say that it may be replaced"));
    }
    BakeDone done;
    std::optional<NpyWriter> out;
    std::size_t points = 0;
    // Placed and written while the next frame is posed.
    auto add = [&](std::int64_t f, const std::vector<Posed>& posed) -> Result<void> {
        const Pose pose = merged_pose(posed, order.as, !out); // the first frame's faces are kept
        if (!out) {
            points = pose.points.size();
            GARLAND_CHECK(write_ply(staged.folder() + "/" + mesh, pose, PlyForm::little_endian, Existing::refuse));
            GARLAND_TRY(made, NpyWriter::create(staged.folder() + "/" + array, static_cast<std::uint64_t>(frames),
                                                points, NpyType::f32, Existing::refuse));
            out.emplace(std::move(made));
        }
        if (pose.points.size() != points) {
            return fail(
                Error{ErrorCode::unsupported,
                      fmt::format("output frame {} has {} points and frame {} has {}: one array cannot hold them", f,
                                  pose.points.size(), order.frames.first, points)}
                    .keeping("nothing was written")
                    .advise("write PLY or USD, or frames in which all copies are shown"));
        }
        out->add(pose.points);
        return {};
    };
    Behind adding;
    for (std::int64_t f = order.frames.first; f <= order.frames.last; f += order.step) {
        progress.report(static_cast<double>(f - order.frames.first) / static_cast<double>(order.frames.count()),
                        fmt::format("frame {}", f));
        if (progress.cancelled()) return fail(stopped(f).keeping("nothing was written"));
        GARLAND_TRY(posed, pose_all(show, OutputFrame(static_cast<double>(f)), progress));
        for (const Posed& p : posed) {
            done.poses += static_cast<std::int64_t>(p.poses.size());
            for (std::uint32_t pick : p.picks.copies) done.copies += pick != no_pose;
        }
        GARLAND_CHECK(adding.run([&add, f, posed = std::move(posed)] { return add(f, posed); }));
    }
    GARLAND_CHECK(adding.wait());
    GARLAND_CHECK(out->commit());
    for (const std::string& name : {array, mesh}) {
        std::uint64_t size = 0;
        GARLAND_CHECK(read_head(staged.folder() + "/" + name, 1, size));
        done.bytes += static_cast<double>(size);
        done.files.push_back(order.folder + "/" + name);
    }
    GARLAND_CHECK(staged.publish({{mesh, mesh}, {array, array}}, order.existing));
    progress.report(1, "written");
    return done;
}

} // namespace garland
