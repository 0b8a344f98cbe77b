#include "io/sources/mesh_file.h"
#include "io/sources/pose_check.h"
#include "io/sources/sources.h"
#include "io/usd/usda_path.h"
#include "io/usd/usda_scene.h"

#include "core/base/numbers.h"
#include "core/geometry/particles.h"

#include <Imath/ImathMatrixAlgo.h>

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace garland {

namespace {

// Meshes whose points move, or particles: read from the mapped file, frame by frame.
class UsdaSource final : public Source {
  public:
    UsdaSource(std::shared_ptr<UsdaScene> scene, std::vector<int> prims, SourceFacts facts)
        : scene_(std::move(scene)), prims_(std::move(prims)), facts_(std::move(facts)) {}

    Result<void> open() {
        facts_.bytes_on_disk = static_cast<double>(scene_->file.size());
        particles_ = scene_->layer.prims[static_cast<std::size_t>(prims_.front())].type == "Points";
        bool changes = false;
        for (int p : prims_) {
            const UsdaPrim& prim = scene_->layer.prims[static_cast<std::size_t>(p)];
            for (const char* name : {"faceVertexCounts", "faceVertexIndices"}) {
                const UsdaAttribute* a = prim.find(name);
                changes |= a && a->samples.size() > 1;
            }
        }
        GARLAND_TRY(first, pose(facts_.first, true));
        if (!changes && !particles_) faces_ = first->faces;
        learn_pose(facts_, *first);
        facts_.kind = particles_ ? SourceKind::particles : changes ? SourceKind::mesh_sequence : SourceKind::mesh_cache;
        if (changes) facts_.faces_change_at = facts_.first + 1;
        for (std::int64_t f = facts_.first + 1; changes && f <= facts_.last; ++f) {
            GARLAND_TRY(next, pose(f, true));
            facts_.most_points = std::max(facts_.most_points, next->points.size());
            if (next->faces->same_shape(*first->faces)) continue;
            facts_.faces_change_at = f;
            break;
        }
        return {};
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {scene_->path}; }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        GARLAND_TRY(out, pose(present(frame), false));
        return PosePtr(out);
    }

  private:
    Result<std::shared_ptr<Pose>> pose(std::int64_t frame, bool fresh) const {
        if (auto same = scene_->file.unchanged(); !same) return fail(std::move(same.error()).at_frame(frame));
        auto made = pose_of(frame, fresh);
        if (auto same = scene_->file.unchanged(); !same) return fail(std::move(same.error()).at_frame(frame));
        return made;
    }

    Result<std::shared_ptr<Pose>> pose_of(std::int64_t frame, bool fresh) const {
        const auto time = static_cast<double>(frame);
        try {
            auto out = std::make_shared<Pose>();
            auto faces = std::make_shared<Faces>();
            Attribute part{"part", 1};
            std::size_t meshes = 0;
            for (int p : prims_) {
                const UsdaPrim& prim = scene_->layer.prims[static_cast<std::size_t>(p)];
                // One mesh alone shares its faces between frames; several are joined anew.
                Pose one = mesh_at(*scene_, prim, time, prims_.size() == 1 && !fresh ? faces_ : nullptr);
                const M44d world = world_at(*scene_, p, time);
                if (world != M44d()) {
                    for (V3f& point : one.points) {
                        V3d moved;
                        world.multVecMatrix(V3d(point), moved);
                        point = V3f(moved);
                    }
                    for (V3f& v : one.velocities) {
                        V3d turned;
                        world.multDirMatrix(V3d(v), turned);
                        v = V3f(turned);
                    }
                    one.normals.clear(); // as they were, they would point elsewhere; made again below
                }
                if (particles_) GARLAND_CHECK(particles(prim, time, one));
                if (prims_.size() == 1) {
                    *out = std::move(one);
                } else {
                    append(*out, *faces, part, one, static_cast<std::int32_t>(meshes));
                }
                ++meshes;
            }
            if (prims_.size() > 1) {
                out->attributes.push_back(std::move(part));
                out->faces = faces_ && !fresh && faces_->same_shape(*faces) ? faces_ : faces;
            }
            if (!particles_) {
                if (auto ok = check_pose(*out, scene_->path); !ok) return fail(std::move(ok.error()).at_frame(frame));
            }
            return out;
        } catch (const UsdaBad& bad) {
            Error error = bad.error;
            if (!error.frame) error.frame = frame;
            return fail(std::move(error));
        }
    }

    Result<void> particles(const UsdaPrim& prim, double time, Pose& out) const {
        if (const auto* ids = prim.find("ids")) out.ids = scene_->wholes(*ids, ids->at(time).a);
        if (out.ids.empty() && !out.points.empty()) {
            for (std::size_t i = 0; i < out.points.size(); ++i) out.ids.push_back(static_cast<std::int64_t>(i));
        }
        if (const auto* widths = prim.find("widths")) {
            Attribute size{"size", 1};
            size.values = scene_->floats_at(*widths, time, 1);
            if (size.values.size() == out.points.size()) out.attributes.push_back(std::move(size));
        }
        return check_particles(out, scene_->path);
    }

    static void append(Pose& all, Faces& faces, Attribute& part, const Pose& one, std::int32_t number) {
        const auto first = static_cast<std::uint32_t>(all.points.size());
        const std::size_t count = one.points.size();
        auto add = [&](auto& to, const auto& from, auto usual) {
            if (from.empty() && to.empty()) return;
            to.resize(first, usual);
            to.insert(to.end(), from.begin(), from.end());
            to.resize(first + count, usual);
        };
        add(all.velocities, one.velocities, V3f(0));
        add(all.colours, one.colours, V3f(1));
        add(all.uvs, one.uvs, V2f(0));
        all.points.insert(all.points.end(), one.points.begin(), one.points.end());
        part.whole.insert(part.whole.end(), count, number);
        if (faces.starts.empty()) faces.starts.push_back(0);
        for (std::uint32_t c : one.faces->corners) faces.corners.push_back(first + c);
        for (std::size_t f = 0; f < one.faces->count(); ++f)
            faces.starts.push_back(faces.starts.back() + one.faces->starts[f + 1] - one.faces->starts[f]);
    }

    std::shared_ptr<UsdaScene> scene_;
    std::vector<int> prims_;
    SourceFacts facts_;
    std::shared_ptr<const Faces> faces_;
    bool particles_ = false;
};

// A matrix as translation, rotation and size; false where it shears.
bool taken_apart(const M44d& m, V3d& t, Quatd& r, V3d& s) {
    V3d rows[3];
    for (int k = 0; k < 3; ++k) {
        rows[k] = V3d(m[k][0], m[k][1], m[k][2]);
        s[k] = rows[k].length();
        if (s[k] > 0) rows[k] /= s[k];
    }
    if (rows[0].cross(rows[1]).dot(rows[2]) < 0) s.x = -s.x, rows[0] = -rows[0];
    Imath::M44d turn;
    for (int k = 0; k < 3; ++k) {
        for (int j = 0; j < 3; ++j) turn[k][j] = rows[k][j];
    }
    r = Imath::extractQuat(turn).normalized();
    t = m.translation();
    return std::abs(rows[0].dot(rows[1])) < 1e-4 && std::abs(rows[1].dot(rows[2])) < 1e-4 &&
           std::abs(rows[0].dot(rows[2])) < 1e-4;
}

// Whether the file itself says that a prim is not to be seen in pictures: invisible all the time, by itself or by what
// it stands in, or there as a guide only.
bool is_hidden(const UsdaLayer& layer, int prim) {
    for (int p = prim; p >= 0; p = layer.prims[static_cast<std::size_t>(p)].parent) {
        const UsdaAttribute *seen = layer.prims[static_cast<std::size_t>(p)].find("visibility"),
                            *purpose = layer.prims[static_cast<std::size_t>(p)].find("purpose");
        if (seen && seen->samples.empty() && seen->value == "\"invisible\"") return true;
        if (purpose && purpose->value == "\"guide\"") return true;
    }
    return false;
}

// What of a prim that is shown cannot be read as it is meant.
void tell_of(const UsdaScene& scene, int index, std::vector<SourceProblem>& problems) {
    const UsdaLayer& layer = scene.layer;
    const UsdaPrim& prim = layer.prims[static_cast<std::size_t>(index)];
    auto say = [&](std::string what, std::string instead) {
        problems.push_back({fmt::format("\"{}\" {}", prim.name, what), std::move(instead), std::nullopt});
    };
    for (int p = index; p >= 0; p = layer.prims[static_cast<std::size_t>(p)].parent) {
        if (const UsdaAttribute* seen = layer.prims[static_cast<std::size_t>(p)].find("visibility");
            seen && !seen->samples.empty()) {
            say("is visible for part of the time only", "it is shown all the time");
            break;
        }
    }
    if (prim.type == "Mesh" && prim.find("primvars:st:indices"))
        say("has indexed texture coordinates", "they are left out");
    if (const UsdaAttribute* c = prim.find("primvars:displayColor");
        c && (c->interpolation == "uniform" || c->interpolation == "faceVarying")) {
        say("has colours of faces", "they are left out");
    }
}

// Meshes that move as wholes become a keyed model: a node a prim, keys at the samples' times.
KeyedModel model_of(const UsdaScene& scene, double first, const std::vector<int>& shown,
                    std::vector<SourceProblem>& problems) {
    KeyedModel model;
    const auto& prims = scene.layer.prims;
    for (std::size_t i = 0; i < prims.size(); ++i) {
        const UsdaPrim& prim = prims[i];
        PartNode& node = model.nodes.emplace_back();
        node.name = std::string(prim.name);
        const UsdaXform rest = local_at(scene, prim, first);
        node.parent = rest.resets ? -1 : prim.parent;
        bool whole = taken_apart(rest.matrix, node.translation, node.rotation, node.scale);
        const std::set<double> times = sample_times(prim, true);
        if (!whole && times.empty()) node.matrix = rest.matrix;
        if (!times.empty()) {
            KeyTrack tracks[3]; // translation, rotation, scale
            tracks[1].width = 4, tracks[1].rotation = true;
            for (double time : times) {
                V3d t, s;
                Quatd r;
                whole &= taken_apart(local_at(scene, prim, time).matrix, t, r, s);
                for (KeyTrack& track : tracks) track.times.push_back(time / scene.layer.codes_a_second);
                for (int k = 0; k < 3; ++k)
                    tracks[0].values.push_back(static_cast<float>(t[k])),
                        tracks[2].values.push_back(static_cast<float>(s[k]));
                for (double q : {r.v.x, r.v.y, r.v.z, r.r}) tracks[1].values.push_back(static_cast<float>(q));
            }
            for (int k = 0; k < 3; ++k) {
                model.channels.push_back(
                    {static_cast<int>(i), static_cast<PartPath>(k), static_cast<int>(model.tracks.size())});
                model.tracks.push_back(std::move(tracks[k]));
            }
            if (!whole)
                problems.push_back(
                    {fmt::format("the transforms of \"{}\" shear", prim.name), "the shear is left out", std::nullopt});
        }
        if (std::binary_search(shown.begin(), shown.end(), static_cast<int>(i))) {
            PartMesh& mesh = model.meshes.emplace_back();
            mesh.base = mesh_at(scene, prim, first, nullptr);
            mesh.base.velocities.clear();
            if (auto ok = check_pose(mesh.base, scene.path); !ok) throw UsdaBad{ok.error()};
            node.meshes.push_back(static_cast<int>(model.meshes.size()) - 1);
        }
    }
    return model;
}

} // namespace

static Result<std::shared_ptr<UsdaScene>> open_scene(const std::string& path) {
    auto scene = std::make_shared<UsdaScene>();
    scene->path = path;
    GARLAND_TRY(file, MappedFile::open(path));
    scene->file = std::move(file);
    if (scene->text().substr(0, 8) == "PXR-USDC") {
        return fail(Error{ErrorCode::unsupported, "this is USD in its binary form"}.at(path).advise("save it as text"));
    }
    auto layer = parse_usda(scene->text(), path);
    GARLAND_CHECK(scene->file.unchanged());
    if (!layer) return tl::unexpected(std::move(layer.error()));
    scene->layer = std::move(*layer);
    return scene;
}

Result<SourcePtr> open_usda(const std::string& path, Progress& progress) {
    progress.report(0, fmt::format("reading {}", file_name(path)));
    GARLAND_TRY(scene, open_scene(path));
    const UsdaLayer& l = scene->layer;

    std::vector<int> meshes, points;
    std::set<double> times;
    bool deforms = false;
    std::size_t hidden = 0;
    for (std::size_t i = 0; i < l.prims.size(); ++i) {
        const UsdaPrim& prim = l.prims[i];
        const bool mesh = prim.type == "Mesh" && prim.find("points"),
                   cloud = prim.type == "Points" && prim.find("points");
        if ((mesh || cloud) && is_hidden(l, static_cast<int>(i))) {
            ++hidden;
            continue;
        }
        if (mesh) meshes.push_back(static_cast<int>(i));
        if (cloud) points.push_back(static_cast<int>(i));
        const std::set<double> moves = sample_times(prim, true);
        times.insert(moves.begin(), moves.end());
        if (!mesh && !cloud) continue;
        const std::set<double> shape = sample_times(prim, false);
        times.insert(shape.begin(), shape.end());
        deforms |= !shape.empty();
    }
    if (meshes.empty() && points.empty() && hidden) {
        return fail(Error{ErrorCode::unsupported, "everything in it is invisible, or a guide"}.at(path).advise(
            "make visible there what is to be shown"));
    }
    if (meshes.empty() && points.empty()) {
        return fail(Error{ErrorCode::unsupported, "there is no Mesh and there are no Points in it"}.at(path).advise(
            l.notes.empty() ? "give a file that holds the geometry itself"
                            : fmt::format("it only points to {}, which are not followed", l.notes.front())));
    }
    SourceFacts facts;
    // Exact for the rates in use, which are whole or whole thousandths of 1001.
    const double rate = l.codes_a_second, thousandths = rate * 1001;
    const bool whole = std::abs(rate - std::round(rate)) < 1e-9;
    const bool odd = !whole && std::abs(thousandths / 1000 - std::round(thousandths / 1000)) < 1e-3;
    facts.rate = whole ? Rate{std::llround(rate), 1}
                 : odd ? Rate{std::llround(thousandths / 1000) * 1000, 1001}
                       : Rate{std::llround(rate * 1000), 1000};
    facts.up = l.z_up ? UpAxis::z : UpAxis::y;
    facts.scale = l.metres;
    const double first = times.empty() ? l.start.value_or(0) : *times.begin(),
                 last = times.empty() ? first : *times.rbegin();
    if (last - first > 10'000'000)
        return fail(Error{ErrorCode::too_large, "its samples reach further apart than ten million frames"}.at(path));
    facts.first = static_cast<std::int64_t>(std::floor(first));
    facts.last = std::max(facts.first, static_cast<std::int64_t>(std::ceil(last)));
    for (const std::string& note : l.notes)
        facts.problems.push_back({note + " was passed over", "the rest is shown", std::nullopt});
    if (hidden)
        facts.problems.push_back(
            {fmt::format("{} or there as guides only",
                         counted(static_cast<long long>(hidden), "prim is invisible", "prims are invisible")),
             "the rest is shown", std::nullopt});
    if (!meshes.empty() && !points.empty())
        facts.problems.push_back({"points beside meshes were passed over", "the meshes are shown", std::nullopt});
    for (int i : meshes.empty() ? points : meshes) tell_of(*scene, i, facts.problems);
    if (meshes.empty() && points.size() > 1) {
        facts.problems.push_back(
            {fmt::format("{} passed over",
                         counted(static_cast<long long>(points.size()) - 1, "set of points beside the first was",
                                 "sets of points beside the first were")),
             fmt::format("\"{}\" is shown", l.prims[static_cast<std::size_t>(points.front())].name), std::nullopt});
    }
    facts.format =
        fmt::format("USD text, {}",
                    counted(static_cast<long long>(meshes.empty() ? points.size() : meshes.size()),
                            meshes.empty() ? "set of points" : "mesh", meshes.empty() ? "sets of points" : "meshes"));
    try {
        if (!meshes.empty() && !deforms) {
            KeyedModel model = model_of(*scene, static_cast<double>(facts.first), meshes, facts.problems);
            GARLAND_CHECK(scene->file.unchanged());
            if (model.points() > point_limit)
                return fail(Error{ErrorCode::too_large, "it has more points than can be counted"}.at(path));
            return make_parts_source(std::move(model), std::move(facts), {path});
        }
    } catch (const UsdaBad& bad) {
        return fail(bad.error);
    }
    auto source = std::make_shared<UsdaSource>(scene, meshes.empty() ? std::vector<int>{points.front()} : meshes,
                                               std::move(facts));
    GARLAND_CHECK(source->open());
    return SourcePtr(source);
}

Result<PathInFile> read_usda_path(const std::string& path) {
    GARLAND_TRY(scene, open_scene(path));
    PathInFile out;
    out.paths = 0;
    try {
        for (std::size_t i = 0; i < scene->layer.prims.size(); ++i) {
            const UsdaPrim& prim = scene->layer.prims[i];
            const UsdaAttribute* points = prim.find("points");
            if (prim.type != "BasisCurves" || !points) continue;
            std::size_t count = 0;
            const std::vector<float> all = scene->floats(*points, points->at(scene->layer.start.value_or(0)).a, 3);
            if (const UsdaAttribute* counts = prim.find("curveVertexCounts")) {
                const auto each = scene->wholes(*counts, counts->at(scene->layer.start.value_or(0)).a);
                for (std::int64_t n : each) {
                    if (n < 0 || static_cast<std::size_t>(n) > all.size() / 3)
                        return fail(
                            Error{ErrorCode::malformed, "a curve has more points than there are"}.at(path).at_line(
                                line_of(scene->text(), counts->name.data())));
                }
                out.paths += each.size();
                count = each.empty() ? 0 : static_cast<std::size_t>(each[0]);
            } else {
                ++out.paths;
                count = all.size() / 3;
            }
            if (!out.points.empty()) continue;
            auto says = [&](std::string_view name, std::string_view word) {
                const UsdaAttribute* a = prim.find(name);
                return a && a->value.find(word) != a->value.npos;
            };
            out.smooth = !says("type", "linear");
            out.closed = says("wrap", "periodic");
            const M44d world = world_at(*scene, static_cast<int>(i), scene->layer.start.value_or(0));
            for (std::size_t k = 0; k < count; ++k) {
                V3d p;
                world.multVecMatrix(V3d(all[k * 3], all[k * 3 + 1], all[k * 3 + 2]), p);
                if (scene->layer.z_up) p = V3d(p.x, p.z, -p.y);
                out.points.push_back(p * scene->layer.metres);
            }
        }
    } catch (const UsdaBad& bad) {
        return fail(bad.error);
    }
    return out;
}

} // namespace garland
