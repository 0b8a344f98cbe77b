// Posed copies, one file for any viewer, one retimed source.
#include "io/handoff/geometry_outputs.h"

#include "core/base/numbers.h"
#include "core/geometry/volume.h"
#include "core/project/alone.h"
#include "io/gltf/viewer_glb.h"
#include "io/handoff/bake.h"
#include "io/handoff/copy_files.h"
#include "io/handoff/file_names.h"
#include "io/handoff/frame_files.h"
#include "io/handoff/manifest.h"
#include "io/handoff/merged_copies.h"
#include "io/usd/posed_usd.h"
#include "io/usd/usd_cache.h"

#include <fmt/format.h>
#include <map>

namespace garland {

void sizes(HandoffPlan& plan, const HandoffOrder& order) { // of one file
    plan.files = 1;
    plan.existing = file_exists(order.path());
    plan.free = free_space(order.folder);
}

namespace {

// ---- posed copies

BakeOrder bake_order(const HandoffOrder& o) {
    return {o.folder, o.name, o.frames.range, o.files(), o.frames.step, o.as, o.frames.shutter};
}
PosedUsdOrder posed_order(const HandoffOrder& o) {
    return {o.path(), o.name, o.frames, o.files(), o.as};
}

// PLY has normals of points only.
void tell_hard_edges(const Show& show, std::vector<std::string>& words) {
    std::string names;
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable || a.places.empty() || a.sampler.source()->facts().carries.normal_corners == 0) continue;
        names += (names.empty() ? "\"" : ", \"") + a.spec.name + "\"";
    }
    if (names.empty()) return;
    words.push_back(
        fmt::format("PLY cannot hold normals of corners, so those of {} are left out; USD and OBJ keep them.", names));
}

Result<HandoffPlan> plan_series(const Show& show, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(e, estimate(show, bake_order(order), progress));
    HandoffPlan plan;
    plan.files = e.files + e.volume_files, plan.existing = e.existing, plan.bytes = e.bytes, plan.free = e.free;
    if (e.volume_files > 0)
        plan.words.push_back(fmt::format("{} of the files are volumes, one for each copy and frame.", e.volume_files));
    tell_hard_edges(show, plan.words);
    return plan;
}

Result<HandoffDone> write_series(const Show& show, const HandoffOrder& order, HandoffJournal& journal,
                                 Progress& progress) {
    BakeOrder frames = bake_order(order);
    if (journal.went_on()) frames.existing = Existing::replace; // they are this hand-off's own
    frames.starts = [&] { return journal.begin(); };
    frames.complete = [&](const std::string& name) { return journal.complete(name); };
    frames.wrote = [&](const WrittenFile& file, std::int64_t frame) -> Result<void> {
        if (!file.hash.empty()) return journal.add({file.name, file.bytes, file.hash, frame});
        GARLAND_TRY(read, described(order.folder, file.name, frame));
        return journal.add(read);
    };
    static const std::map<std::string, WriteFrame> kinds{
        {".obj", write_obj_frame}, {".vdb", write_volume_frame}, {".csv", write_particle_frame}};
    const auto kind = kinds.find(order.ending);
    GARLAND_TRY(b, order.each_copy       ? write_copy_files(show, frames, order.ending.c_str(), progress)
                   : kind != kinds.end() ? write_frame_files(show, frames, kind->first.c_str(), kind->second, progress)
                                         : bake(show, frames, progress));
    HandoffDone done;
    done.files = b.files, done.bytes = b.bytes, done.kept = b.kept;
    if (order.ending == ".vdb" || order.ending == ".csv") {
        done.words.emplace_back("Read back: every file holds what it should.");
        done.numbers = {{"poses", static_cast<double>(b.poses)}};
        return done;
    }
    done.words.push_back(fmt::format("{} from {}. Verified: every file has the expected counts and size.",
                                     counted(b.copies, "copy", "copies"), counted(b.poses, "pose", "poses")));
    done.numbers = {{"copies", static_cast<double>(b.copies)}, {"poses", static_cast<double>(b.poses)}};
    return done;
}

std::int64_t existing_frames(const HandoffOrder& order) {
    std::int64_t count = 0;
    for (std::int64_t k = 0; k < order.frames.moments(); ++k)
        count += file_exists(order.folder + "/" + FileNames(order.name).of(order.frames.moment(k), order.ending));
    return count;
}

// OBJ and arrays hold points and faces of the same copies.
Result<HandoffPlan> plan_merged(const Show& show, const HandoffOrder& order, Progress& progress) {
    const FrameRange range = order.frames.range;
    GARLAND_TRY(all, pose_all(show, OutputFrame(static_cast<double>(range.first)), progress));
    const Pose pose = merged_pose(all);
    const auto points = static_cast<double>(pose.points.size()),
               corners = static_cast<double>(pose.faces->corners.size());
    HandoffPlan plan;
    for (const ArrangementShow& a : show.arrangements) {
        if (a.usable && !a.places.empty() && a.sampler.source()->facts().kind == SourceKind::volume)
            plan.left_out.push_back(fmt::format("{} (a volume: hand it off as PLY, with volumes beside)", a.spec.name));
    }
    plan.free = free_space(order.folder);
    if (order.ending == ".npy") {
        plan.files = 2;
        plan.bytes = points * 12 * static_cast<double>(order.frames.count()) + points * 12 + corners * 5;
        plan.existing = file_exists(order.path()) + file_exists(order.folder + "/" + order.name + ".ply");
        return plan;
    }
    plan.files = order.frames.moments();
    plan.bytes = (points * 32 + corners * 7) * static_cast<double>(plan.files);
    plan.existing = existing_frames(order);
    return plan;
}

Result<HandoffDone> write_one_array(const Show& show, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(b, write_array(show, bake_order(order), progress));
    HandoffDone done;
    done.files = b.files, done.bytes = b.bytes, done.written = b.written;
    done.words.push_back(fmt::format("{} from {}, as one array and its faces.", counted(b.copies, "copy", "copies"),
                                     counted(b.poses, "pose", "poses")));
    done.numbers = {{"copies", static_cast<double>(b.copies)}, {"poses", static_cast<double>(b.poses)}};
    return done;
}

Result<HandoffPlan> plan_each_copy(const Show& show, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(e, estimate_copy_files(show, bake_order(order), order.ending.c_str(), progress));
    HandoffPlan plan;
    plan.files = e.files, plan.existing = e.existing, plan.bytes = e.bytes, plan.free = e.free;
    for (const ArrangementShow& a : show.arrangements) {
        if (a.usable && !a.places.empty() && a.sampler.source()->facts().kind == SourceKind::volume)
            plan.left_out.push_back(fmt::format("{} (a volume: hand it off as PLY, a file a frame)", a.spec.name));
    }
    if (order.ending == ".ply") tell_hard_edges(show, plan.words);
    return plan;
}

} // namespace

Result<HandoffPlan> plan_posed(const HandoffInput& in, const HandoffOrder& order, Progress& progress) {
    if (order.each_copy) return plan_each_copy(*in.show, order, progress);
    if (order.ending == ".ply") return plan_series(*in.show, order, progress);
    if (order.ending == ".obj" || order.ending == ".npy") return plan_merged(*in.show, order, progress);
    HandoffPlan plan;
    sizes(plan, order);
    GARLAND_TRY(bytes, posed_usd_bytes(*in.show, posed_order(order), progress));
    plan.bytes = bytes;
    return plan;
}

Result<HandoffDone> write_posed(const HandoffInput& in, const HandoffOrder& order, HandoffJournal& journal,
                                Progress& progress) {
    if (order.ending == ".ply" || order.ending == ".obj") return write_series(*in.show, order, journal, progress);
    if (order.ending == ".npy") return write_one_array(*in.show, order, progress);
    GARLAND_TRY(b, write_posed_usd(*in.show, posed_order(order), progress));
    HandoffDone done;
    done.files = {order.path()}, done.bytes = b.bytes, done.left_out = b.left_out, done.written = {b.written};
    done.words.push_back(fmt::format("{} over {}, a prim for each copy.", counted(b.copies, "copy", "copies"),
                                     counted(b.frames, "frame", "frames")));
    done.numbers = {{"copies", static_cast<double>(b.copies)}, {"frames", static_cast<double>(b.frames)}};
    return done;
}

namespace {

// ---- for any viewer

ViewerOrder viewer_order(const HandoffOrder& o) {
    return {o.path(), o.frames.range, o.tolerance, 2, o.files()};
}

void tell(const ViewerPlan& p, std::vector<std::string>& words, std::vector<std::pair<std::string, double>>& numbers) {
    words.push_back(fmt::format("{} with {} and {} of their weights.", counted(p.copies, "copy", "copies"),
                                counted(p.targets, "morph target", "morph targets"), counted(p.keys, "key", "keys")));
    numbers = {{"copies", static_cast<double>(p.copies)},
               {"targets", static_cast<double>(p.targets)},
               {"keys", static_cast<double>(p.keys)}};
}

} // namespace

Result<HandoffPlan> plan_glb(const HandoffInput& in, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(p, plan_viewer(*in.show, viewer_order(order), progress));
    HandoffPlan plan;
    sizes(plan, order);
    plan.bytes = p.bytes, plan.left_out = p.left_out;
    tell(p, plan.words, plan.numbers);
    return plan;
}

Result<HandoffDone> write_glb_of(const HandoffInput& in, const HandoffOrder& order, HandoffJournal&,
                                 Progress& progress) {
    GARLAND_TRY(v, write_viewer(*in.show, viewer_order(order), progress));
    HandoffDone done;
    done.files = {order.path()}, done.bytes = v.bytes, done.left_out = v.plan.left_out;
    tell(v.plan, done.words, done.numbers);
    return done;
}

namespace {

// ---- one retimed source

Result<ShowPtr> show_alone(const HandoffInput& in, const HandoffOrder& order) {
    GARLAND_TRY(project, alone(in.project, order.source));
    return make_show(project, in.sources, in.cache);
}

HandoffInput with(const HandoffInput& in, ShowPtr show) {
    return {in.project, in.sources, std::move(show), in.cache};
}

bool output_is_frames(const std::string& ending) {
    return ending == ".ply" || ending == ".obj" || ending == ".vdb" || ending == ".csv";
}

// Whether the source is of a kind that files of this ending hold. Errors: unsupported, with the endings that do.
Result<void> fits(const Show& show, const HandoffOrder& order) {
    const ArrangementShow& a = show.arrangements.front();
    if (!a.usable)
        return fail(Error{ErrorCode::not_found, "the files of this source are not there"}
                        .advise("find them again in Gather")
                        .keeping("nothing was written"));
    const SourceKind kind = a.sampler.source()->facts().kind;
    const bool volume = kind == SourceKind::volume, particles = kind == SourceKind::particles;
    auto wrong = [&](const char* what, const char* instead) {
        return fail(
            Error{ErrorCode::unsupported, fmt::format("{} cannot be held by {} files", what, order.ending.substr(1))}
                .keeping("nothing was written")
                .advise(instead));
    };
    if (volume && order.ending != ".vdb" && order.ending != ".ply") return wrong("a volume", "write it as vdb");
    if (!volume && order.ending == ".vdb") return wrong("what is no volume", "write usda, usdc or ply");
    if (!particles && order.ending == ".csv") return wrong("what is no particles", "write usda, usdc or ply");
    if (particles && (order.ending == ".obj" || order.ending == ".npy" || order.ending == ".glb"))
        return wrong("particles that are born and die", "write csv, usda, usdc or ply");
    return {};
}

// Volumes and tables of particles: as large as the first frame's in memory, at most, or as text.
Result<HandoffPlan> plan_frames(const Show& show, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(all, pose_all(show, OutputFrame(static_cast<double>(order.frames.range.first)), progress));
    double bytes = 0;
    for (const Posed& posed : all) {
        for (const SampledPose& sampled : posed.poses) {
            const Pose& pose = *sampled.pose;
            if (pose.volume) bytes += static_cast<double>(pose.volume->bytes());
            double numbers = 1 + 3.0 * static_cast<double>(1 + !pose.velocities.empty() + !pose.colours.empty());
            for (const Attribute& a : pose.attributes) numbers += a.width;
            bytes += static_cast<double>(pose.points.size()) * numbers * 10;
        }
    }
    HandoffPlan plan;
    plan.files = order.frames.moments(), plan.free = free_space(order.folder);
    plan.bytes = bytes * static_cast<double>(plan.files);
    plan.existing = existing_frames(order);
    return plan;
}

UsdCacheOrder cache_order(const HandoffOrder& o) {
    return {o.path(), o.name, o.frames.range, o.files(), o.frames.step, o.as, o.frames.shutter};
}

} // namespace

Result<HandoffPlan> plan_source(const HandoffInput& in, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(show, show_alone(in, order));
    GARLAND_CHECK(fits(*show, order));
    if (order.ending == ".ply") return plan_series(*show, order, progress);
    if (order.ending == ".obj" || order.ending == ".npy") return plan_merged(*show, order, progress);
    if (order.ending == ".vdb" || order.ending == ".csv") return plan_frames(*show, order, progress);
    if (order.ending == ".glb") return plan_glb(with(in, show), order, progress);
    HandoffPlan plan;
    sizes(plan, order);
    GARLAND_TRY(bytes, usd_cache_bytes(*show, cache_order(order), progress));
    plan.bytes = order.ending == ".usdc" ? bytes / 3 : bytes;
    return plan;
}

Result<HandoffDone> write_source(const HandoffInput& in, const HandoffOrder& order, HandoffJournal& journal,
                                 Progress& progress) {
    GARLAND_TRY(show, show_alone(in, order));
    GARLAND_CHECK(fits(*show, order));
    if (output_is_frames(order.ending)) return write_series(*show, order, journal, progress);
    if (order.ending == ".npy") return write_one_array(*show, order, progress);
    if (order.ending == ".glb") return write_glb_of(with(in, show), order, journal, progress);
    GARLAND_TRY(c, write_usd_cache(*show, cache_order(order), progress));
    HandoffDone done;
    done.files = {order.path()}, done.bytes = c.bytes;
    const std::string words =
        fmt::format("{} in {}.", counted(c.frames, "frame", "frames"), counted(c.samples, "sample", "samples"));
    done.words.push_back(words + " Read back: every frame has the points it should have.");
    done.numbers = {{"frames", static_cast<double>(c.frames)}, {"samples", static_cast<double>(c.samples)}};
    return done;
}

} // namespace garland
