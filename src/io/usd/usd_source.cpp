#include "io/sources/mesh_file.h"
#include "io/sources/pose_check.h"
#include "io/sources/sources.h"
#include "io/usd/usd_scene.h"

#include "core/base/numbers.h"
#include "core/geometry/join_poses.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace garland {

namespace {

// What of a stage is shown, and when it changes.
struct Survey {
    std::vector<int> meshes, points, instancers; // prims that are drawn by themselves; meshes: shapes too
    std::vector<int> volumes;                    // with fields that are OpenVDB files
    std::set<double> times;
    bool deforms = false;       // more than transforms changes
    bool between = false;       // poses between frames are not the straight mix of those on both sides
    bool count_changes = false; // points or faces may change in number
    std::size_t hidden = 0, curves = 0, other = 0;
    std::size_t bare_volumes = 0; // that name no OpenVDB file
    bool instanced_meshes = false, instanced_points = false;
    bool has_meshes() const { return !meshes.empty() || instanced_meshes; }
    bool has_points() const { return !points.empty() || instanced_points; }
};

class Surveyor {
  public:
    explicit Surveyor(const UsdScene& scene) : scene_(scene), skins_(scene) {}
    Survey run() {
        for (std::size_t i = 0; i < scene_.stage->prims.size(); ++i) {
            const UsdPrim& p = scene_.prim(static_cast<int>(i));
            if (p.parent < 0 && p.drawn) look(static_cast<int>(i), true, false);
        }
        std::sort(out_.meshes.begin(), out_.meshes.end());
        return std::move(out_);
    }

  private:
    bool always_hidden(const UsdPrim& p) const {
        const UsdAttribute* seen = p.find("visibility");
        return seen && !seen->moves() && scene_.word(p, "visibility", "inherited", scene_.start()) == "invisible";
    }
    void times_of(const UsdAttribute& a) {
        const auto all = a.sample_times();
        out_.times.insert(all.begin(), all.end());
        out_.between |= a.clips || std::any_of(all.begin(), all.end(), [](double t) { return t != std::floor(t); });
    }
    void look(int prim, bool seen, bool instanced) {
        const UsdPrim& p = scene_.prim(prim);
        seen = seen && !always_hidden(p);
        const bool shown = seen && scene_.in_picture(prim);
        const bool mesh = (p.type == "Mesh" && p.find("points")) || is_usd_shape(p.type),
                   cloud = p.type == "Points" && p.find("points"), many = p.type == "PointInstancer";
        if ((mesh || cloud || many) && !shown) ++out_.hidden;
        out_.curves += shown && (p.type == "BasisCurves" || p.type == "NurbsCurves" || p.type == "HermiteCurves");
        out_.other += shown && (p.type == "NurbsPatch" || p.type == "TetMesh");
        if (p.type == "Volume" && shown && !instanced) volume(prim);
        if (seen) {
            for (const UsdOp& o : scene_.ops[static_cast<std::size_t>(prim)].list) {
                if (o.value->has_samples()) times_of(*o.value);
                out_.deforms |= o.value->clips != nullptr;
                out_.between |= o.value->moves();
            }
            if (const UsdAttribute* v = p.find("visibility"); v && v->moves()) {
                times_of(*v);
                out_.deforms = out_.count_changes = true;
            }
        }
        if (shown && (mesh || cloud || many)) geometry(prim, mesh, cloud, instanced);
        if (many && shown && depth_ < 16) {
            ++depth_;
            if (const auto* prototypes = p.targets("prototypes")) {
                for (const std::string& t : *prototypes) {
                    const int at = scene_.stage->prim_at(t);
                    if (at >= 0 && looked_.insert(at).second) look(at, true, true);
                }
            }
            --depth_;
        }
        if (many) return;
        for (const int c : p.children) {
            if (instanced || scene_.prim(c).drawn) look(c, seen, instanced);
        }
    }
    void volume(int prim) {
        const auto fields = usd_volume_fields(scene_, prim);
        if (fields.empty()) {
            ++out_.bare_volumes;
            return;
        }
        out_.volumes.push_back(prim);
        for (const UsdVolumeField& field : fields) {
            if (const UsdAttribute* file = scene_.prim(field.prim).find("filePath"); file && file->has_samples())
                times_of(*file);
        }
    }
    void geometry(int prim, bool mesh, bool cloud, bool instanced) {
        const UsdPrim& p = scene_.prim(prim);
        if (mesh) (instanced ? void(out_.instanced_meshes = true) : out_.meshes.push_back(prim));
        if (cloud) (instanced ? void(out_.instanced_points = true) : out_.points.push_back(prim));
        if (!mesh && !cloud) out_.instancers.push_back(prim), out_.deforms = out_.between = true;
        out_.deforms |= instanced;
        for (const UsdAttribute& a : p.attributes) {
            if (a.name.starts_with("xformOp:") || !a.has_samples() || !p.find(a.name) || a.name == "visibility" ||
                a.name == "extent")
                continue;
            times_of(a);
            out_.deforms |= a.moves();
            const bool counts = a.name.starts_with("faceVertex") || a.name == "protoIndices" ||
                                a.name == "invisibleIds" || a.name == "ids" || (a.name == "points" && has_gaps(a));
            out_.count_changes |= a.moves() && counts && !cloud && (a.name == "points" || differs(a));
        }
        if (mesh && skins_.binds(prim)) {
            out_.deforms = out_.between = true;
            const auto all = skins_.sample_times(prim);
            out_.times.insert(all.begin(), all.end());
        }
    }
    // Whether samples differ at all: some writers repeat what never changes.
    static bool differs(const UsdAttribute& a) {
        if (a.clips || !a.property) return true;
        const UsdSamples& all = a.property->samples;
        const UsdRef first = all.empty() ? UsdRef() : all.ref(0);
        for (std::size_t i = 1; i < all.size(); ++i) {
            const UsdRef ref = all.ref(i);
            if (ref.rep != first.rep || ref.text != first.text) return true;
        }
        return false;
    }
    // Samples that are None, or of no points.
    static bool has_gaps(const UsdAttribute& a) {
        if (a.clips || !a.property) return true;
        for (std::size_t i = 0; i < a.property->samples.size(); ++i) {
            const UsdRef ref = a.property->samples.ref(i);
            if (a.layer->blocked(ref) || a.layer->count(ref) == 0 || ref.text == "[]") return true;
        }
        return false;
    }

    const UsdScene& scene_;
    UsdSkins skins_;
    Survey out_;
    std::set<int> looked_;
    int depth_ = 0;
};

// Geometry that changes in itself: read from the mapped files, frame by frame, or at any time between.
class UsdSource final : public Source {
  public:
    UsdSource(std::shared_ptr<UsdScene> scene, const Survey& survey, UsdShown shown, SourceFacts facts)
        : scene_(std::move(scene)), drawing_(*scene_), facts_(std::move(facts)), shown_(shown),
          particles_(shown != UsdShown::geometry), changes_(survey.count_changes), between_(survey.between) {}

    Result<void> open(Progress& progress) {
        for (const auto& file : scene_->stage->mapped) facts_.bytes_on_disk += static_cast<double>(file->size());
        GARLAND_TRY(first, pose(static_cast<double>(facts_.first), facts_.first));
        learn_pose(facts_, *first);
        facts_.kind = particles_ ? SourceKind::particles
                      : changes_ ? SourceKind::mesh_sequence
                                 : SourceKind::mesh_cache;
        if (particles_ || !changes_) return {};
        bool found = false;
        for (std::int64_t f = facts_.first + 1; f <= facts_.last; ++f) {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            progress.report(static_cast<double>(f - facts_.first) / static_cast<double>(facts_.frames()),
                            "comparing its frames");
            GARLAND_TRY(next, pose(static_cast<double>(f), f));
            facts_.varies.most_points = std::max(facts_.varies.most_points, next->points.size());
            if (!found && !(next->faces->same_shape(*first->faces) && next->points.size() == first->points.size())) {
                facts_.varies.faces_change_at = f;
                found = true;
                break;
            }
        }
        if (!found) facts_.kind = SourceKind::mesh_cache;
        return {};
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return scene_->stage->files; }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        const std::int64_t there = present(frame);
        GARLAND_TRY(out, pose(static_cast<double>(there), there));
        return PosePtr(out);
    }
    // Straight between samples is the format's own affair where transforms turn, or samples lie between whole frames;
    // otherwise it is the mix of two poses, which are kept and read but once.
    bool makes_between(SubFrame how) const override {
        return how == SubFrame::linear && between_ && shown_ != UsdShown::points;
    }
    Result<PosePtr> between(const Between& b, Progress&) const override {
        const double time = static_cast<double>(b.a) + static_cast<double>(b.b - b.a) * b.weight;
        GARLAND_TRY(out, pose(time, b.a));
        return PosePtr(out);
    }

  private:
    Result<std::shared_ptr<Pose>> pose(double time, std::int64_t frame) const {
        if (auto same = scene_->stage->unchanged(); !same) return fail(std::move(same.error()).at_frame(frame));
        auto made = pose_of(time, frame);
        if (auto same = scene_->stage->unchanged(); !same) return fail(std::move(same.error()).at_frame(frame));
        return made;
    }

    Result<std::shared_ptr<Pose>> pose_of(double time, std::int64_t frame) const {
        try {
            auto out = std::make_shared<Pose>();
            PoseJoiner all;
            std::vector<Pose> held;
            std::vector<std::vector<std::int64_t>> ids;
            std::int32_t part = 0;
            const UsdDrawing::Sink sink = [&](int, Pose&& one) {
                if (particles_) ids.push_back(one.ids);
                if (held.empty() && part == 0) {
                    held.push_back(std::move(one));
                } else {
                    if (part == 1) all.add(held.front(), 0);
                    all.add(one, part);
                }
                ++part;
            };
            drawing_.draw(time, shown_, sink);
            *out = part == 0 ? Pose() : part == 1 ? std::move(held.front()) : all.take(true);
            if (particles_) {
                // Several sets in one: a number stays one particle's, whatever the others do.
                out->ids.clear();
                const auto sets = static_cast<std::int64_t>(ids.size());
                for (std::int64_t s = 0; s < sets; ++s) {
                    for (const std::int64_t id : ids[static_cast<std::size_t>(s)])
                        out->ids.push_back(sets > 1 ? id * sets + s : id);
                }
                if (auto ok = check_particles(*out, scene_->stage->path); !ok)
                    return fail(std::move(ok.error()).at_frame(frame));
            } else {
                share_faces(*out);
                if (auto ok = check_pose(*out, scene_->stage->path); !ok)
                    return fail(std::move(ok.error()).at_frame(frame));
            }
            return out;
        } catch (const UsdBad& bad) {
            Error error = bad.error;
            if (!error.frame) error.frame = frame;
            return fail(std::move(error));
        }
    }
    void share_faces(Pose& pose) const {
        const std::lock_guard guard(lock_);
        if (faces_ && *faces_ == *pose.faces) {
            pose.faces = faces_;
        } else {
            faces_ = pose.faces;
        }
    }

    std::shared_ptr<UsdScene> scene_;
    UsdDrawing drawing_;
    SourceFacts facts_;
    UsdShown shown_;
    bool particles_, changes_, between_;
    mutable std::mutex lock_;
    mutable std::shared_ptr<const Faces> faces_;
};

// Exact for the rates in use, which are whole or whole thousandths of 1001.
Rate rate_of(double codes) {
    const double thousandths = codes * 1001;
    if (std::abs(codes - std::round(codes)) < 1e-9) return Rate{std::llround(codes), 1};
    if (std::abs(thousandths / 1000 - std::round(thousandths / 1000)) < 1e-3)
        return Rate{std::llround(thousandths / 1000) * 1000, 1001};
    return Rate{std::llround(codes * 1000), 1000};
}

std::string also(std::size_t n, const char* one, const char* many) {
    return counted(static_cast<long long>(n), one, many);
}

// What is said of many meshes in the same words is said once: "a" and 11 more …
void together(std::vector<SourceProblem> all, std::vector<SourceProblem>& problems) {
    std::map<std::string, std::vector<std::size_t>> same;
    std::vector<std::string> order;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const std::string rest = all[i].what.substr(all[i].what.find("\" ") + 1);
        auto& list = same[rest];
        if (list.empty()) order.push_back(rest);
        list.push_back(i);
    }
    for (const std::string& rest : order) {
        SourceProblem& first = all[same[rest].front()];
        if (const std::size_t more = same[rest].size() - 1; more > 0)
            first.what =
                first.what.substr(0, first.what.size() - rest.size()) + fmt::format(" (and {} more)", more) + rest;
        problems.push_back(std::move(first));
    }
}

constexpr const char *show_choice = "show", *show_words[] = {"geometry", "points", "instances", "volumes"};
constexpr const char* volume_choice = "volume"; // which, where there are several

// What there is to be shown, and what of it is asked for: geometry, then points, unless the settings say otherwise.
UsdShown what_is_shown(const Survey& survey, const SourceChoices& asked, std::vector<SourceChoice>& choices) {
    SourceChoice choice{show_choice, "what is shown", {}, {}};
    const bool there[] = {survey.has_meshes(), survey.has_points(), !survey.instancers.empty(),
                          !survey.volumes.empty()};
    for (std::size_t i = 0; i < std::size(there); ++i) {
        if (there[i]) choice.options.emplace_back(show_words[i]);
    }
    choice.chosen = choice.options.front();
    if (const auto set = asked.find(show_choice); set != asked.end()) {
        if (std::find(choice.options.begin(), choice.options.end(), set->second) != choice.options.end())
            choice.chosen = set->second;
    }
    const auto at = std::find(std::begin(show_words), std::end(show_words), choice.chosen) - std::begin(show_words);
    if (choice.options.size() > 1) choices.push_back(std::move(choice));
    return static_cast<UsdShown>(at);
}

// The volume that is shown: the first, unless the settings name another.
int volume_shown(const UsdScene& scene, const Survey& survey, const SourceChoices& asked,
                 std::vector<SourceChoice>& choices) {
    int shown = survey.volumes.front();
    if (survey.volumes.size() == 1) return shown;
    SourceChoice choice{volume_choice, "volume", {}, {}};
    const auto set = asked.find(volume_choice);
    for (const int v : survey.volumes) {
        choice.options.push_back(scene.prim(v).path);
        if (set != asked.end() && set->second == choice.options.back()) shown = v;
    }
    choice.chosen = scene.prim(shown).path;
    choices.push_back(std::move(choice));
    return shown;
}

void tell(const UsdScene& scene, const Survey& survey, UsdShown shown, std::vector<SourceProblem>& problems) {
    auto say = [&](std::string what, std::string instead) {
        problems.push_back({std::move(what), std::move(instead), std::nullopt});
    };
    for (const UsdStageNote& note : scene.stage->notes) say(note.what, note.instead);
    if (survey.hidden)
        say(fmt::format("{} or there as guides only", also(survey.hidden, "prim is invisible", "prims are invisible")),
            "the rest is shown");
    if (survey.curves)
        say(also(survey.curves, "set of curves was passed over", "sets of curves were passed over"),
            "curves can be read as paths");
    if (const std::size_t n = survey.volumes.size(); n > 0 && shown != UsdShown::volumes)
        say(also(n, "volume was passed over", "volumes were passed over"), "the import settings can show it");
    if (const std::size_t n = survey.volumes.size(); n > 1 && shown == UsdShown::volumes)
        say(also(n - 1, "further volume was passed over", "further volumes were passed over"),
            "gather the file once more for each, and choose it in the import settings");
    if (survey.bare_volumes)
        say(also(survey.bare_volumes, "volume was passed over", "volumes were passed over"),
            "only fields that are OpenVDB files are read");
    if (survey.other)
        say(also(survey.other, "patch or solid was passed over", "patches or solids were passed over"),
            "the rest is shown");
    if (survey.has_meshes() && survey.has_points() && shown == UsdShown::geometry)
        say("points beside meshes were passed over", "the meshes are shown; the import settings can show the points");
    if (survey.has_meshes() && shown != UsdShown::geometry)
        say("meshes were passed over", "the import settings can show the geometry");
    if (shown == UsdShown::volumes) {
        if (survey.has_points()) say("points were passed over", "the import settings can show the points");
        return;
    }
    if (shown == UsdShown::instances) {
        say("instances are points here, turned and sized by their attributes orient and size",
            "a scale that differs between axes becomes its mean, a mirrored one is not mirrored");
        return;
    }
    if (survey.has_meshes() && shown == UsdShown::geometry) {
        const UsdSkins skins(scene);
        std::vector<SourceProblem> all;
        for (const int i : survey.meshes) {
            tell_of_mesh(scene, i, all);
            skins.tell(i, all);
        }
        together(std::move(all), problems);
    }
    if (!survey.instancers.empty())
        say(also(survey.instancers.size(), "point instancer is shown as geometry",
                 "point instancers are shown as geometry"),
            "velocities of what it instances are left out; the import settings can take its points, to arrange copies "
            "on");
}

Result<std::shared_ptr<UsdScene>> open_scene(const std::string& path, const SourceChoices& choices) {
    GARLAND_TRY(stage, open_usd_stage(path, choices));
    try {
        return std::make_shared<UsdScene>(stage);
    } catch (const UsdBad& bad) {
        return fail(bad.error);
    }
}

Error nothing_in(const UsdScene& scene, const Survey& survey) {
    const std::string& path = scene.stage->path;
    if (survey.hidden)
        return Error{ErrorCode::unsupported, "everything in it is invisible, or a guide"}.at(path).advise(
            "make visible there what is to be shown");
    if (!scene.stage->notes.empty())
        return Error{ErrorCode::unsupported, "there is no Mesh and there are no Points in it"}.at(path).advise(
            fmt::format("note that {}; {}", scene.stage->notes.front().what, scene.stage->notes.front().instead));
    return Error{ErrorCode::unsupported, "there is no Mesh and there are no Points in it"}.at(path).advise(
        survey.curves ? "its curves can be read as paths" : "give a file that holds geometry");
}

} // namespace

Result<SourcePtr> open_usd(const std::string& path, Progress& progress, const SourceChoices& choices) {
    progress.report(0, fmt::format("reading {}", file_name(path)));
    GARLAND_TRY(scene, open_scene(path, choices));
    try {
        const Survey survey = Surveyor(*scene).run();
        if (!survey.has_meshes() && !survey.has_points() && survey.volumes.empty())
            return fail(nothing_in(*scene, survey));
        const UsdLayer& root = *scene->stage->root;
        SourceFacts facts;
        facts.says.rate = rate_of(root.codes_a_second);
        facts.says.up = root.z_up ? UpAxis::z : UpAxis::y;
        facts.says.scale = root.metres;
        const double first = survey.times.empty() ? scene->start() : *survey.times.begin(),
                     last = survey.times.empty() ? first : *survey.times.rbegin();
        if (!(last - first <= 10'000'000))
            return fail(Error{ErrorCode::too_large, "its samples reach further apart than ten million frames"}
                            .advise("remove the samples that lie far away")
                            .at(path));
        facts.first = static_cast<std::int64_t>(std::floor(first));
        facts.last = std::max(facts.first, static_cast<std::int64_t>(std::ceil(last)));
        const UsdShown shown = what_is_shown(survey, choices, facts.choices);
        const int volume = shown == UsdShown::volumes ? volume_shown(*scene, survey, choices, facts.choices) : -1;
        tell(*scene, survey, shown, facts.problems);
        for (const UsdVariants& v : scene->stage->variants) {
            facts.choices.push_back({fmt::format("{}{{{}}}", v.prim, v.set),
                                     fmt::format("{} of {}", v.set, usd_name(v.prim)), v.chosen, v.choices});
            const bool there =
                v.chosen.empty() || std::find(v.choices.begin(), v.choices.end(), v.chosen) != v.choices.end();
            if (!there && !choices.count(facts.choices.back().name))
                facts.problems.push_back({fmt::format("\"{}\" asks for \"{}\" as its {}, which is not there",
                                                      usd_name(v.prim), v.chosen, v.set),
                                          "none of them is shown", std::nullopt});
        }
        tell_of_choices(facts, choices);
        const bool meshes = shown == UsdShown::geometry;
        std::string what = meshes ? also(survey.meshes.size(), "mesh", "meshes")
                                  : also(survey.points.size(), "set of points", "sets of points");
        if (shown == UsdShown::instances || (meshes && survey.meshes.empty())) what.clear();
        if (volume >= 0) what = also(survey.volumes.size(), "volume", "volumes");
        if (!survey.instancers.empty() && !what.empty()) what += ", ";
        if (!survey.instancers.empty()) what += also(survey.instancers.size(), "instancer", "instancers");
        const char* form = scene->stage->root->bytes.inside.empty()
                               ? root.bytes.view().starts_with("PXR-USDC") ? "USD binary" : "USD text"
                               : "USD package";
        facts.format = fmt::format("{}, {}", form, what);
        if (scene->stage->files.size() > 1) facts.format += ", " + also(scene->stage->files.size(), "file", "files");
        if (volume >= 0) return open_usd_volume(scene, volume, std::move(facts), progress);
        if (meshes && !survey.deforms) {
            KeyedModel model = usd_model(*scene, static_cast<double>(facts.first), survey.meshes);
            GARLAND_CHECK(scene->stage->unchanged());
            if (model.points() > point_limit)
                return fail(Error{ErrorCode::too_large, "it has more points than can be counted"}
                                .advise("split it into several files")
                                .at(path));
            return make_parts_source(std::move(model), std::move(facts), scene->stage->files);
        }
        auto source = std::make_shared<UsdSource>(scene, survey, shown, std::move(facts));
        GARLAND_CHECK(source->open(progress));
        return SourcePtr(source);
    } catch (const UsdBad& bad) {
        return fail(bad.error);
    }
}

} // namespace garland
