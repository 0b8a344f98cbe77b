#include "io/usd/usd_scene.h"

#include "io/sources/pose_check.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

constexpr double a_little = 0.01; // time codes, for the velocities of moving transforms
constexpr int nested_instancers = 16;

void place(Pose& pose, const M44d& m) {
    if (m == M44d()) return;
    M44d flat = m;
    for (int k = 0; k < 3; ++k) flat[3][k] = 0;
    const M44d normals = pose.normals.empty() ? M44d() : flat.inverse().transposed();
    for (V3f& p : pose.points) {
        V3d moved;
        m.multVecMatrix(V3d(p), moved);
        p = V3f(moved);
    }
    auto turn = [](V3f& v, const M44d& by) {
        V3d turned;
        by.multDirMatrix(V3d(v), turned);
        v = V3f(turned);
    };
    for (V3f& v : pose.velocities) turn(v, m);
    for (V3f& n : pose.normals) {
        turn(n, normals);
        n.normalize();
    }
    for (Attribute& a : pose.attributes) {
        if (!a.vector || a.width != 3) continue;
        for (std::size_t i = 0; i + 2 < a.values.size(); i += 3) {
            V3f v(a.values[i], a.values[i + 1], a.values[i + 2]);
            turn(v, m);
            for (std::size_t k = 0; k < 3; ++k) a.values[i + k] = v[static_cast<int>(k)];
        }
    }
    // A mirrored mesh is seen from the other side.
    if (flat.determinant() < 0 && pose.faces->count() > 0) {
        auto faces = std::make_shared<Faces>(*pose.faces);
        for (std::size_t f = 0; f < faces->count(); ++f) {
            const auto from = faces->starts[f], to = faces->starts[f + 1];
            std::reverse(faces->corners.begin() + from, faces->corners.begin() + to);
            if (!faces->corner_uvs.empty())
                std::reverse(faces->corner_uvs.begin() + from, faces->corner_uvs.begin() + to);
        }
        pose.faces = faces;
    }
}

} // namespace

struct UsdDrawing::Walk {
    double time;
    bool particles;
    const Sink& sink;
    std::uint64_t points = 0;
};

UsdDrawing::Place UsdDrawing::below(int prim, const Place& above, double time) const {
    const UsdOps& ops = scene_.ops[static_cast<std::size_t>(prim)];
    if (ops.list.empty() && !ops.resets) return above;
    Place out = above;
    const M44d now = scene_.local(prim, time);
    if (ops.resets) {
        out.moves = ops.moves;
        out.now = out.before = out.after = above.base;
    }
    if (ops.moves || out.moves) {
        const bool still = !out.moves;
        out.before = scene_.local(prim, time - a_little) * (still ? out.now : out.before);
        out.after = scene_.local(prim, time + a_little) * (still ? out.now : out.after);
        out.moves = true;
    }
    out.now = now * out.now;
    return out;
}

void UsdDrawing::walk(Walk& w, int prim, const Place& above, int depth) const {
    const UsdPrim& p = scene_.prim(prim);
    if (!scene_.visible(prim, w.time)) return;
    const Place at = below(prim, above, w.time);
    if (p.type == "PointInstancer") {
        if (scene_.in_picture(prim)) instances(w, prim, at, depth);
        return; // what is below it stands only where its instances do
    }
    if (scene_.in_picture(prim)) show(w, prim, at);
    for (const int c : p.children) {
        if (above.instanced || scene_.prim(c).drawn) walk(w, c, at, depth);
    }
}

std::shared_ptr<const Faces> UsdDrawing::known_faces(int prim, const Pose& pose) const {
    const UsdPrim& p = scene_.prim(prim);
    for (const UsdAttribute& a : p.attributes) {
        const bool of_faces = a.name.starts_with("faceVertex") || a.name == "orientation" ||
                              a.interpolation == "uniform" || a.interpolation == "faceVarying" ||
                              a.name.starts_with("primvars:materialName");
        if (of_faces && a.moves()) return nullptr;
    }
    const std::lock_guard guard(lock_);
    auto& known = faces_[prim];
    if (!known && !pose.points.empty()) known = pose.faces;
    return known;
}

void UsdDrawing::show(Walk& w, int prim, const Place& at) const {
    const UsdPrim& p = scene_.prim(prim);
    const bool cloud = p.type == "Points";
    if (cloud != w.particles) return;
    if (!cloud && !is_usd_shape(p.type) && !(p.type == "Mesh" && p.find("points"))) return;
    if (cloud && !p.find("points")) return;
    Pose pose;
    Place where = at;
    if (cloud) {
        pose = usd_points(scene_, prim, w.time);
    } else if (p.type == "Mesh") {
        std::shared_ptr<const Faces> known;
        {
            const std::lock_guard guard(lock_);
            if (const auto found = faces_.find(prim); found != faces_.end()) known = found->second;
        }
        pose = usd_mesh(scene_, prim, w.time, known);
        if (!known) known_faces(prim, pose);
        int skeleton = -1;
        if (skins_.binds(prim) && skins_.apply(prim, w.time, pose, skeleton)) {
            where = Place();
            where.now = scene_.world(skeleton, w.time) * at.base;
        }
    } else {
        pose = usd_shape(scene_, prim, w.time);
    }
    w.points += pose.points.size();
    if (w.points > point_limit) scene_.bad(p, "is one of more points than can be counted", ErrorCode::too_large);
    if (at.instanced) pose.velocities.clear(); // of the prototype, not of what stands where the instances are
    if (where.moves && !pose.velocities.empty()) {
        const double rate = scene_.stage->root->codes_a_second / (2 * a_little);
        const std::vector<V3f> rest = pose.points;
        place(pose, where.now);
        for (std::size_t i = 0; i < rest.size(); ++i) {
            V3d a, b;
            where.before.multVecMatrix(V3d(rest[i]), a);
            where.after.multVecMatrix(V3d(rest[i]), b);
            pose.velocities[i] += V3f((b - a) * rate);
        }
    } else {
        place(pose, where.now);
    }
    w.sink(prim, std::move(pose));
}

void UsdDrawing::instances(Walk& w, int prim, const Place& at, int depth) const {
    const UsdPrim& p = scene_.prim(prim);
    if (depth >= nested_instancers) scene_.bad(p, "is an instancer inside too many others", ErrorCode::too_large);
    const UsdAttribute *which = p.find("protoIndices"), *positions = p.find("positions");
    const auto* prototypes = p.targets("prototypes");
    if (!which || !positions || !prototypes) return;
    const auto picks = scene_.wholes(*which, w.time);
    auto list = [&](const char* name) { return p.find(name); };
    std::vector<V3f> places = scene_.vectors(*positions, w.time);
    const UsdAttribute *turns = list("orientationsf"), *sizes = list("scales"), *ids = list("ids"),
                       *hidden = list("invisibleIds");
    if (!turns) turns = list("orientations");
    std::vector<Quatd> rotations = turns ? scene_.rotations(*turns, w.time) : std::vector<Quatd>{};
    const auto scales = sizes ? scene_.vectors(*sizes, w.time) : std::vector<V3f>{};
    const auto numbers = ids ? scene_.wholes(*ids, w.time) : std::vector<std::int64_t>{};
    auto unseen = hidden ? scene_.wholes(*hidden, w.time) : std::vector<std::int64_t>{};
    std::sort(unseen.begin(), unseen.end());
    if (places.size() != picks.size())
        scene_.bad(p, fmt::format("has {} places for {} instances", places.size(), picks.size()));
    for (const auto& [name, size] :
         {std::pair{"orientations", rotations.size()}, {"scales", scales.size()}, {"ids", numbers.size()}}) {
        if (size != 0 && size != picks.size())
            scene_.bad(p, fmt::format("has {} {} for {} instances", size, name, picks.size()));
    }
    // Between samples places go on along their velocities, where they have some from the same moment.
    const auto along = [&](const UsdAttribute* value, const char* name) -> std::pair<std::vector<V3f>, double> {
        const UsdAttribute* v = list(name);
        if (!v || !value || value->clips || v->clips) return {};
        const auto own = value->sample_times(), theirs = v->sample_times();
        const auto after = std::upper_bound(own.begin(), own.end(), w.time);
        if (after == own.begin()) return {};
        const double from = *(after - 1);
        if (from >= w.time || !std::binary_search(theirs.begin(), theirs.end(), from)) return {};
        return {scene_.vectors(*v, from), from};
    };
    const double codes = scene_.stage->root->codes_a_second;
    if (const auto [v, from] = along(positions, "velocities"); !v.empty()) {
        const auto start = scene_.vectors(*positions, from);
        for (std::size_t i = 0; i < places.size() && v.size() == places.size() && start.size() == v.size(); ++i)
            places[i] = start[i] + v[i] * static_cast<float>((w.time - from) / codes);
    }
    if (const auto [v, from] = along(turns, "angularVelocities"); !v.empty()) {
        const auto start = scene_.rotations(*turns, from);
        for (std::size_t i = 0; i < rotations.size() && v.size() == rotations.size() && start.size() == v.size(); ++i) {
            const double degrees = V3d(v[i]).length() * (w.time - from) / codes;
            Quatd turn;
            if (degrees > 0) turn.setAxisAngle(V3d(v[i]).normalized(), degrees * M_PI / 180);
            rotations[i] = turn * start[i];
        }
    }
    for (std::size_t i = 0; i < picks.size(); ++i) {
        const std::int64_t id = numbers.empty() ? static_cast<std::int64_t>(i) : numbers[i];
        if (std::binary_search(unseen.begin(), unseen.end(), id)) continue;
        if (picks[i] < 0 || static_cast<std::size_t>(picks[i]) >= prototypes->size())
            scene_.bad(p, fmt::format("shows prototype {}, but there are only {}", picks[i], prototypes->size()));
        const int prototype = scene_.stage->prim_at((*prototypes)[static_cast<std::size_t>(picks[i])]);
        if (prototype < 0) continue;
        M44d m;
        if (!rotations.empty() && rotations[i].length() > 1e-12) m = rotations[i].normalized().toMatrix44();
        for (int row = 0; row < 3 && !scales.empty(); ++row) {
            for (int k = 0; k < 3; ++k) m[row][k] *= scales[i][row];
        }
        m[3][0] = places[i].x, m[3][1] = places[i].y, m[3][2] = places[i].z;
        Place here;
        here.instanced = true;
        here.now = here.before = here.after = m * at.now;
        const int parent = scene_.prim(prototype).parent;
        here.base = (parent >= 0 ? scene_.world(parent, w.time).inverse() : M44d()) * here.now;
        walk(w, prototype, here, depth + 1);
    }
}

void UsdDrawing::meshes(double time, const Sink& sink) const {
    Walk w{time, false, sink};
    for (std::size_t i = 0; i < scene_.stage->prims.size(); ++i) {
        const UsdPrim& p = scene_.prim(static_cast<int>(i));
        if (p.parent < 0 && p.drawn) walk(w, static_cast<int>(i), {}, 0);
    }
}

void UsdDrawing::points(double time, const Sink& sink) const {
    Walk w{time, true, sink};
    for (std::size_t i = 0; i < scene_.stage->prims.size(); ++i) {
        const UsdPrim& p = scene_.prim(static_cast<int>(i));
        if (p.parent < 0 && p.drawn) walk(w, static_cast<int>(i), {}, 0);
    }
}

} // namespace garland
