#include "io/handoff/placed_copy.h"

#include "core/base/portable_math.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace garland {

namespace {

// Points or directions of a copy's own space: stretched, turned about the upright, moved.
void turned(const std::vector<V3f>& from, float c, float s, V3f scale, V3f move, std::vector<V3f>& out) {
    out.resize(from.size());
    for (std::size_t i = 0; i < from.size(); ++i) {
        const V3f p = from[i] * scale;
        out[i] = V3f((p.x * c + p.z * s) + move.x, p.y + move.y, (p.z * c - p.x * s) + move.z);
    }
}

// The velocity of a wobbling copy as a rigid body: its place, its turn about its own upright, its size.
void add_wobble(const WobbleSample& motion, const Placement& place, double frames_a_second,
                const std::vector<V3f>& points, std::vector<V3f>& velocities) {
    const V3f moving(motion.position_rate * frames_a_second), middle(place.position);
    const auto turn = static_cast<float>(motion.turn_rate * std::numbers::pi / 180 * frames_a_second);
    const auto growth = static_cast<float>(motion.size_rate * frames_a_second);
    for (std::size_t i = 0; i < velocities.size(); ++i) {
        const V3f arm = points[i] - middle;
        velocities[i] += moving + V3f(arm.z, 0, -arm.x) * turn + arm * growth;
    }
}

} // namespace

// A mixed pose's velocities have their own local speeds in them already.
double velocity_factor(const Posed& posed, std::size_t copy, const Show& show) {
    const SourceClock& clock = posed.arrangement->clock;
    const bool mixed = posed.poses[posed.picks.copies[copy]].mixed;
    double speed = posed.moments[copy].speed;
    if (mixed) speed = posed.moments[copy].rate;
    return speed * clock.files_per_frame * clock.file_seconds * show.settings.rate.per_second();
}

void place_copy(const Posed& posed, std::size_t i, const Show& show, PlacedCopy& out) {
    const Pose& pose = *posed.poses[posed.picks.copies[i]].pose;
    const Placement& place = posed.places()[i];
    const double angle = place.turn * std::numbers::pi / 180;
    const auto c = static_cast<float>(portable::cos(angle)), s = static_cast<float>(portable::sin(angle));
    const V3f size = place.stretch * static_cast<float>(place.size),
              upright(1 / place.stretch.x, 1 / place.stretch.y, 1 / place.stretch.z);
    turned(pose.points, c, s, size, V3f(place.position), out.points);
    turned(pose.normals, c, s, upright, V3f(0), out.normals);
    if (place.stretch != V3f(1)) {
        for (V3f& n : out.normals) n.normalize();
    }
    out.turned.clear();
    if (std::any_of(pose.attributes.begin(), pose.attributes.end(), [](const Attribute& a) { return a.vector; })) {
        out.turned = pose.attributes;
        for (Attribute& a : out.turned) {
            for (std::size_t k = 0; a.vector && k + 2 < a.values.size(); k += 3) {
                const float x = a.values[k], z = a.values[k + 2];
                a.values[k] = x * c + z * s, a.values[k + 2] = z * c - x * s;
            }
        }
    }
    turned(pose.velocities, c, s, size * static_cast<float>(velocity_factor(posed, i, show)), V3f(0), out.velocities);
    if (!posed.motion.empty() && !out.velocities.empty()) {
        add_wobble(posed.motion[i], place, show.settings.rate.per_second(), out.points, out.velocities);
    }
}

} // namespace garland
