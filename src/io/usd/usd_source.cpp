#include "io/sources/mesh_file.h"
#include "io/sources/pose_check.h"
#include "io/sources/sources.h"
#include "io/usd/usd_survey.h"

#include "core/base/numbers.h"
#include "core/geometry/join_poses.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace garland {

namespace {

// Geometry that changes in itself: read from the mapped files, frame by frame, or at any time between.
class UsdSource final : public Source {
  public:
    UsdSource(std::shared_ptr<UsdScene> scene, const UsdSurvey& survey, UsdShown shown, SourceFacts facts)
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

constexpr const char *show_choice = "show", *show_words[] = {"geometry", "points", "instances", "volumes"};
constexpr const char* volume_choice = "volume"; // which, where there are several

// What there is to be shown, and what of it is asked for: geometry, then points, unless the settings say otherwise.
UsdShown what_is_shown(const UsdSurvey& survey, const SourceChoices& asked, std::vector<SourceChoice>& choices) {
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
int volume_shown(const UsdScene& scene, const UsdSurvey& survey, const SourceChoices& asked,
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

Result<std::shared_ptr<UsdScene>> open_scene(const std::string& path, const SourceChoices& choices) {
    GARLAND_TRY(stage, open_usd_stage(path, choices));
    try {
        return std::make_shared<UsdScene>(stage);
    } catch (const UsdBad& bad) {
        return fail(bad.error);
    }
}

// Sets of variants as choices, with what the file chose; what it asks for and doesn't have is said.
void add_variants(const UsdScene& scene, const SourceChoices& choices, SourceFacts& facts) {
    for (const UsdVariants& v : scene.stage->variants) {
        facts.choices.push_back({fmt::format("{}{{{}}}", v.prim, v.set),
                                 fmt::format("{} of {}", v.set, usd_name(v.prim)), v.chosen, v.choices});
        const bool there =
            v.chosen.empty() || std::find(v.choices.begin(), v.choices.end(), v.chosen) != v.choices.end();
        if (!there && !choices.count(facts.choices.back().name))
            facts.problems.push_back(
                {fmt::format("\"{}\" asks for \"{}\" as its {}, which is not there", usd_name(v.prim), v.chosen, v.set),
                 "none of them is shown", std::nullopt});
    }
}

// "USD text, 3 meshes, 1 instancer, 2 files".
std::string format_words(const UsdScene& scene, const UsdSurvey& survey, UsdShown shown) {
    const UsdLayer& root = *scene.stage->root;
    const bool meshes = shown == UsdShown::geometry;
    std::string what = meshes ? counted(survey.meshes.size(), "mesh", "meshes")
                              : counted(survey.points.size(), "set of points", "sets of points");
    if (shown == UsdShown::instances || (meshes && survey.meshes.empty())) what.clear();
    if (shown == UsdShown::volumes) what = counted(survey.volumes.size(), "volume", "volumes");
    if (!survey.instancers.empty() && !what.empty()) what += ", ";
    if (!survey.instancers.empty()) what += counted(survey.instancers.size(), "instancer", "instancers");
    const char* form = root.bytes.inside.empty() ? root.bytes.view().starts_with("PXR-USDC") ? "USD binary" : "USD text"
                                                 : "USD package";
    std::string words = fmt::format("{}, {}", form, what);
    if (scene.stage->files.size() > 1) words += ", " + counted(scene.stage->files.size(), "file", "files");
    return words;
}

} // namespace

Result<SourcePtr> open_usd(const std::string& path, Progress& progress, const SourceChoices& choices) {
    progress.report(0, fmt::format("reading {}", file_name(path)));
    GARLAND_TRY(scene, open_scene(path, choices));
    try {
        const UsdSurvey survey = survey_of(*scene);
        if (!survey.has_meshes() && !survey.has_points() && survey.volumes.empty())
            return fail(nothing_to_show(*scene, survey));
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
        tell_of_stage(*scene, survey, shown, facts.problems);
        add_variants(*scene, choices, facts);
        tell_of_choices(facts, choices);
        const bool meshes = shown == UsdShown::geometry;
        facts.format = format_words(*scene, survey, shown);
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
