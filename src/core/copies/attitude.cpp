#include "core/copies/attitude.h"

#include "core/base/angles.h"
#include "core/base/portable_math.h"

#include <cmath>

namespace garland {

namespace {

using Quat = Imath::Quatd;

Quat about(const V3d& axis, double degrees) {
    const double half = degrees * radians / 2;
    return {portable::cos(half), axis * portable::sin(half)};
}

Quat unit(const Quat& q) {
    const double length = std::sqrt(q.r * q.r + q.v.dot(q.v));
    return {q.r / length, q.v / length};
}

// The smallest rotation from one unit vector to another.
Quat shortest(const V3d& from, const V3d& to) {
    const double w = 1 + from.dot(to);
    if (w > 1e-12) return unit({w, from.cross(to)});
    V3d side = std::abs(from.x) < 0.9 ? V3d(1, 0, 0) : V3d(0, 0, 1); // half a turn about anything across
    side = (side - from * side.dot(from)).normalized();
    return {0, side};
}

V3d rotated(const Quat& q, const V3d& v) {
    const V3d t = q.v.cross(v) * 2;
    return v + t * q.r + q.v.cross(t);
}

Quat of_axes(const V3d& turn) { // y, then x, then z of what is turned already
    return about({0, 1, 0}, turn.y) * about({1, 0, 0}, turn.x) * about({0, 0, 1}, turn.z);
}

} // namespace

Axes axes_of(const Placement& p) {
    const double angle = p.turn * radians, c = portable::cos(angle), s = portable::sin(angle);
    Axes out{{c, 0, -s}, {0, 1, 0}, {s, 0, c}};
    if (!tilted(p)) return out;
    return {rotated(p.tilt, out.x), rotated(p.tilt, out.y), rotated(p.tilt, out.z)};
}

Imath::Quatd attitude_of(const Placement& p) {
    return p.tilt * about({0, 1, 0}, p.turn);
}

void lean(Placement& p, double pitch, double bank) {
    const double angle = p.turn * radians, c = portable::cos(angle), s = portable::sin(angle);
    p.tilt = unit(p.tilt * about({c, 0, -s}, pitch) * about({s, 0, c}, bank));
}

void turn_further(Placement& p, const V3d& turn) {
    if (turn == V3d(0)) return;
    if (turn.x == 0 && turn.z == 0 && !tilted(p)) {
        p.turn += turn.y;
        return;
    }
    p.tilt = unit(of_axes(turn) * p.tilt);
}

void pitch_along(Placement& p, const V3d& direction, double bank) {
    const double length = direction.length();
    if (!(length > 0)) return;
    const V3d to = direction / length;
    V3d level(to.x, 0, to.z);
    if (!(level.length() > 1e-12)) { // straight up or down: by the way it is turned
        const double angle = p.turn * radians;
        level = V3d(portable::sin(angle), 0, portable::cos(angle));
    }
    level.normalize();
    Quat tilt = shortest(level, to);
    if (bank != 0) tilt = tilt * about(level, bank);
    p.tilt = unit(tilt);
}

void stand_on(Placement& p, const V3d& up) {
    const double length = up.length();
    if (length > 0) p.tilt = shortest({0, 1, 0}, up / length);
}

void stand_as(Placement& p, const Imath::Quatd& orient, double carrier_turn) {
    // The turn of the carriers is in p.turn as well, and so is taken back before their own turning.
    p.tilt = unit(about({0, 1, 0}, carrier_turn) * orient * about({0, 1, 0}, -carrier_turn));
}

V3d forward_of(const Imath::Quatd& orient) {
    return rotated(orient, {0, 0, 1});
}

Imath::Box3d box_of(const Placement& p, const Imath::Box3f& own) {
    Imath::Box3d out;
    if (own.isEmpty()) return out;
    const Axes axes = axes_of(p);
    for (int c = 0; c < 8; ++c) {
        const V3d corner(c & 1 ? own.max.x : own.min.x, c & 2 ? own.max.y : own.min.y, c & 4 ? own.max.z : own.min.z);
        out.extendBy(p.position + axes.scene(corner * V3d(p.stretch) * p.size));
    }
    return out;
}

V3d rotation_between(const Placement& from, const Placement& to) {
    if (!tilted(from) && !tilted(to)) return {0, std::remainder(to.turn - from.turn, 360.0), 0};
    const Quat a = attitude_of(from), b = attitude_of(to);
    Quat q = b * Quat(a.r, -a.v); // of unit length both
    if (q.r < 0) q = Quat(-q.r, -q.v);
    const double sine = q.v.length();
    if (!(sine > 0)) return V3d(0);
    return q.v * (2 * portable::atan2(sine, q.r) / radians / sine);
}

} // namespace garland
