#include "io/handoff/copy_files.h"

#include "core/base/numbers.h"
#include "core/scene/placed_copy.h"
#include "io/handoff/file_names.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"

#include <filesystem>
#include <fmt/format.h>
#include <unordered_set>

namespace garland {

namespace {

std::string name_of(const BakeOrder& order, const Show& show, std::int64_t copy, const FrameMoment& moment,
                    const char* ending) {
    return FileNames(order.name).of(copy_name(copy, show.copies()), moment, ending);
}

// A copy's geometry as it is written.
Pose one_copy(const Posed& posed, std::size_t i, const WrittenAs& as) {
    const Pose& pose = *posed.poses[posed.picks.copies[i]].pose;
    PlacedCopy placed{as};
    place_copy(posed, i, placed);
    Pose out;
    out.attributes = placed.attributes(pose);
    out.points = std::move(placed.points), out.normals = std::move(placed.normals);
    out.corner_normals = std::move(placed.corner_normals);
    out.velocities = std::move(placed.velocities);
    out.uvs = pose.uvs, out.colours = pose.colours, out.ids = pose.ids;
    out.faces = placed.faces;
    if (!as.attributes && !(pose.faces->attributes.empty() && pose.faces->corner_attributes.empty())) {
        auto faces = std::make_shared<Faces>(*pose.faces);
        faces->attributes.clear();
        faces->corner_attributes.clear();
        out.faces = std::move(faces);
    }
    std::erase_if(out.attributes, [](const Attribute& a) { return a.name == "copy"; });
    const auto number = static_cast<std::int32_t>(posed.arrangement->number(i) + 1);
    out.attributes.push_back({"copy", 1, {}, std::vector<std::int32_t>(out.points.size(), number), false});
    return out;
}

Result<void> write_one(const std::string& path, const Pose& pose, bool obj, Existing existing) {
    std::uint64_t points = 0, faces = 0;
    if (obj) {
        GARLAND_CHECK(write_obj(path, pose, existing));
        GARLAND_TRY(back, read_obj_counts(path));
        points = back.points, faces = back.faces;
    } else {
        GARLAND_CHECK(write_ply(path, pose, PlyForm::little_endian, existing));
        GARLAND_TRY(back, read_ply_counts(path));
        points = back.points, faces = back.faces;
    }
    if (points == pose.points.size() && faces == pose.faces->count()) return {};
    return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}.at(path).advise(
        "check the disk and write this frame again"));
}

double bytes_of(const Pose& pose, bool obj) {
    const auto points = static_cast<double>(pose.points.size()),
               corners = static_cast<double>(pose.faces->corners.size());
    if (obj) return points * 32 + corners * (pose.corner_normals.empty() ? 7 : 46);
    PlyMerger::Content c;
    c.points = pose.points.size();
    c.add_faces(*pose.faces);
    c.normals = !pose.normals.empty(), c.velocities = !pose.velocities.empty(), c.uvs = !pose.uvs.empty();
    c.colours = !pose.colours.empty(), c.ids = !pose.ids.empty();
    c.attributes = pose.attributes;
    return static_cast<double>(PlyMerger::size_of(c));
}

bool is_written(const Posed& posed, std::size_t i) {
    const std::uint32_t pick = posed.picks.copies[i];
    return pick != no_pose && !posed.poses[pick].pose->volume;
}

} // namespace

Result<BakeEstimate> estimate_copy_files(const Show& show, const BakeOrder& order, const char* ending,
                                         Progress& progress) {
    GARLAND_CHECK(validate(order.steps()));
    const bool obj = std::string_view(ending) == ".obj";
    BakeEstimate e;
    GARLAND_TRY(all, pose_all(show, OutputFrame(static_cast<double>(order.frames.first)), progress));
    for (const Posed& posed : all) {
        std::vector<double> bytes(posed.poses.size(), -1); // of copies that show the same pose
        for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
            if (!is_written(posed, i)) continue;
            double& own = bytes[posed.picks.copies[i]];
            if (own < 0) own = bytes_of(one_copy(posed, i, order.as), obj);
            e.bytes += own;
            ++e.files;
        }
    }
    e.bytes *= static_cast<double>(order.steps().moments());
    e.files *= order.steps().moments();
    e.free = free_space(order.folder);
    std::unordered_set<std::string> there; // the folder is looked through once
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(order.folder, none))
        there.insert(entry.path().filename().string());
    for (std::int64_t k = 0; k < order.steps().moments() && !there.empty(); ++k) {
        for (std::int64_t copy = 0; copy < show.copies(); ++copy)
            e.existing +=
                static_cast<std::int64_t>(there.count(name_of(order, show, copy, order.steps().moment(k), ending)));
    }
    return e;
}

Result<BakeDone> write_copy_files(const Show& show, const BakeOrder& order, const char* ending, Progress& progress) {
    GARLAND_TRY(before, estimate_copy_files(show, order, ending, progress));
    GARLAND_CHECK(may_write(before, order));
    if (order.starts) GARLAND_CHECK(order.starts());
    const bool obj = std::string_view(ending) == ".obj";
    BakeDone done;
    auto kept = [&](Error error) {
        const auto count = static_cast<long long>(done.files.size());
        error.kept =
            count == 0 ? "nothing was written" : fmt::format("the {} written so far", counted(count, "file", "files"));
        return fail(std::move(error));
    };
    const FrameSteps steps = order.steps();
    for (std::int64_t k = 0; k < steps.moments(); ++k) {
        const FrameMoment moment = steps.moment(k);
        const double f = moment.at.value;
        progress.report(static_cast<double>(k) / static_cast<double>(steps.moments()), fmt::format("frame {}", f));
        auto all = pose_all(show, moment.at, progress);
        if (!all) return kept(std::move(all.error()));
        for (const Posed& posed : *all) {
            done.poses += static_cast<std::int64_t>(posed.poses.size());
            for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
                if (!is_written(posed, i)) continue;
                if (progress.cancelled())
                    return kept(Error{ErrorCode::cancelled, fmt::format("stopped in frame {}", f)});
                const std::string name = name_of(order, show, posed.arrangement->number(i), moment, ending),
                                  path = order.folder + "/" + name;
                done.files.push_back(path);
                ++done.copies;
                if (order.complete && order.complete(name)) {
                    ++done.kept;
                    continue;
                }
                if (auto ok = write_one(path, one_copy(posed, i, order.as), obj, order.existing); !ok) {
                    done.files.pop_back();
                    return kept(std::move(ok.error()).at_frame(moment.frame));
                }
                std::error_code none;
                done.bytes += static_cast<double>(std::filesystem::file_size(path, none));
                if (order.wrote) {
                    if (auto noted = order.wrote({name, 0, {}}, moment.frame); !noted)
                        return kept(std::move(noted.error()));
                }
            }
        }
    }
    progress.report(1, "written");
    return done;
}

} // namespace garland
