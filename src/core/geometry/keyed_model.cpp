#include "core/geometry/keyed_model.h"

#include "core/base/parallel.h"
#include "core/base/portable_math.h"
#include "core/geometry/corner_normals.h"
#include "core/geometry/directions.h"
#include "core/geometry/join_poses.h"

#include <algorithm>
#include <cmath>
#include <span>
#include <utility>

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

M44d axis_rotation(char axis, double degrees) {
    M44d r; // for row vectors
    const int a = axis == 'X' ? 1 : axis == 'Y' ? 2 : 0, b = (a + 1) % 3;
    const double angle = degrees * M_PI / 180, c = portable::cos(angle), s = portable::sin(angle);
    r[a][a] = r[b][b] = c;
    r[a][b] = s, r[b][a] = -s;
    return r;
}

M44d ops_matrix(const KeyedModel& model, const PartNode& node, double seconds, bool smooth) {
    M44d m;
    std::array<double, 16> value{};
    for (const PartOp& op : node.ops) {
        if (op.track >= 0) {
            const KeyTrack& track = model.tracks[static_cast<std::size_t>(op.track)];
            sample(track, seconds, std::span(value).first(static_cast<std::size_t>(track.width)), smooth);
        }
        m *= op_matrix(op, op.track >= 0 ? value : op.rest);
    }
    return m;
}

// seen_at: the time whose visibility is taken, so that nothing that appears has a velocity of its own.
State state_at(const KeyedModel& model, double seconds, bool smooth, double seen_at) {
    State state;
    const std::size_t n = model.nodes.size();
    std::vector<char> hidden(n, 0);
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
        sample(track, channel.path == PartPath::visible ? seen_at : seconds, value, smooth);
        switch (channel.path) {
        case PartPath::translation: translations[i] = V3d(value[0], value[1], value[2]), moved[i] = 1; break;
        case PartPath::rotation: rotations[i] = Quatd(value[3], value[0], value[1], value[2]), moved[i] = 1; break;
        case PartPath::scale: scales[i] = V3d(value[0], value[1], value[2]), moved[i] = 1; break;
        case PartPath::weights: state.weights[i] = value; break;
        case PartPath::visible: hidden[i] = value[0] < 0.5; break;
        }
    }
    state.transforms.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        const PartNode& node = model.nodes[i];
        M44d local = !node.ops.empty()          ? ops_matrix(model, node, seconds, smooth)
                     : node.matrix && !moved[i] ? *node.matrix
                                                : local_matrix(translations[i], rotations[i], scales[i]);
        if (hidden[i]) local = M44d().setScale(V3d(0)) * local;
        state.transforms[i] = node.parent < 0 ? local : local * state.transforms[static_cast<std::size_t>(node.parent)];
    }
    return state;
}

M44d normal_matrix(const M44d& m) {
    M44d flat = m;
    for (int k = 0; k < 3; ++k) flat[3][k] = 0;
    return flat.inverse().transposed();
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

M44d op_matrix(const PartOp& op, std::span<const double> v) {
    M44d m;
    switch (op.kind) {
    case PartOp::translate: m.setTranslation(V3d(v[0], v[1], v[2])); break;
    case PartOp::scale: m.setScale(V3d(v[0], v[1], v[2])); break;
    case PartOp::rotate:
        for (std::size_t k = 0; k < op.axes.size(); ++k)
            m *= axis_rotation(op.axes[k], op.axes.size() == 1 ? v[0] : v[static_cast<std::size_t>(op.axes[k] - 'X')]);
        break;
    case PartOp::orient: {
        const Quatd q(v[3], v[0], v[1], v[2]);
        if (q.length() > 1e-12) m = q.normalized().toMatrix44();
        break;
    }
    case PartOp::matrix:
        for (int i = 0; i < 16; ++i) m[i / 4][i % 4] = v[static_cast<std::size_t>(i)];
        break;
    }
    return op.inverse ? m.inverse() : m;
}

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
        for (const PartOp& op : nodes[i].ops) {
            if (op.track >= 0) moves[i] |= op.kind == PartOp::translate || op.kind == PartOp::matrix ? 2 : 1;
        }
    }
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        const auto parent = static_cast<std::size_t>(std::max(nodes[i].parent, 0));
        above[i] = nodes[i].parent >= 0 && (above[parent] || moves[parent]);
        if (!above[i] && (moves[i] & 2)) return static_cast<int>(i);
    }
    return -1;
}

PosePtr shared_parts(const KeyedModel& model) {
    PoseJoiner all;
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        for (int m : model.nodes[i].meshes)
            all.add(model.meshes[static_cast<std::size_t>(m)].base, static_cast<std::int32_t>(i));
    }
    auto out = std::make_shared<Pose>(all.take(true));
    out->points.clear();
    out->velocities.clear();
    return out;
}

std::vector<M44d> node_transforms(const KeyedModel& model, double seconds, bool smooth) {
    return state_at(model, seconds, smooth, seconds).transforms;
}

// Values that are directions turn with their nodes; count(mesh): how many places of the list are one mesh's.
template <class Count>
static void turn_with_nodes(const KeyedModel& model, const State& state, std::vector<Attribute>& list, Count count) {
    if (!has_directions(list)) return;
    std::size_t at = 0;
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        auto turn = [&](const V3f& v) {
            V3d turned;
            state.transforms[i].multDirMatrix(V3d(v), turned);
            return V3f(turned);
        };
        for (int m : model.nodes[i].meshes) {
            const std::size_t end = at + count(model.meshes[static_cast<std::size_t>(m)].base);
            turn_directions(list, std::exchange(at, end), end, turn);
        }
    }
}

static void turn_attributes(const KeyedModel& model, const State& state, Pose& pose) {
    turn_with_nodes(model, state, pose.attributes, [](const Pose& mesh) { return mesh.points.size(); });
    if (!has_directions(*pose.faces)) return;
    auto faces = std::make_shared<Faces>(*pose.faces);
    turn_with_nodes(model, state, faces->attributes, [](const Pose& mesh) { return mesh.faces->count(); });
    turn_with_nodes(model, state, faces->corner_attributes,
                    [](const Pose& mesh) { return mesh.faces->corners.size(); });
    pose.faces = std::move(faces);
}

// Normals of corners, which only meshes without targets and skins have, turn with their nodes.
static void turn_corner_normals(const KeyedModel& model, const State& state, std::vector<V3f>& normals) {
    std::size_t at = 0;
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        const M44d turn = normal_matrix(state.transforms[i]);
        for (int m : model.nodes[i].meshes) {
            for (const V3f& own : normals_at_corners(model.meshes[static_cast<std::size_t>(m)].base)) {
                V3d n;
                turn.multDirMatrix(V3d(own), n);
                normals[at++] = V3f(n.normalized());
            }
        }
    }
}

PosePtr pose_at(const KeyedModel& model, const Pose& shared, double seconds, bool smooth) {
    auto pose = std::make_shared<Pose>(shared);
    const std::size_t count = model.points();
    pose->points.resize(count);
    const State now = state_at(model, seconds, smooth, seconds);
    place_all(model, now, pose->points, pose->normals.empty() ? nullptr : &pose->normals);
    if (!pose->corner_normals.empty()) turn_corner_normals(model, now, pose->corner_normals);
    turn_attributes(model, now, *pose);
    const double from = std::max(model.start(), seconds - velocity_step),
                 to = std::min(model.end(), seconds + velocity_step);
    if (to > from) {
        pose->velocities.assign(count, V3f(0));
        std::vector<V3f> before(count), after(count);
        place_all(model, state_at(model, from, smooth, seconds), before, nullptr);
        place_all(model, state_at(model, to, smooth, seconds), after, nullptr);
        const auto rate = static_cast<float>(1 / (to - from));
        for (std::size_t i = 0; i < count; ++i) pose->velocities[i] = (after[i] - before[i]) * rate;
    }
    return pose;
}

} // namespace garland
