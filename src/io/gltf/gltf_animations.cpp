#include "io/gltf/gltf_animations.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

bool plays(const GltfContent& chosen, std::size_t n) {
    return chosen.animation == all_animations || chosen.animations[n] == chosen.animation;
}

// Near enough to unit length for files that store few digits.
void make_unit(KeyTrack& track, std::size_t animation) {
    const bool cubic = track.way == KeyWay::cubic;
    for (std::size_t i = cubic ? 4 : 0; i + 3 < track.values.size(); i += cubic ? 12 : 4) {
        double* q = &track.values[i];
        const double length = std::sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
        if (!(length > 1e-6)) throw GltfBad{fmt::format("animation {} has a rotation of no length", animation)};
        if (std::abs(length - 1) > 1e-6) {
            for (int k = 0; k < 4; ++k) q[k] /= length;
        }
    }
}

std::optional<PartPath> path_called(const std::string& word) {
    if (word == "translation") return PartPath::translation;
    if (word == "scale") return PartPath::scale;
    if (word == "rotation") return PartPath::rotation;
    if (word == "weights") return PartPath::weights;
    if (word == "visible") return PartPath::visible; // as prepare_gltf calls it
    return {};
}

} // namespace

void GltfAnimations::choose(GltfContent& out, const std::string& asked) const {
    std::set<std::pair<int, std::string>> moved;
    bool together = true;
    for (std::size_t n = 0; n < g_.animations.size(); ++n) {
        std::set<std::pair<int, std::string>> own;
        for (const auto& c : g_.animations[n].channels) own.emplace(c.target_node, c.target_path);
        for (const auto& one : own) together &= moved.insert(one).second;
        const std::string& said = g_.animations[n].name;
        std::string name = said.empty() ? fmt::format("animation {}", n + 1) : said;
        while (std::find(out.animations.begin(), out.animations.end(), name) != out.animations.end())
            name += fmt::format(" ({})", n + 1);
        out.animations.push_back(std::move(name));
    }
    if (out.animations.size() < 2) {
        out.animation = all_animations;
        return;
    }
    if (together) out.animations.emplace_back(all_animations);
    const bool known = std::find(out.animations.begin(), out.animations.end(), asked) != out.animations.end();
    out.animation = known ? asked : together ? out.animations.back() : out.animations.front();
}

std::set<int> GltfAnimations::shown_in_time(const GltfContent& chosen) const {
    std::set<int> out;
    for (std::size_t n = 0; n < g_.animations.size(); ++n) {
        for (const auto& c : g_.animations[n].channels) {
            if (plays(chosen, n) && c.target_path == "visible") out.insert(c.target_node);
        }
    }
    return out;
}

KeyTrack GltfAnimations::track_of(const tinygltf::AnimationSampler& sampler, PartPath path,
                                  std::size_t animation) const {
    const std::string& way = sampler.interpolation;
    if (way != "STEP" && way != "LINEAR" && way != "CUBICSPLINE")
        throw GltfBad{fmt::format("animation {}: \"{}\" is no way between keys", animation, way)};
    KeyTrack track;
    track.way = way == "STEP" ? KeyWay::step : way == "LINEAR" ? KeyWay::linear : KeyWay::cubic;
    track.rotation = path == PartPath::rotation;
    track.width = track.rotation ? 4 : path == PartPath::visible || path == PartPath::weights ? 1 : 3;
    for (float t : numbers(sampler.input, 1)) track.times.push_back(t);
    const std::vector<float> values = numbers(sampler.output, track.width);
    track.values.assign(values.begin(), values.end());
    if (path == PartPath::weights) { // as many a key as there are targets
        const std::size_t each = track.times.size() * (track.way == KeyWay::cubic ? 3 : 1);
        if (each == 0 || track.values.size() % each != 0 || track.values.empty())
            throw GltfBad{fmt::format("animation {}: weights do not fit their keys", animation)};
        track.width = static_cast<int>(track.values.size() / each);
    }
    if (track.rotation) make_unit(track, animation);
    return track;
}

void GltfAnimations::read(GltfContent& content, const std::vector<int>& index_of, KeyedModel& model) const {
    for (std::size_t n = 0; n < g_.animations.size(); ++n) {
        const auto& animation = g_.animations[n];
        if (!plays(content, n)) continue;
        for (const auto& channel : animation.channels) {
            if (channel.target_node < 0) continue; // the specification lets a reader pass over these
            const int node = at(index_of, channel.target_node, "node");
            if (node < 0) {
                content.notes.push_back(
                    fmt::format("animation of node {}, which is not in the scene", channel.target_node));
                continue;
            }
            const auto path = path_called(channel.target_path);
            if (!path) {
                content.notes.push_back(fmt::format("animation of \"{}\"", channel.target_path));
                continue;
            }
            KeyTrack track = track_of(at(animation.samplers, channel.sampler, "sampler"), *path, n);
            if (auto ok = validate(track); !ok) {
                throw GltfBad{fmt::format("animation {} (\"{}\"), {} of \"{}\": {}", n, animation.name,
                                          channel.target_path, model.nodes[static_cast<std::size_t>(node)].name,
                                          ok.error().message)};
            }
            model.channels.push_back({node, *path, static_cast<int>(model.tracks.size())});
            model.tracks.push_back(std::move(track));
        }
    }
}

} // namespace garland
