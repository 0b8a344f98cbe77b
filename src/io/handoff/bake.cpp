#include "io/handoff/bake.h"

#include "core/base/behind.h"
#include "core/base/numbers.h"
#include "core/scene/placed_copy.h"
#include "io/handoff/file_names.h"
#include "io/ply/ply.h"
#include "io/vdb/volume_file.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <unordered_set>
#include <utility>

namespace garland {

namespace {

std::string path_of(const BakeOrder& order, const FrameMoment& moment) {
    return order.folder + "/" + FileNames(order.name).of(moment, ".ply");
}

// Volumes have files of their own, one a copy: "copies.c07.0012.vdb".
std::string volume_path(const BakeOrder& order, const Show& show, std::int64_t copy, const FrameMoment& moment) {
    return order.folder + "/" + FileNames(order.name).of(copy_name(copy, show.copies()), moment, ".vdb");
}

// What one frame's file holds. An attribute is written when any pose has it.
PlyMerger::Content content_of(const std::vector<Posed>& all, const WrittenAs& as) {
    PlyMerger::Content c;
    c.copy = true;
    for (const Posed& posed : all) {
        for (std::uint32_t pick : posed.picks.copies) {
            if (pick == no_pose) continue;
            const Pose& pose = *posed.poses[pick].pose;
            c.points += pose.points.size();
            c.add_faces(*pose.faces);
            c.normals |= !pose.normals.empty();
            c.velocities |= as.velocities && !pose.velocities.empty();
            c.uvs |= !pose.uvs.empty();
            c.colours |= !pose.colours.empty();
            c.ids |= !pose.ids.empty();
            for (const std::int64_t id : pose.ids) c.large_ids |= id < INT32_MIN || id > INT32_MAX;
            if (!as.attributes) continue;
            for (const Attribute& a : pose.attributes) {
                const bool whole = !a.whole.empty();
                const bool known = std::any_of(c.attributes.begin(), c.attributes.end(),
                                               [&](const Attribute& b) { return b.name == a.name; });
                if (known || a.name == "copy" || a.width > 16) continue;
                c.attributes.push_back({a.name,
                                        a.width,
                                        {},
                                        whole ? std::vector<std::int32_t>{0} : std::vector<std::int32_t>{},
                                        a.vector});
            }
        }
    }
    if (!as.attributes) c.face_attributes.clear();
    return c;
}

// Velocities are turned, sized and scaled by the copy's speed.
Result<double> write_volumes(const std::vector<Posed>& all, const Show& show, const BakeOrder& order,
                             const FrameMoment& moment, std::vector<std::string>& files) {
    double bytes = 0;
    for (const Posed& posed : all) {
        for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
            if (posed.picks.copies[i] == no_pose) continue;
            const SampledPose& sampled = posed.poses[posed.picks.copies[i]];
            if (!sampled.pose->volume) continue;
            const VolumePtr volume =
                placed(*sampled.pose->volume, volume_place(posed.places()[i], order.as), velocity_factor(posed, i));
            const std::string path = volume_path(order, show, posed.arrangement->number(i), moment);
            GARLAND_CHECK(write_volume(path, *volume, order.existing));
            files.push_back(path);
            GARLAND_TRY(back, read_volume_facts(path));
            if (back.size() != volume->facts().size() ||
                (!back.empty() && back[0].active != volume->facts()[0].active)) {
                return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}.at(path));
            }
            std::error_code none;
            bytes += static_cast<double>(std::filesystem::file_size(path, none));
        }
    }
    return bytes;
}

// A frame's file that is filled but not on the disk yet.
struct Filled {
    PlyMerger out;
    PlyMerger::Content content;
    std::string path;
};

Result<Filled> fill_frame(const std::vector<Posed>& all, const BakeOrder& order, const FrameMoment& moment) {
    PlyMerger::Content content = content_of(all, order.as);
    const std::string path = path_of(order, moment);
    GARLAND_TRY(out, PlyMerger::create(path, content, order.existing, fmt::format("output frame {}", moment.at.value)));
    PlacedCopy placed_now{order.as};
    for (const Posed& posed : all) {
        for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
            if (posed.picks.copies[i] == no_pose) continue;
            const SampledPose& sampled = posed.poses[posed.picks.copies[i]];
            const Pose& pose = *sampled.pose;
            place_copy(posed, i, placed_now);
            out.add_points(placed_now.points, placed_now.normals, placed_now.velocities, placed_now.attributes(pose),
                           pose, static_cast<std::int32_t>(posed.arrangement->number(i) + 1));
        }
    }
    std::uint32_t first_point = 0;
    for (const Posed& posed : all) {
        for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
            if (posed.picks.copies[i] == no_pose) continue;
            out.add_faces(*placed_faces(posed, i, order.as), first_point);
            first_point += static_cast<std::uint32_t>(posed.poses[posed.picks.copies[i]].pose->points.size());
        }
    }
    return Filled{std::move(out), std::move(content), path};
}

// Onto the disk, read back, and under its own name.
Result<void> close_frame(Filled& filled) {
    const std::uint64_t bytes = filled.out.written();
    GARLAND_CHECK(filled.out.finish());
    GARLAND_TRY(back, read_ply_counts(filled.out.temporary()));
    std::uint64_t size = 0;
    GARLAND_CHECK(read_head(filled.out.temporary(), 1, size));
    if (back.points != filled.content.points || back.faces != filled.content.faces || size != bytes) {
        return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}
                        .at(filled.path)
                        .advise("check the disk and write this frame again"));
    }
    return filled.out.publish();
}

// Frames go onto the disk while the next one is posed and filled; one at a time, in order.
class FrameCloser {
  public:
    explicit FrameCloser(const BakeOrder& order, BakeDone& done) : order_(order), done_(done) {}
    ~FrameCloser() { static_cast<void>(wait()); }

    // others: files that belong to the frame and are complete.
    Result<void> close(Filled filled, std::int64_t frame, std::vector<std::string> others) {
        GARLAND_CHECK(wait());
        frame_ = frame, path_ = filled.path, others_ = std::move(others), open_ = true;
        return closing_.run([this, held = std::move(filled)]() mutable -> Result<void> {
            GARLAND_CHECK(close_frame(held));
            about_ = held.out.about();
            return {};
        });
    }
    // Until the last one is complete and noted.
    Result<void> wait() {
        if (!std::exchange(open_, false)) return {};
        GARLAND_CHECK(closing_.wait());
        for (const std::string& file : others_) {
            done_.files.push_back(file);
            if (order_.wrote) GARLAND_CHECK(order_.wrote({file_name(file), 0, {}}, frame_));
        }
        done_.files.push_back(path_); // the frame's own file last
        if (order_.wrote) GARLAND_CHECK(order_.wrote(about_, frame_));
        done_.bytes += static_cast<double>(about_.bytes);
        return {};
    }

  private:
    const BakeOrder& order_;
    BakeDone& done_;
    bool open_ = false;
    std::int64_t frame_ = 0;
    WrittenFile about_;
    std::string path_;
    std::vector<std::string> others_;
    Behind closing_; // last: ends before what it uses
};

} // namespace

Result<BakeEstimate> estimate(const Show& show, const BakeOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order.steps()));
    BakeEstimate e;
    e.files = order.steps().moments();
    GARLAND_TRY(all, pose_all(show, OutputFrame(static_cast<double>(order.frames.first)), progress));
    double volumes = 0; // as large as in memory, at most
    for (const Posed& posed : all) {
        for (std::uint32_t pick : posed.picks.copies) {
            if (pick != no_pose && posed.poses[pick].pose->volume)
                volumes += static_cast<double>(posed.poses[pick].pose->volume->bytes()), ++e.volume_files;
        }
    }
    e.bytes =
        (static_cast<double>(PlyMerger::size_of(content_of(all, order.as))) + volumes) * static_cast<double>(e.files);
    e.volume_files *= e.files;
    e.free = free_space(order.folder);
    std::unordered_set<std::string> there; // the folder is looked through once
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(order.folder, none))
        there.insert(order.folder + "/" + entry.path().filename().string());
    if (there.empty()) return e;
    for (std::int64_t k = 0; k < e.files; ++k) {
        const FrameMoment moment = order.steps().moment(k);
        e.existing += static_cast<std::int64_t>(there.count(path_of(order, moment)));
        for (const ArrangementShow& a : show.arrangements) {
            if (!a.usable || a.sampler.source()->facts().kind != SourceKind::volume) continue;
            for (std::size_t i = 0; i < a.places.size(); ++i)
                e.existing += static_cast<std::int64_t>(there.count(volume_path(order, show, a.number(i), moment)));
        }
    }
    return e;
}

Result<void> may_write(const BakeEstimate& before, const BakeOrder& order) {
    if (before.existing > 0 && order.existing == Existing::refuse) {
        return fail(Error{ErrorCode::exists, fmt::format("{} of the {} to write already {}", before.existing,
                                                         counted(before.files + before.volume_files, "file", "files"),
                                                         before.existing == 1 ? "exists" : "exist")}
                        .at(order.folder)
                        .keeping("all existing files; nothing was written")
                        .advise("choose another folder or name, or say that they may be replaced"));
    }
    if (before.free >= 0 && before.bytes > before.free) {
        return fail(Error{ErrorCode::disk_full, fmt::format("about {} are needed, but only {} are free",
                                                            byte_count(before.bytes), byte_count(before.free))}
                        .at(order.folder)
                        .keeping("nothing was written")
                        .advise("free some space, choose another disk, or write fewer frames"));
    }
    return {};
}

Result<BakeDone> bake(const Show& show, const BakeOrder& order, Progress& progress) {
    GARLAND_TRY(before, estimate(show, order, progress));
    GARLAND_CHECK(may_write(before, order));
    std::error_code made;
    const bool new_folder = std::filesystem::create_directories(order.folder, made);
    if (made) {
        return fail(Error{ErrorCode::unreadable, fmt::format("the folder cannot be made ({})", made.message())}.at(
            order.folder));
    }
    BakeDone done;
    FrameCloser closer(order, done);
    auto kept = [&](Error error) {
        static_cast<void>(closer.wait()); // the frame before it is complete, or its own trouble is of no more interest
        std::error_code none;
        if (new_folder && done.files.empty()) std::filesystem::remove(order.folder, none); // only where it is empty
        error.kept = done.files.empty()
                         ? "nothing was written"
                         : fmt::format("the {} written so far", counted(done.files.size(), "file", "files"));
        return fail(std::move(error));
    };
    if (order.starts) {
        if (auto noted = order.starts(); !noted) return kept(std::move(noted.error()));
    }
    const FrameSteps steps = order.steps();
    for (std::int64_t k = 0; k < steps.moments(); ++k) {
        const FrameMoment moment = steps.moment(k);
        const double f = moment.at.value;
        progress.report(static_cast<double>(k) / static_cast<double>(steps.moments()), fmt::format("frame {}", f));
        if (progress.cancelled()) return kept(Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", f)});
        if (order.complete && order.complete(file_name(path_of(order, moment)))) {
            done.files.push_back(path_of(order, moment));
            ++done.kept;
            continue;
        }
        auto posed = pose_all(show, moment.at, progress);
        if (!posed) return kept(std::move(posed.error()));
        std::vector<std::string> beside;
        auto volumes = write_volumes(*posed, show, order, moment, beside);
        if (!volumes) return kept(std::move(volumes.error()));
        done.bytes += *volumes;
        auto filled = fill_frame(*posed, order, moment);
        if (!filled) return kept(std::move(filled.error()));
        if (auto closed = closer.close(std::move(*filled), moment.frame, std::move(beside)); !closed)
            return kept(std::move(closed.error()));
        for (const Posed& p : *posed) {
            done.poses += static_cast<std::int64_t>(p.poses.size());
            for (std::uint32_t pick : p.picks.copies) done.copies += pick != no_pose;
        }
    }
    if (auto closed = closer.wait(); !closed) return kept(std::move(closed.error()));
    progress.report(1, "written");
    return done;
}

} // namespace garland
