#include "core/scene/placed_copy.h"

#include "core/base/angles.h"
#include "core/geometry/directions.h"

#include "core/copies/attitude.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace garland {

namespace {

// The copy's own axes in the scene, in floats: what is turned about the upright alone keeps its heights to the bit.
struct Turned {
    bool upright = true;
    float c = 1, s = 0;
    V3f x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1};
    explicit Turned(const Placement& place) : upright(!tilted(place)) {
        const Axes axes = axes_of(place);
        x = V3f(axes.x), y = V3f(axes.y), z = V3f(axes.z);
        c = x.x, s = z.x;
    }
    V3f operator()(const V3f& p) const {
        if (upright) return {p.x * c + p.z * s, p.y, p.z * c - p.x * s};
        return x * p.x + y * p.y + z * p.z;
    }
};

// Points or directions of a copy's own space: stretched, turned, moved. out: room for as many.
void turned(const std::vector<V3f>& from, const Turned& turn, V3f scale, V3f move, V3f* out) {
    if (turn.upright) {
        const float c = turn.c, s = turn.s;
        for (std::size_t i = 0; i < from.size(); ++i) {
            const V3f p = from[i] * scale;
            out[i] = V3f(p.x * c + p.z * s, p.y, p.z * c - p.x * s) + move;
        }
        return;
    }
    for (std::size_t i = 0; i < from.size(); ++i) out[i] = turn(from[i] * scale) + move;
}
void turned(const std::vector<V3f>& from, const Turned& turn, V3f scale, V3f move, std::vector<V3f>& out) {
    out.resize(from.size());
    turned(from, turn, scale, move, out.data());
}

// The velocity of a copy that moves as a rigid body and grows.
void add_motion(const CopyMotion& motion, const Placement& place, double frames_a_second,
                const std::vector<V3f>& points, std::vector<V3f>& velocities) {
    const V3f moving(motion.move * frames_a_second), middle(place.position);
    const V3f spin(motion.spin * (radians * frames_a_second));
    const auto growth = static_cast<float>(motion.growth * frames_a_second);
    for (std::size_t i = 0; i < velocities.size(); ++i) {
        const V3f arm = points[i] - middle;
        velocities[i] += moving + spin.cross(arm) + arm * growth;
    }
}

// From the copy's own space into the one that is written: x, y, z, w of a quaternion each.
void turn_orientations(Attribute& a, const Imath::Quatd& attitude, const WrittenAs& as) {
    const double half = std::numbers::sqrt2 / 2;
    const Imath::Quatd turn = as.z_up ? Imath::Quatd(half, half, 0, 0) * attitude : attitude;
    for (std::size_t k = 0; k + 3 < a.values.size(); k += 4) {
        const Imath::Quatd q = turn * Imath::Quatd(a.values[k + 3], a.values[k], a.values[k + 1], a.values[k + 2]);
        const double all[4] = {q.v.x, q.v.y, q.v.z, q.r};
        for (std::size_t n = 0; n < 4; ++n) a.values[k + n] = static_cast<float>(all[n]);
    }
}

// From the scene's space into the one that is written.
void into_space(PlacedCopy& out) {
    const WrittenAs& as = out.as;
    if (as.usual_space()) return;
    for (V3f& p : out.points) p = as.sized(p);
    for (V3f& v : out.velocities) v = as.sized(v);
    for (V3f& n : out.normals) n = as.turned(n);
    for (V3f& n : out.corner_normals) n = as.turned(n);
}

} // namespace

VolumePlace volume_place(const Placement& place, const WrittenAs& as) {
    const Axes axes = axes_of(place);
    return {as.turned(axes.x), as.turned(axes.y), as.turned(axes.z), V3d(place.stretch) * place.size / as.unit,
            as.sized(place.position)};
}

// A mixed pose's velocities have their own local speeds in them already.
double velocity_factor(const Posed& posed, std::size_t copy) {
    const SourceClock& clock = posed.arrangement->clock;
    const bool mixed = posed.poses[posed.picks.copies[copy]].mixed;
    double speed = posed.moments[copy].speed;
    if (mixed) speed = posed.moments[copy].rate;
    return speed * clock.files_per_frame * clock.file_seconds * posed.arrangement->rate.per_second();
}

void place_points(const Posed& posed, std::size_t i, const WrittenAs& as, V3f* out) {
    const std::vector<V3f>& points = posed.poses[posed.picks.copies[i]].pose->points;
    const Placement& place = posed.places()[i];
    turned(points, Turned(place), place.stretch * static_cast<float>(place.size), V3f(place.position), out);
    if (as.usual_space()) return;
    for (std::size_t k = 0; k < points.size(); ++k) out[k] = as.sized(out[k]);
}

std::shared_ptr<const Faces> placed_faces(const Posed& posed, std::size_t i, const WrittenAs& as) {
    const std::shared_ptr<const Faces>& own = posed.poses[posed.picks.copies[i]].pose->faces;
    if (!as.attributes) return own;
    const Turned turn(posed.places()[i]);
    return turned_faces(own, [&](const V3f& v) { return as.turned(turn(v)); });
}

void place_copy(const Posed& posed, std::size_t i, PlacedCopy& out) {
    const Pose& pose = *posed.poses[posed.picks.copies[i]].pose;
    const Placement& place = posed.places()[i];
    const Turned turn(place);
    const V3f size = place.stretch * static_cast<float>(place.size),
              across(1 / place.stretch.x, 1 / place.stretch.y, 1 / place.stretch.z);
    turned(pose.points, turn, size, V3f(place.position), out.points);
    turned(pose.normals, turn, across, V3f(0), out.normals);
    turned(pose.corner_normals, turn, across, V3f(0), out.corner_normals);
    if (place.stretch != V3f(1)) {
        for (V3f& n : out.normals) n.normalize();
        for (V3f& n : out.corner_normals) n.normalize();
    }
    out.turned.clear();
    if (out.as.attributes && std::any_of(pose.attributes.begin(), pose.attributes.end(),
                                         [](const Attribute& a) { return is_direction(a) || is_orientation(a); })) {
        out.turned = pose.attributes;
        for (Attribute& a : out.turned) {
            if (is_orientation(a)) turn_orientations(a, attitude_of(place), out.as);
        }
        turn_directions(out.turned, 0, pose.points.size(), [&](const V3f& v) { return out.as.turned(turn(v)); });
    }
    out.faces = placed_faces(posed, i, out.as);
    turned(pose.velocities, turn, size * static_cast<float>(velocity_factor(posed, i)), V3f(0), out.velocities);
    if (!posed.motion.empty() && !out.velocities.empty()) {
        add_motion(posed.motion[i], place, posed.arrangement->rate.per_second(), out.points, out.velocities);
    }
    if (!out.as.velocities) out.velocities.clear();
    into_space(out);
}

} // namespace garland
