#include "io/usd/shared_poses.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/copies/attitude.h"
#include "core/time/frame_steps.h"
#include "io/files/staged_files.h"
#include "io/handoff/bake.h"
#include "io/usd/pose_prim.h"
#include "io/vdb/volume_file.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <set>
#include <unordered_set>

namespace garland {

namespace {

constexpr double weight_steps = 32; // of fades

// A pick without what only its velocities need, so that equal poses are equal.
PosePick bare(const PosePick& pick) {
    PosePick out;
    out.frame = pick.frame;
    if (pick.weight > 0) out.weight = pick.weight, out.other = pick.other;
    return out;
}

SourceFrame rounded(SourceFrame s, const Sampler& sampler, int per_frame) {
    const SourceClock& clock = sampler.clock();
    const double file = clock.file_frame(s);
    const double steps = sampler.how() == SubFrame::nearest ? 1 : per_frame;
    const double to = std::floor(file * steps + 0.5) / steps; // halfway is the later one, as with nearest
    return clock.first + (to - static_cast<double>(clock.file_first)) / clock.files_per_frame;
}

PosePick rounded(const PosePick& pick, const Sampler& sampler, int per_frame) {
    PosePick out;
    out.frame = rounded(pick.frame, sampler, per_frame);
    const double weight = std::round(pick.weight * weight_steps) / weight_steps;
    if (weight >= 1) {
        out.frame = rounded(pick.other, sampler, per_frame);
    } else if (weight > 0) {
        out.weight = weight, out.other = rounded(pick.other, sampler, per_frame);
    }
    return out;
}

double largest_side(const Placement& p) {
    return p.size * std::max({std::abs(p.stretch.x), std::abs(p.stretch.y), std::abs(p.stretch.z)});
}

// All copies of one source, of whatever arrangement.
struct Group {
    SourceId source;
    const Sampler* sampler = nullptr;
    std::vector<const ArrangementShow*> shows;
    std::vector<std::int64_t> ids; // copies' numbers from 1, show after show
    std::map<PosePick, std::int32_t> poses;
    std::unordered_set<double> asked; // source frames
    std::set<PosePick> asked_fades;
    std::size_t picks() const { return asked.size() + asked_fades.size(); }
    struct Moved {
        PosePick from, to;
        double by = -1; // file frames
    };
    std::map<std::int64_t, Moved> furthest; // by the file frame before it; fades: below 0, by their weight
    double largest = 0;                     // copy
    std::string name{};                     // of its prim, and in the names of its files

    SourceKind kind() const { return sampler->source()->facts().kind; }
    bool volumes() const { return kind() == SourceKind::volume; }

    void learn(const PosePick& pick, int per_frame) {
        const PosePick from = bare(pick);
        if (from.weight > 0 ? !asked_fades.insert(from).second : !asked.insert(from.frame.value).second) return;
        const PosePick to = rounded(from, *sampler, per_frame);
        poses.try_emplace(to, static_cast<std::int32_t>(poses.size()));
        const SourceClock& clock = sampler->clock();
        const double by = std::abs(clock.file_frame(from.frame) - clock.file_frame(to.frame));
        std::int64_t key = static_cast<std::int64_t>(std::floor(clock.file_frame(from.frame)));
        if (from.weight > 0) key = -1 - static_cast<std::int64_t>(from.weight * 64);
        Moved& m = furthest[key];
        if (by > m.by) m = {from, to, by};
    }
};

std::string name_of(const Show& show, SourceId id) {
    for (const ArrangementShow& a : show.arrangements) {
        if (a.source == id && a.usable) {
            const auto files = a.sampler.source()->files();
            std::string name = files.empty() ? a.spec.name : file_name(files.front());
            return name.substr(0, name.find('.'));
        }
    }
    return "source";
}

std::vector<Group> groups_of(const Show& show) {
    std::vector<Group> groups;
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable || a.places.empty()) continue;
        auto g = std::find_if(groups.begin(), groups.end(), [&](const Group& one) { return one.source == a.source; });
        if (g == groups.end()) {
            groups.push_back({});
            g = std::prev(groups.end());
            g->source = a.source, g->sampler = &a.sampler;
        }
        g->shows.push_back(&a);
        for (std::size_t i = 0; i < a.places.size(); ++i) {
            g->ids.push_back(a.number(i) + 1);
            g->largest = std::max(g->largest, largest_side(a.places[i]));
        }
    }
    std::set<std::string> used;
    for (Group& g : groups) {
        const std::string usual = usd_identifier(name_of(show, g.source));
        g.name = usual;
        for (int k = 2; !used.insert(g.name).second; ++k) g.name = fmt::format("{}_{}", usual, k);
    }
    return groups;
}

// A volume's pose lies in a file of its own beside the layer: "copies.smoke.0001.vdb".
std::string volume_file(const SharedPosesOrder& order, const Group& g, std::size_t pose) {
    const std::string file = file_name(order.path);
    return fmt::format("{}.{}.{:04}.vdb", file.substr(0, file.size() - extension(file).size()), g.name, pose + 1);
}

// Every file, the layer last.
std::vector<std::string> files_of(const SharedPosesOrder& order, const std::vector<Group>& groups) {
    std::vector<std::string> files;
    for (const Group& g : groups)
        for (std::size_t k = 0; g.volumes() && k < g.poses.size(); ++k) files.push_back(volume_file(order, g, k));
    files.push_back(file_name(order.path));
    return files;
}

Result<void> learn_picks(std::vector<Group>& groups, const SharedPosesOrder& order, Progress& progress) {
    const auto count = static_cast<double>(order.frames.moments());
    for (std::int64_t k = 0; k < order.frames.moments(); ++k) {
        const double f = order.frames.moment(k).at.value;
        progress.report(static_cast<double>(k) / count, fmt::format("looking at frame {}", f));
        if (progress.cancelled()) return fail(ErrorCode::cancelled, fmt::format("stopped at frame {}", f));
        for (Group& g : groups) {
            for (const ArrangementShow* a : g.shows) {
                const auto moments = moments_at(*a, OutputFrame(f));
                const Picks picks = pick_poses(a->plan, a->clock, moments);
                for (const PosePick& pick : picks.poses) g.learn(pick, order.per_frame);
                if (!a->moves()) continue;
                GARLAND_TRY(standing, places_at(*a, OutputFrame(f), moments, false, progress));
                for (const Placement& p : standing.places) g.largest = std::max(g.largest, largest_side(p));
            }
        }
    }
    return {};
}

double furthest_point(const Pose& a, const Pose& b) {
    double most = 0;
    for (std::size_t i = 0; i < a.points.size(); ++i)
        most = std::max(most, static_cast<double>((a.points[i] - b.points[i]).length()));
    return most;
}

// How far rounding moves points, and how far the source usually goes.
Result<void> measure(const std::vector<Group>& groups, const Show& show, SharedPosesPlan& plan, Progress& progress) {
    for (const Group& g : groups) {
        double worst = 0;
        std::vector<double> steps;
        std::size_t done = 0;
        for (const auto& [at, moved] : g.furthest) {
            progress.report(static_cast<double>(done++) / static_cast<double>(g.furthest.size()), "measuring rounding");
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped while measuring");
            GARLAND_TRY(from, pose_of(*g.sampler, moved.from, progress));
            GARLAND_TRY(to, pose_of(*g.sampler, moved.to, progress));
            if (from.pose->volume || from.pose->points.size() != to.pose->points.size() ||
                from.pose->ids != to.pose->ids) {
                plan.unmeasured = true;
                continue;
            }
            worst = std::max(worst, furthest_point(*from.pose, *to.pose) * g.largest);
            if (at < 0 || steps.size() >= 64) continue;
            const SourceClock& clock = g.sampler->clock();
            GARLAND_TRY(
                here, g.sampler->at(clock.first + static_cast<double>(at - clock.file_first) / clock.files_per_frame));
            GARLAND_TRY(next, g.sampler->at(clock.first +
                                            static_cast<double>(at + 1 - clock.file_first) / clock.files_per_frame));
            if (here.pose->points.size() == next.pose->points.size())
                steps.push_back(furthest_point(*here.pose, *next.pose) * g.largest);
        }
        if (worst < plan.worst || (worst == 0 && plan.worst > 0)) continue;
        plan.worst = worst;
        plan.worst_source = name_of(show, g.source);
        if (steps.empty()) continue;
        std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
        plan.usual_step = steps[steps.size() / 2];
    }
    return {};
}

Result<void> valid(const SharedPosesOrder& order) {
    GARLAND_CHECK(validate(order.frames));
    if (order.per_frame < 1 || order.per_frame > 1000)
        return fail(Error{ErrorCode::invalid, fmt::format("{} poses per frame", order.per_frame)}.advise(
            "choose 1 to 1000; 8 is usual"));
    return {};
}

Result<SharedPosesPlan> planned(std::vector<Group>& groups, const Show& show, const SharedPosesOrder& order,
                                Progress& progress) {
    PartOf looking(progress, 0, 0.6), measuring(progress, 0.6, 1);
    GARLAND_CHECK(learn_picks(groups, order, looking));
    SharedPosesPlan plan;
    GARLAND_CHECK(measure(groups, show, plan, measuring));
    const bool text = usd_form(order.path) == UsdForm::text;
    const double a_number = text ? 12 : 4, a_whole = text ? 6 : 2;
    for (const Group& g : groups) {
        plan.picks += static_cast<std::int64_t>(g.picks());
        plan.poses += static_cast<std::int64_t>(g.poses.size());
        if (g.poses.empty()) continue;
        GARLAND_TRY(first, pose_of(*g.sampler, g.poses.begin()->first, progress));
        const Pose& pose = *first.pose;
        double numbers = 3.0 * static_cast<double>(pose.points.size() + pose.normals.size());
        for (const Attribute& a : pose.attributes) numbers += static_cast<double>(a.values.size());
        if (pose.volume) plan.bytes += static_cast<double>(pose.volume->bytes() * g.poses.size()); // at most
        const double faces = static_cast<double>(pose.faces->corners.size() + pose.faces->starts.size());
        plan.bytes += static_cast<double>(g.poses.size()) * (numbers * a_number + (text ? faces * a_whole : 0) + 300);
        const bool moves = std::any_of(g.shows.begin(), g.shows.end(), [](const auto* a) { return a->moves(); });
        plan.bytes += static_cast<double>(g.ids.size()) *
                      (static_cast<double>(order.frames.moments()) * (a_whole + (moves ? 16 * a_number : 0)) + 120);
    }
    if (const auto baked = estimate(show,
                                    {folder_of(order.path), order.name, order.frames.range, Existing::refuse,
                                     order.frames.step, order.as, order.frames.shutter},
                                    progress))
        plan.baked_bytes = baked->bytes;
    plan.free = free_space(folder_of(order.path));
    for (const std::string& file : files_of(order, groups)) {
        ++plan.files;
        plan.there += file_exists(folder_of(order.path) + "/" + file);
    }
    return plan;
}

// The arrays of one instancer at one output frame.
struct Arrays {
    std::vector<std::int32_t> picks;
    std::vector<V3f> positions, scales, velocities, spins;
    std::vector<std::array<Imath::half, 4>> turns;
    std::vector<std::array<float, 4>> fine_turns;
    std::vector<std::int64_t> hidden;

    void add(const Placement& p) {
        const Imath::Quatd q = attitude_of(p);
        const std::array<double, 4> wide{q.v.x, q.v.y, q.v.z, q.r};
        turns.emplace_back(), fine_turns.emplace_back();
        for (std::size_t k = 0; k < 4; ++k)
            turns.back()[k] = Imath::half(static_cast<float>(wide[k])),
            fine_turns.back()[k] = static_cast<float>(wide[k]);
        positions.emplace_back(V3f(p.position));
        scales.push_back(p.stretch * static_cast<float>(p.size));
    }
};

// placed: whether their places are wanted; moves: whether any of the copies moves.
Result<Arrays> arrays_at(const Group& g, std::vector<std::int32_t>& last, double t, int per_frame, double rate,
                         bool placed, Progress& progress) {
    Arrays out;
    std::size_t k = 0;
    for (const ArrangementShow* a : g.shows) {
        const auto moments = moments_at(*a, OutputFrame(t));
        const Picks picks = pick_poses(a->plan, a->clock, moments);
        std::vector<std::int32_t> numbers;
        for (const PosePick& pick : picks.poses)
            numbers.push_back(g.poses.at(rounded(bare(pick), *g.sampler, per_frame)));
        Standing standing;
        if (a->moves()) {
            GARLAND_TRY(moved, places_at(*a, OutputFrame(t), moments, true, progress));
            standing = std::move(moved);
        }
        const auto& places = standing.places.empty() ? a->places.list() : standing.places;
        for (std::size_t i = 0; i < places.size(); ++i, ++k) {
            const std::uint32_t pick = picks.copies[i];
            const bool there = pick != no_pose && (standing.gone.empty() || standing.gone[i] == 0);
            if (there) {
                last[k] = numbers[pick];
            } else {
                out.hidden.push_back(g.ids[k]);
            }
            out.picks.push_back(last[k]);
            if (!placed) continue;
            out.add(places[i]);
            const CopyMotion motion = standing.motion.empty() ? CopyMotion{} : standing.motion[i];
            out.velocities.emplace_back(V3f(motion.move * rate));
            out.spins.emplace_back(V3f(motion.spin * rate));
        }
    }
    return out;
}

void put_arrays(UsdLayerWriter& layer, UsdOutPrim& prim, double t, const Arrays& a, bool placed, bool moves,
                bool velocities) {
    layer.sample(prim, "int[]", "protoIndices", t, usd_array(a.picks));
    layer.sample(prim, "int64[]", "invisibleIds", t, usd_array(a.hidden));
    if (!placed) return;
    layer.sample(prim, "point3f[]", "positions", t, usd_array(a.positions));
    layer.sample(prim, "quath[]", "orientations", t, usd_numbers(UsdType::quath, a.turns.data(), a.turns.size()));
    layer.sample(prim, "quatf[]", "orientationsf", t,
                 usd_numbers(UsdType::quatf, a.fine_turns.data(), a.fine_turns.size()));
    layer.sample(prim, "float3[]", "scales", t, usd_array(a.scales));
    if (!moves || !velocities) return;
    layer.sample(prim, "vector3f[]", "velocities", t, usd_array(a.velocities));
    layer.sample(prim, "vector3f[]", "angularVelocities", t, usd_array(a.spins));
}

// A volume as a prim whose fields are the grids of a file (UsdVol of the schemas of OpenUSD). Without the grids of
// velocities: local speeds differ from copy to copy.
Result<void> put_volume(UsdLayerWriter& layer, UsdOutPrim& prim, const std::string& path, const std::string& folder,
                        const std::string& file, const Volume& volume) {
    std::vector<std::string> names;
    bool half = true; // only where all are: floats hold what halves do
    for (const GridFacts& g : volume.facts()) {
        if (g.name == "velocity" || g.name == "vel" || g.name == "v") continue;
        names.push_back(g.name);
        half &= g.half;
    }
    if (names.empty()) return {}; // nothing of it is seen
    GARLAND_CHECK(write_volume(folder + "/" + file, *only_grids(volume, names, half), Existing::refuse));
    GARLAND_TRY(back, read_volume_facts(folder + "/" + file));
    if (back.size() != names.size())
        return fail(Error{ErrorCode::unreadable, "what was read back is not what was written"}.at(file));
    std::set<std::string> used;
    for (const std::string& name : names) {
        const std::string field = usd_identifier(name);
        if (!used.insert(field).second) continue; // a second grid of the same name
        UsdOutPrim& grid = prim.child(UsdOutPrim::def, "OpenVDBAsset", field);
        layer.set(grid, "token", "fieldName", usd_token(name));
        layer.set(grid, "asset", "filePath", usd_asset("./" + file));
        layer.relate(prim, "field:" + field, {path + "/" + field});
    }
    return {};
}

// Prototypes, in the order of their numbers; made by many threads, a handful at a time. folder: where the files of
// volumes are written.
Result<void> put_poses(UsdLayerWriter& layer, UsdOutPrim& instancer, const std::string& path, const Group& g,
                       const SharedPosesOrder& order, const std::string& folder, Progress& progress) {
    std::vector<const PosePick*> by_number(g.poses.size());
    for (const auto& [pick, number] : g.poses) by_number[static_cast<std::size_t>(number)] = &pick;
    UsdOutPrim& scope = instancer.child(UsdOutPrim::def, "Scope", "poses");
    const bool particles = g.kind() == SourceKind::particles;
    const char* const type = g.volumes() ? "Volume" : particles ? "Points" : "Mesh";
    const WrittenAs& as = order.as;
    std::vector<std::string> targets;
    constexpr std::size_t handful = 32;
    for (std::size_t from = 0; from < by_number.size(); from += handful) {
        progress.report(static_cast<double>(from) / static_cast<double>(by_number.size()), "writing poses");
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped while writing poses");
        std::vector<Result<SampledPose>> made(std::min(handful, by_number.size() - from),
                                              fail(ErrorCode::cancelled, ""));
        parallel_for(made.size(), 1, [&](std::size_t a, std::size_t b) {
            for (std::size_t i = a; i < b; ++i) made[i] = pose_of(*g.sampler, *by_number[from + i], progress);
        });
        for (std::size_t i = 0; i < made.size(); ++i) {
            if (!made[i]) return fail(std::move(made[i].error()));
            const std::string name = fmt::format("pose_{}", from + i);
            UsdOutPrim& prim = scope.child(UsdOutPrim::def, type, name);
            targets.push_back(path + "/poses/" + name);
            if (g.volumes()) {
                if (made[i]->pose->volume)
                    GARLAND_CHECK(put_volume(layer, prim, targets.back(), folder, volume_file(order, g, from + i),
                                             *made[i]->pose->volume));
                continue;
            }
            const std::vector<V3f> none;
            const std::vector<Attribute> nothing;
            const Pose& pose = *made[i]->pose;
            put_pose(layer, prim, {}, pose,
                     {pose.points, pose.normals, none, as.attributes ? pose.attributes : nothing, as.attributes});
            if (!particles) layer.set_uniform(prim, "token", "subdivisionScheme", usd_token("none"));
        }
    }
    layer.relate(instancer, "prototypes", std::move(targets));
    return {};
}

} // namespace

Result<SharedPosesPlan> plan_shared_poses(const Show& show, const SharedPosesOrder& order, Progress& progress) {
    GARLAND_CHECK(valid(order));
    auto groups = groups_of(show);
    return planned(groups, show, order, progress);
}

namespace {

Result<SharedPosesDone> write_all(const Show& show, const SharedPosesOrder& order, Progress& progress) {
    GARLAND_CHECK(valid(order));
    auto groups = groups_of(show);
    if (groups.empty())
        return fail(Error{ErrorCode::unsupported, "there is no copy that can be written as shared poses"}
                        .keeping("nothing was written")
                        .advise("add copies first"));
    if (order.existing == Existing::refuse && file_exists(order.path)) {
        return fail(Error{ErrorCode::exists, "already exists"}
                        .at(order.path)
                        .keeping("the existing file; nothing was written")
                        .advise("choose another folder or name, or say that it may be replaced"));
    }
    GARLAND_TRY(staged, StagedFiles::create(folder_of(order.path)));
    GARLAND_TRY(layer, UsdLayerWriter::create(staged.folder() + "/" + file_name(order.path), usd_form(order.path),
                                              Existing::refuse));
    PartOf planning(progress, 0, 0.3);
    SharedPosesDone done;
    GARLAND_TRY(plan, planned(groups, show, order, planning));
    done.plan = std::move(plan);
    if (done.plan.free >= 0 && done.plan.bytes > done.plan.free) {
        return fail(Error{ErrorCode::disk_full, fmt::format("about {} are needed, but only {} are free",
                                                            byte_count(done.plan.bytes), byte_count(done.plan.free))}
                        .at(order.path)
                        .keeping("nothing was written")
                        .advise("free some space, choose another disk, fewer poses per frame or fewer frames"));
    }
    const std::string top = usd_identifier(order.name);
    const FrameRange range = order.frames.range;
    put_header(layer, top, static_cast<double>(range.first), static_cast<double>(range.last), show.settings.rate,
               order.as);
    UsdOutPrim& root = layer.root().child(UsdOutPrim::def, "Xform", top);
    put_space(layer, root, order.as);
    double at = 0.3;
    const double each = 0.65 / static_cast<double>(groups.size());
    for (const Group& g : groups) {
        UsdOutPrim& prim = root.child(UsdOutPrim::def, "PointInstancer", g.name);
        PartOf posing(progress, at, at + each / 2), placing(progress, at + each / 2, at + each);
        at += each;
        GARLAND_CHECK(put_poses(layer, prim, fmt::format("/{}/{}", top, g.name), g, order, staged.folder(), posing));
        layer.set(prim, "int64[]", "ids", usd_array(g.ids));
        std::vector<std::int32_t> last(g.ids.size(), 0);
        const bool moves = std::any_of(g.shows.begin(), g.shows.end(), [](const auto* a) { return a->moves(); });
        for (std::int64_t k = 0; k < order.frames.moments(); ++k) {
            const double t = order.frames.moment(k).at.value;
            placing.report(static_cast<double>(k) / static_cast<double>(order.frames.moments()),
                           fmt::format("frame {}", t));
            if (progress.cancelled())
                return fail(Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", t)}.keeping(
                    "nothing was written"));
            const bool placed = moves || k == 0;
            GARLAND_TRY(arrays,
                        arrays_at(g, last, t, order.per_frame, show.settings.rate.per_second(), placed, progress));
            put_arrays(layer, prim, t, arrays, placed, moves, order.as.velocities);
        }
        done.copies += static_cast<std::int64_t>(g.ids.size());
    }
    done.frames = order.frames.count();
    GARLAND_CHECK(layer.finish());
    GARLAND_CHECK(layer.publish());
    std::vector<StagedFiles::Place> places;
    for (const std::string& file : files_of(order, groups)) {
        std::uint64_t size = 0;
        if (!file_exists(staged.folder() + "/" + file)) continue; // nothing is shown in that pose
        GARLAND_CHECK(read_head(staged.folder() + "/" + file, 1, size));
        done.bytes += static_cast<double>(size);
        places.push_back({file, file});
        done.files.push_back(folder_of(order.path) + "/" + file);
    }
    std::swap(done.files.front(), done.files.back()); // what is opened comes first
    GARLAND_CHECK(staged.publish(places, order.existing));
    progress.report(1, "written");
    return done;
}

} // namespace

Result<SharedPosesDone> write_shared_poses(const Show& show, const SharedPosesOrder& order, Progress& progress) {
    auto done = write_all(show, order, progress);
    if (!done && done.error().path.find("/.garland.") != std::string::npos) done.error().path = order.path; // staged
    return done;
}

} // namespace garland
