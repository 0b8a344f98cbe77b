#include "io/usd/usd_scene.h"

#include "core/geometry/corner_normals.h"
#include "core/geometry/directions.h"
#include "io/sources/pose_check.h"

#include <Imath/ImathMatrixAlgo.h>

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
    const bool has_normals = !pose.normals.empty() || !pose.corner_normals.empty();
    const M44d normals = has_normals ? flat.inverse().transposed() : M44d();
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
    for (auto* list : {&pose.normals, &pose.corner_normals}) {
        for (V3f& n : *list) {
            turn(n, normals);
            n.normalize();
        }
    }
    auto turned = [&](V3f v) { return turn(v, m), v; };
    turn_directions(pose.attributes, 0, pose.points.size(), turned);
    pose.faces = turned_faces(pose.faces, turned);
    // A mirrored mesh is seen from the other side.
    if (flat.determinant() < 0 && pose.faces->count() > 0) {
        auto faces = std::make_shared<Faces>(*pose.faces);
        turn_corners_round(pose.corner_normals, *faces);
        turn_round(*faces);
        pose.faces = faces;
    }
}

} // namespace

struct UsdDrawing::Walk {
    double time;
    UsdShown shown;
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
        if (scene_.in_picture(prim) && w.shown == UsdShown::instances) instance_points(w, prim, at);
        if (scene_.in_picture(prim) && w.shown != UsdShown::instances) instances(w, prim, at, depth);
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
        if (a.name == "normals" || a.name == "primvars:normals") continue; // kept beside the faces
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
    if (w.shown == UsdShown::instances || cloud != (w.shown == UsdShown::points)) return;
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

namespace {

// Which instances an instancer has at a time, in its own space. Lists are empty or one entry an instance.
struct Instances {
    std::vector<std::int64_t> picks, ids, hidden; // hidden: ids that are not shown, rising
    std::vector<V3f> places, scales, velocities;
    std::vector<Quatd> rotations;

    std::int64_t id(std::size_t i) const { return ids.empty() ? static_cast<std::int64_t>(i) : ids[i]; }
    bool seen(std::size_t i) const { return !std::binary_search(hidden.begin(), hidden.end(), id(i)); }
    M44d matrix(std::size_t i) const { // scale, then orientation, then position
        M44d m;
        if (!rotations.empty() && rotations[i].length() > 1e-12) m = rotations[i].normalized().toMatrix44();
        for (int row = 0; row < 3 && !scales.empty(); ++row) {
            for (int k = 0; k < 3; ++k) m[row][k] *= scales[i][row];
        }
        m[3][0] = places[i].x, m[3][1] = places[i].y, m[3][2] = places[i].z;
        return m;
    }
};

class InstanceReader {
  public:
    InstanceReader(const UsdScene& scene, int prim, double time) : scene_(scene), p_(scene.prim(prim)), time_(time) {}

    Instances read() const {
        Instances out;
        const UsdAttribute *which = p_.find("protoIndices"), *positions = p_.find("positions");
        if (!which || !positions) return out;
        out.picks = scene_.wholes(*which, time_);
        out.places = scene_.vectors(*positions, time_);
        const UsdAttribute* turns = p_.find("orientationsf");
        if (!turns) turns = p_.find("orientations");
        if (turns) out.rotations = scene_.rotations(*turns, time_);
        if (const auto* v = p_.find("scales")) out.scales = scene_.vectors(*v, time_);
        if (const auto* v = p_.find("ids")) out.ids = scene_.wholes(*v, time_);
        if (const auto* v = p_.find("invisibleIds")) out.hidden = scene_.wholes(*v, time_);
        if (const auto* v = p_.find("velocities")) out.velocities = scene_.vectors(*v, time_);
        out.hidden.insert(out.hidden.end(), p_.inactive.begin(), p_.inactive.end());
        std::sort(out.hidden.begin(), out.hidden.end());
        if (out.velocities.size() != out.places.size()) out.velocities.clear();
        compare(out);
        go_on(*positions, turns, out);
        return out;
    }

  private:
    void compare(const Instances& n) const {
        if (n.places.size() != n.picks.size())
            scene_.bad(p_, fmt::format("has {} places for {} instances", n.places.size(), n.picks.size()));
        for (const auto& [name, size] :
             {std::pair{"orientations", n.rotations.size()}, {"scales", n.scales.size()}, {"ids", n.ids.size()}}) {
            if (size != 0 && size != n.picks.size())
                scene_.bad(p_, fmt::format("has {} {} for {} instances", size, name, n.picks.size()));
        }
    }
    // Between samples places go on along their velocities, where they have some from the same moment.
    std::pair<std::vector<V3f>, double> along(const UsdAttribute* value, const char* name) const {
        const UsdAttribute* v = p_.find(name);
        if (!v || !value || value->clips || v->clips) return {};
        const auto own = value->sample_times(), theirs = v->sample_times();
        const auto after = std::upper_bound(own.begin(), own.end(), time_);
        if (after == own.begin()) return {};
        const double from = *(after - 1);
        if (from >= time_ || !std::binary_search(theirs.begin(), theirs.end(), from)) return {};
        return {scene_.vectors(*v, from), from};
    }
    void go_on(const UsdAttribute& positions, const UsdAttribute* turns, Instances& n) const {
        const double codes = scene_.stage->root->codes_a_second;
        if (const auto [v, from] = along(&positions, "velocities"); !v.empty()) {
            const auto start = scene_.vectors(positions, from);
            for (std::size_t i = 0; i < n.places.size() && v.size() == n.places.size() && start.size() == v.size(); ++i)
                n.places[i] = start[i] + v[i] * static_cast<float>((time_ - from) / codes);
        }
        if (const auto [v, from] = along(turns, "angularVelocities"); !v.empty()) {
            const auto start = scene_.rotations(*turns, from);
            for (std::size_t i = 0;
                 i < n.rotations.size() && v.size() == n.rotations.size() && start.size() == v.size(); ++i) {
                const double degrees = V3d(v[i]).length() * (time_ - from) / codes;
                Quatd turn;
                if (degrees > 0) turn.setAxisAngle(V3d(v[i]).normalized(), degrees * M_PI / 180);
                n.rotations[i] = turn * start[i];
            }
        }
    }

    const UsdScene& scene_;
    const UsdPrim& p_;
    double time_;
};

// Keeps those entries of a pose's attributes whose index is in `kept`.
void keep_values(std::vector<Attribute>& attributes, const std::vector<std::size_t>& kept) {
    for (Attribute& a : attributes) {
        const auto w = static_cast<std::size_t>(a.width);
        for (std::size_t to = 0; to < kept.size(); ++to) {
            for (std::size_t k = 0; k < w; ++k) {
                if (!a.values.empty()) a.values[to * w + k] = a.values[kept[to] * w + k];
                if (!a.whole.empty()) a.whole[to * w + k] = a.whole[kept[to] * w + k];
            }
        }
        if (!a.values.empty()) a.values.resize(kept.size() * w);
        if (!a.whole.empty()) a.whole.resize(kept.size() * w);
    }
}

} // namespace

void UsdDrawing::instances(Walk& w, int prim, const Place& at, int depth) const {
    const UsdPrim& p = scene_.prim(prim);
    if (depth >= nested_instancers) scene_.bad(p, "is an instancer inside too many others", ErrorCode::too_large);
    const auto* prototypes = p.targets("prototypes");
    if (!prototypes) return;
    const Instances all = InstanceReader(scene_, prim, w.time).read();
    for (std::size_t i = 0; i < all.picks.size(); ++i) {
        if (!all.seen(i)) continue;
        if (all.picks[i] < 0 || static_cast<std::size_t>(all.picks[i]) >= prototypes->size())
            scene_.bad(p, fmt::format("shows prototype {}, but there are only {}", all.picks[i], prototypes->size()));
        const int prototype = scene_.stage->prim_at((*prototypes)[static_cast<std::size_t>(all.picks[i])]);
        if (prototype < 0) continue;
        Place here;
        here.instanced = true;
        here.now = here.before = here.after = all.matrix(i) * at.now;
        const int parent = scene_.prim(prototype).parent;
        here.base = (parent >= 0 ? scene_.world(parent, w.time).inverse() : M44d()) * here.now;
        walk(w, prototype, here, depth + 1);
    }
}

// A point an instance: where it stands, how it is turned and sized, and which prototype it shows.
void UsdDrawing::instance_points(Walk& w, int prim, const Place& at) const {
    const Instances all = InstanceReader(scene_, prim, w.time).read();
    Pose pose, values;
    values.points = all.places;
    usd_primvars(scene_, prim, w.time, values, nullptr);
    Attribute orient{"orient", 4}, size{"size", 1}, prototype{"prototype", 1};
    std::vector<std::size_t> kept;
    for (std::size_t i = 0; i < all.picks.size(); ++i) {
        if (!all.seen(i)) continue;
        kept.push_back(i);
        M44d m = all.matrix(i) * at.now;
        const double volume = std::abs(m.determinant());
        pose.points.emplace_back(m[3][0], m[3][1], m[3][2]);
        pose.ids.push_back(all.id(i));
        size.values.push_back(static_cast<float>(std::cbrt(volume)));
        Quatd q;
        if (volume > 0 && Imath::removeScalingAndShear(m, false)) q = Imath::extractQuat(m).normalized();
        for (const double v : {q.v.x, q.v.y, q.v.z, q.r}) orient.values.push_back(static_cast<float>(v));
        prototype.whole.push_back(static_cast<std::int32_t>(std::clamp<std::int64_t>(all.picks[i], -1, 1 << 30)));
        if (all.velocities.empty()) continue;
        V3d moved;
        at.now.multDirMatrix(V3d(all.velocities[i]), moved);
        pose.velocities.emplace_back(moved);
    }
    w.points += pose.points.size();
    if (w.points > point_limit)
        scene_.bad(scene_.prim(prim), "is one of more points than can be counted", ErrorCode::too_large);
    keep_values(values.attributes, kept);
    pose.attributes = std::move(values.attributes);
    for (Attribute* a : {&orient, &size, &prototype}) pose.attributes.push_back(std::move(*a));
    w.sink(prim, std::move(pose));
}

void UsdDrawing::draw(double time, UsdShown shown, const Sink& sink) const {
    Walk w{time, shown, sink};
    for (std::size_t i = 0; i < scene_.stage->prims.size(); ++i) {
        const UsdPrim& p = scene_.prim(static_cast<int>(i));
        if (p.parent < 0 && p.drawn) walk(w, static_cast<int>(i), {}, 0);
    }
}

} // namespace garland
