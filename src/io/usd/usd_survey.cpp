#include "io/usd/usd_survey.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

class Surveyor {
  public:
    explicit Surveyor(const UsdScene& scene) : scene_(scene), skins_(scene) {}
    UsdSurvey run() {
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
    UsdSurvey out_;
    std::set<int> looked_;
    int depth_ = 0;
};

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

} // namespace

UsdSurvey survey_of(const UsdScene& scene) {
    return Surveyor(scene).run();
}

void tell_of_stage(const UsdScene& scene, const UsdSurvey& survey, UsdShown shown,
                   std::vector<SourceProblem>& problems) {
    auto say = [&](std::string what, std::string instead) {
        problems.push_back({std::move(what), std::move(instead), std::nullopt});
    };
    for (const UsdStageNote& note : scene.stage->notes) say(note.what, note.instead);
    if (survey.hidden)
        say(fmt::format("{} or there as guides only",
                        counted(survey.hidden, "prim is invisible", "prims are invisible")),
            "the rest is shown");
    if (survey.curves)
        say(counted(survey.curves, "set of curves was passed over", "sets of curves were passed over"),
            "curves can be read as paths");
    if (const std::size_t n = survey.volumes.size(); n > 0 && shown != UsdShown::volumes)
        say(counted(n, "volume was passed over", "volumes were passed over"), "the import settings can show it");
    if (const std::size_t n = survey.volumes.size(); n > 1 && shown == UsdShown::volumes)
        say(counted(n - 1, "further volume was passed over", "further volumes were passed over"),
            "gather the file once more for each, and choose it in the import settings");
    if (survey.bare_volumes)
        say(counted(survey.bare_volumes, "volume was passed over", "volumes were passed over"),
            "only fields that are OpenVDB files are read");
    if (survey.other)
        say(counted(survey.other, "patch or solid was passed over", "patches or solids were passed over"),
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
        say(counted(survey.instancers.size(), "point instancer is shown as geometry",
                    "point instancers are shown as geometry"),
            "velocities of what it instances are left out; the import settings can take its points, to arrange copies "
            "on");
}

Error nothing_to_show(const UsdScene& scene, const UsdSurvey& survey) {
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

} // namespace garland
