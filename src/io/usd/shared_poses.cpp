#include "io/usd/shared_poses.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/copies/attitude.h"
#include "io/files/staged_files.h"
#include "io/usd/pose_prim.h"
#include "io/usd/shared_sources.h"
#include "io/vdb/volume_file.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace garland {

namespace {

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
Result<Arrays> arrays_at(const SharedSource& g, std::vector<std::int32_t>& last, double t, int per_frame, double rate,
                         bool placed, Progress& progress) {
    Arrays out;
    std::size_t k = 0;
    for (const ArrangementShow* a : g.shows) {
        const auto moments = moments_at(*a, OutputFrame(t));
        const Picks picks = pick_poses(a->plan, a->clock, moments);
        std::vector<std::int32_t> numbers;
        for (const PosePick& pick : picks.poses) numbers.push_back(g.poses.at(g.written(pick, per_frame)));
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
Result<void> put_poses(UsdLayerWriter& layer, UsdOutPrim& instancer, const std::string& path, const SharedSource& g,
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
            put_pose(layer, prim, {}, *made[i]->pose, shared_lists_of(*made[i]->pose, as.attributes));
            if (!particles) layer.set_uniform(prim, "token", "subdivisionScheme", usd_token("none"));
        }
    }
    layer.relate(instancer, "prototypes", std::move(targets));
    return {};
}

// One source's instancer: its poses, and for every frame which of them a copy shows and where it stands. rate: output
// frames a second.
Result<void> put_source(UsdLayerWriter& layer, UsdOutPrim& prim, const std::string& path, const SharedSource& g,
                        const SharedPosesOrder& order, const std::string& folder, double rate, Progress& posing,
                        Progress& placing) {
    GARLAND_CHECK(put_poses(layer, prim, path, g, order, folder, posing));
    layer.set(prim, "int64[]", "ids", usd_array(g.ids));
    std::vector<std::int32_t> last(g.ids.size(), 0);
    const bool moves = std::any_of(g.shows.begin(), g.shows.end(), [](const auto* a) { return a->moves(); });
    for (std::int64_t k = 0; k < order.frames.moments(); ++k) {
        const double t = order.frames.moment(k).at.value;
        placing.report(static_cast<double>(k) / static_cast<double>(order.frames.moments()),
                       fmt::format("frame {}", t));
        if (placing.cancelled())
            return fail(
                Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", t)}.keeping("nothing was written"));
        const bool placed = moves || k == 0;
        GARLAND_TRY(arrays, arrays_at(g, last, t, order.per_frame, rate, placed, placing));
        put_arrays(layer, prim, t, arrays, placed, moves, order.as.velocities);
    }
    return {};
}

Result<SharedPosesDone> write_all(const Show& show, const SharedPosesOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order));
    auto sources = shared_sources(show);
    if (sources.empty())
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
    GARLAND_TRY(plan, plan_sources(sources, show, order, planning));
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
    const double each = 0.65 / static_cast<double>(sources.size());
    for (const SharedSource& g : sources) {
        UsdOutPrim& prim = root.child(UsdOutPrim::def, "PointInstancer", g.name);
        PartOf posing(progress, at, at + each / 2), placing(progress, at + each / 2, at + each);
        at += each;
        GARLAND_CHECK(put_source(layer, prim, fmt::format("/{}/{}", top, g.name), g, order, staged.folder(),
                                 show.settings.rate.per_second(), posing, placing));
        done.copies += static_cast<std::int64_t>(g.ids.size());
    }
    done.frames = order.frames.count();
    GARLAND_CHECK(layer.finish());
    GARLAND_CHECK(layer.publish());
    std::vector<StagedFiles::Place> places;
    for (const std::string& file : shared_files(order, sources)) {
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
