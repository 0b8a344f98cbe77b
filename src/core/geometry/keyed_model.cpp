#include "core/geometry/keyed_model.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

constexpr double velocity_step = 0.0005; // seconds to either side

struct State {
    std::vector<M44d> transforms;
    std::vector<std::vector<double>> weights; // of nodes that have some
};

M44d local_matrix(const V3d& t, const Quatd& r, const V3d& s) {
    M44d m = r.toMatrix44();
    for (int row = 0; row < 3; ++row) {
        for (int k = 0; k < 3; ++k) m[row][k] *= s[row];
    }
    m[3][0] = t.x, m[3][1] = t.y, m[3][2] = t.z;
    return m;
}

State state_at(const KeyedModel& model, double seconds, bool smooth) {
    State state;
    const std::size_t n = model.nodes.size();
    std::vector<V3d> translations(n), scales(n);
    std::vector<Quatd> rotations(n);
    std::vector<char> moved(n, 0);
    state.weights.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        const PartNode& node = model.nodes[i];
        translations[i] = node.translation, rotations[i] = node.rotation, scales[i] = node.scale;
        state.weights[i].assign(node.weights.begin(), node.weights.end());
    }
    std::vector<double> value;
    for (const PartChannel& channel : model.channels) {
        const KeyTrack& track = model.tracks[static_cast<std::size_t>(channel.track)];
        const auto i = static_cast<std::size_t>(channel.node);
        value.resize(static_cast<std::size_t>(track.width));
        sample(track, seconds, value, smooth);
        switch (channel.path) {
        case PartPath::translation: translations[i] = V3d(value[0], value[1], value[2]), moved[i] = 1; break;
        case PartPath::rotation: rotations[i] = Quatd(value[3], value[0], value[1], value[2]), moved[i] = 1; break;
        case PartPath::scale: scales[i] = V3d(value[0], value[1], value[2]), moved[i] = 1; break;
        case PartPath::weights: state.weights[i] = value; break;
        }
    }
    state.transforms.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        const PartNode& node = model.nodes[i];
        const M44d local =
            node.matrix && !moved[i] ? *node.matrix : local_matrix(translations[i], rotations[i], scales[i]);
        state.transforms[i] = node.parent < 0 ? local : local * state.transforms[static_cast<std::size_t>(node.parent)];
    }
    return state;
}

// One mesh of one node, into its place among all points.
void place_mesh(const KeyedModel& model, const PartNode& node, std::size_t index, const PartMesh& mesh,
                const State& state, std::span<V3f> points, V3f* normals) {
    std::vector<V3f> shaped = mesh.base.points, turned = mesh.base.normals;
    const std::vector<double>& weights = state.weights[index];
    for (std::size_t k = 0; k < mesh.targets.size() && k < weights.size(); ++k) {
        const auto w = static_cast<float>(weights[k]);
        if (w == 0) continue;
        const PartMesh::Target& target = mesh.targets[k];
        for (std::size_t i = 0; i < target.points.size(); ++i) shaped[i] += target.points[i] * w;
        for (std::size_t i = 0; i < target.normals.size() && i < turned.size(); ++i) turned[i] += target.normals[i] * w;
    }
    std::vector<M44d> bones;
    if (node.skin >= 0 && mesh.joint_sets > 0) {
        const PartSkin& skin = model.skins[static_cast<std::size_t>(node.skin)];
        for (std::size_t j = 0; j < skin.joints.size(); ++j) {
            bones.push_back(skin.inverse_bind[j] * state.transforms[static_cast<std::size_t>(skin.joints[j])]);
        }
    }
    auto normal_matrix = [](const M44d& m) {
        M44d flat = m;
        for (int k = 0; k < 3; ++k) flat[3][k] = 0;
        return flat.inverse().transposed();
    };
    const M44d own = state.transforms[index], own_normals = normals ? normal_matrix(own) : M44d();
    const auto sets = static_cast<std::size_t>(mesh.joint_sets);
    parallel_for(shaped.size(), 8192, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            if (bones.empty()) {
                V3d p, n;
                own.multVecMatrix(V3d(shaped[i]), p);
                points[i] = V3f(p);
                if (normals) {
                    own_normals.multDirMatrix(V3d(turned[i]), n);
                    normals[i] = V3f(n.normalized());
                }
                continue;
            }
            M44d blended(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0);
            double total = 0;
            for (std::size_t s = 0; s < sets; ++s) {
                for (std::size_t k = 0; k < 4; ++k) {
                    const double w = mesh.weights[i * sets + s][k];
                    if (w == 0) continue;
                    blended += bones[mesh.joints[i * sets + s][k]] * w;
                    total += w;
                }
            }
            if (total == 0) blended = M44d();
            V3d p, n;
            const V3d at(shaped[i]);
            for (int k = 0; k < 3; ++k)
                p[k] = at.x * blended[0][k] + at.y * blended[1][k] + at.z * blended[2][k] + blended[3][k];
            points[i] = V3f(total > 0 ? p / total : p);
            if (normals) {
                blended.multDirMatrix(V3d(turned[i]), n);
                normals[i] = V3f(n.normalized());
            }
        }
    });
}

void place_all(const KeyedModel& model, const State& state, std::vector<V3f>& points, std::vector<V3f>* normals) {
    std::size_t first = 0;
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        for (int m : model.nodes[i].meshes) {
            const PartMesh& mesh = model.meshes[static_cast<std::size_t>(m)];
            const std::size_t count = mesh.base.points.size();
            const bool turns = normals && mesh.base.normals.size() == count;
            place_mesh(model, model.nodes[i], i, mesh, state, std::span(points).subspan(first, count),
                       turns ? normals->data() + first : nullptr);
            first += count;
        }
    }
}

} // namespace

double KeyedModel::start() const {
    double first = tracks.empty() ? 0 : tracks.front().times.front();
    for (const KeyTrack& t : tracks) first = std::min(first, t.times.front());
    return first;
}

double KeyedModel::end() const {
    double last = tracks.empty() ? 0 : tracks.front().times.back();
    for (const KeyTrack& t : tracks) last = std::max(last, t.times.back());
    return last;
}

std::size_t KeyedModel::points() const {
    std::size_t count = 0;
    for (const PartNode& node : nodes) {
        for (int m : node.meshes) count += meshes[static_cast<std::size_t>(m)].base.points.size();
    }
    return count;
}

int KeyedModel::root() const {
    std::vector<char> moves(nodes.size(), 0), above(nodes.size(), 0);
    for (const PartChannel& c : channels)
        moves[static_cast<std::size_t>(c.node)] |= c.path == PartPath::translation ? 2 : 1;
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        const auto parent = static_cast<std::size_t>(std::max(nodes[i].parent, 0));
        above[i] = nodes[i].parent >= 0 && (above[parent] || moves[parent]);
        if (!above[i] && (moves[i] & 2)) return static_cast<int>(i);
    }
    return -1;
}

PosePtr shared_parts(const KeyedModel& model) {
    auto out = std::make_shared<Pose>();
    auto faces = std::make_shared<Faces>();
    const std::size_t all = model.points();
    bool uvs = false, colours = false, normals = all > 0, materials = false;
    for (const PartMesh& m : model.meshes) {
        uvs |= !m.base.uvs.empty();
        colours |= !m.base.colours.empty();
        normals &= m.base.normals.size() == m.base.points.size();
        materials |= !m.base.faces->materials.empty();
    }
    Attribute part{"part", 1};
    faces->starts.push_back(0);
    std::uint32_t first = 0;
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        for (int m : model.nodes[i].meshes) {
            const Pose& base = model.meshes[static_cast<std::size_t>(m)].base;
            const std::size_t count = base.points.size();
            for (std::uint32_t c : base.faces->corners) faces->corners.push_back(first + c);
            for (std::size_t f = 0; f < base.faces->count(); ++f) {
                faces->starts.push_back(faces->starts.back() + base.faces->starts[f + 1] - base.faces->starts[f]);
            }
            if (materials) {
                const std::string name = base.faces->materials.empty() ? "" : base.faces->materials.front();
                auto at = std::find(faces->materials.begin(), faces->materials.end(), name);
                const auto index = static_cast<std::uint32_t>(at - faces->materials.begin());
                if (at == faces->materials.end()) faces->materials.push_back(name);
                faces->material_of.insert(faces->material_of.end(), base.faces->count(), index);
            }
            auto add = [count](auto& to, const auto& from, auto usual) {
                if (from.size() == count) {
                    to.insert(to.end(), from.begin(), from.end());
                } else {
                    to.insert(to.end(), count, usual);
                }
            };
            if (uvs) add(out->uvs, base.uvs, V2f(0));
            if (colours) add(out->colours, base.colours, V3f(1));
            part.whole.insert(part.whole.end(), count, static_cast<std::int32_t>(i));
            first += static_cast<std::uint32_t>(count);
        }
    }
    if (normals) out->normals.resize(all);
    out->attributes.push_back(std::move(part));
    out->faces = faces;
    return out;
}

std::vector<M44d> node_transforms(const KeyedModel& model, double seconds, bool smooth) {
    return state_at(model, seconds, smooth).transforms;
}

PosePtr pose_at(const KeyedModel& model, const Pose& shared, double seconds, bool smooth) {
    auto pose = std::make_shared<Pose>(shared);
    const std::size_t count = model.points();
    pose->points.resize(count);
    place_all(model, state_at(model, seconds, smooth), pose->points, pose->normals.empty() ? nullptr : &pose->normals);
    const double from = std::max(model.start(), seconds - velocity_step),
                 to = std::min(model.end(), seconds + velocity_step);
    if (to > from) {
        pose->velocities.assign(count, V3f(0));
        std::vector<V3f> before(count), after(count);
        place_all(model, state_at(model, from, smooth), before, nullptr);
        place_all(model, state_at(model, to, smooth), after, nullptr);
        const auto rate = static_cast<float>(1 / (to - from));
        for (std::size_t i = 0; i < count; ++i) pose->velocities[i] = (after[i] - before[i]) * rate;
    }
    return pose;
}

} // namespace garland
