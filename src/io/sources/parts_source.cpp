#include "io/gltf/gltf.h"
#include "io/sources/mesh_file.h"
#include "io/sources/sources.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

class PartsSource final : public ExactSource {
  public:
    PartsSource(KeyedModel model, SourceFacts facts, std::vector<std::string> files)
        : model_(std::move(model)), facts_(std::move(facts)), files_(std::move(files)), shared_(shared_parts(model_)),
          root_(model_.root()) {
        const PosePtr first = pose(static_cast<double>(facts_.first), false);
        learn_pose(facts_, *first);
        facts_.root = root_ >= 0;
        for (const std::string& file : files_) facts_.bytes_on_disk += disk_bytes(file);
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return files_; }
    std::vector<PartName> parts() const override {
        std::vector<PartName> out;
        for (const PartNode& node : model_.nodes) out.push_back({node.name, node.parent});
        return out;
    }
    Result<PosePtr> exact_at(double frame, SubFrame how, Progress&) const override {
        if (facts_.kind == SourceKind::pieces && how == SubFrame::nearest) frame = std::floor(frame + 0.5);
        return pose(frame, facts_.kind == SourceKind::pieces && how == SubFrame::smooth);
    }
    V3d root_at(double frame) const override {
        if (root_ < 0) return V3d(0);
        return node_transforms(model_, seconds(frame))[static_cast<std::size_t>(root_)].translation();
    }

  private:
    double seconds(double frame) const { return facts_.says.rate->start_of(frame).value; }
    PosePtr pose(double frame, bool smooth) const { return pose_at(model_, *shared_, seconds(frame), smooth); }

    KeyedModel model_;
    SourceFacts facts_;
    std::vector<std::string> files_;
    PosePtr shared_;
    int root_;
};

bool deforms(const KeyedModel& model) {
    for (const PartMesh& mesh : model.meshes) {
        if (!mesh.targets.empty() || mesh.joint_sets > 0) return true;
    }
    return false;
}

// Baked rigid motion: linear keys on every frame from first to last, on nodes whose parents are still.
bool baked_pieces(const KeyedModel& model, const SourceFacts& f) {
    if (model.tracks.empty() || f.frames() < 2) return false;
    std::vector<char> moves(model.nodes.size(), 0);
    auto dense = [&](const KeyTrack& track) {
        return track.way == KeyWay::linear && static_cast<std::int64_t>(track.keys()) == f.frames();
    };
    for (const PartChannel& c : model.channels) {
        const KeyTrack& track = model.tracks[static_cast<std::size_t>(c.track)];
        if (!dense(track) || c.path == PartPath::weights) return false;
        moves[static_cast<std::size_t>(c.node)] = 1;
    }
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        for (const PartOp& op : model.nodes[i].ops) {
            if (op.track < 0) continue;
            if (!dense(model.tracks[static_cast<std::size_t>(op.track)])) return false;
            moves[i] = 1;
        }
    }
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        for (int p = model.nodes[i].parent; p >= 0; p = model.nodes[static_cast<std::size_t>(p)].parent) {
            if (moves[i] && moves[static_cast<std::size_t>(p)]) return false;
        }
    }
    return true;
}

} // namespace

void tell_of_choices(SourceFacts& facts, const SourceChoices& asked) {
    for (const auto& [name, wanted] : asked) {
        const auto known = std::find_if(facts.choices.begin(), facts.choices.end(),
                                        [&wanted_name = name](const SourceChoice& c) { return c.name == wanted_name; });
        if (known == facts.choices.end()) {
            facts.problems.push_back({fmt::format("there is nothing called \"{}\" to choose", name),
                                      "that choice is passed over", std::nullopt});
        } else if (std::find(known->options.begin(), known->options.end(), wanted) == known->options.end()) {
            facts.problems.push_back({fmt::format("{} cannot be \"{}\": there are {}", known->title, wanted,
                                                  fmt::join(known->options, ", ")),
                                      known->chosen.empty() || known->chosen == wanted
                                          ? "none of them is taken"
                                          : fmt::format("\"{}\" is taken", known->chosen),
                                      std::nullopt});
        }
    }
}

Rate rate_of_keys(const KeyedModel& model) {
    const Rate usual[] = {{24, 1}, {25, 1}, {30, 1}, {12, 1},       {24000, 1001}, {30000, 1001},
                          {48, 1}, {50, 1}, {60, 1}, {60000, 1001}, {120, 1}};
    for (const Rate& rate : usual) {
        bool whole = true;
        for (const KeyTrack& track : model.tracks) {
            for (double t : track.times) {
                const double frame = rate.frames_in(Seconds(t));
                // Times are floats: good to seven digits.
                whole = whole && std::abs(frame - std::round(frame)) < 1e-3 + std::abs(frame) * 1e-6;
                if (!whole) break;
            }
            if (!whole) break;
        }
        if (whole) return rate;
    }
    return {24, 1};
}

SourcePtr make_parts_source(KeyedModel model, SourceFacts facts, std::vector<std::string> files) {
    facts.kind = deforms(model)               ? SourceKind::mesh_cache
                 : baked_pieces(model, facts) ? SourceKind::pieces
                                              : SourceKind::keyed_parts;
    for (const PartNode& node : model.nodes) facts.pieces += !node.meshes.empty();
    return std::make_shared<PartsSource>(std::move(model), std::move(facts), std::move(files));
}

Result<SourcePtr> open_gltf(const std::string& path, Progress& progress, const SourceChoices& choices) {
    progress.report(0, fmt::format("reading {}", file_name(path)));
    const auto asked = choices.find("animation");
    GARLAND_TRY(content, read_gltf(path, asked == choices.end() ? "" : asked->second));
    SourceFacts facts;
    if (content.animations.size() > 1)
        facts.choices.push_back({"animation", "the animation", content.animation, content.animations});
    tell_of_choices(facts, choices);
    facts.says.rate = rate_of_keys(content.model);
    const double first = facts.says.rate->frames_in(Seconds(content.model.start())),
                 last = facts.says.rate->frames_in(Seconds(content.model.end()));
    if (last - first > 10'000'000)
        return fail(Error{ErrorCode::too_large, "its keys reach further apart than ten million frames"}
                        .advise("remove the keys that lie far away")
                        .at(path));
    facts.first = static_cast<std::int64_t>(std::floor(first + 1e-3));
    facts.last = std::max(facts.first, static_cast<std::int64_t>(std::ceil(last - 1e-3)));
    // Key times are stored as floats: those that mean a whole frame become one, so that whole frames show the keys
    // themselves.
    for (KeyTrack& track : content.model.tracks) {
        for (double& t : track.times) {
            const double frame = std::round(facts.says.rate->frames_in(Seconds(t)));
            if (std::abs(facts.says.rate->frames_in(Seconds(t)) - frame) < 1e-3 + std::abs(frame) * 1e-6)
                t = facts.says.rate->start_of(frame).value;
        }
        if (!validate(track))
            return fail(Error{ErrorCode::malformed, "its keys lie closer together than their times can tell"}.at(path));
    }
    facts.format = fmt::format("glTF 2.0, {}, {}", counted(content.model.nodes.size(), "node", "nodes"),
                               counted(content.model.channels.size(), "animated value", "animated values"));
    for (const std::string& note : content.notes)
        facts.problems.push_back({note + " was passed over", "the rest is shown", std::nullopt});
    return make_parts_source(std::move(content.model), std::move(facts), content.files);
}

} // namespace garland
