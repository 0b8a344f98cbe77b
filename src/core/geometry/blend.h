// Poses between two frames. The stored pose itself is returned at both ends, exact and without work.
#pragma once

#include "core/base/words.h"
#include "core/geometry/pose.h"

#include <cstddef>

namespace garland {

// out[i] = a[i] + w·(b[i] − a[i]) for count floats; bit-exact a at w = 0 and b at w = 1; out may be a or b.
void mix(const float* a, const float* b, float w, float* out, std::size_t count);

// How a pose between two frames of fixed faces is made.
enum class SubFrame {
    nearest, // the frame that is closer; halfway counts as the later one
    linear,
    smooth,    // cubic Hermite through the points' velocities; here linear where there are none (see blend_through)
    carried,   // the nearer frame moved along its velocities; volumes: both, moved along theirs and mixed
    level_set, // meshes whose faces change: distance fields of both, mixed, and meshed again (see level_set.h)
};
inline constexpr Word<SubFrame> sub_frame_words[] = {{"nearest", SubFrame::nearest},
                                                     {"linear", SubFrame::linear},
                                                     {"smooth", SubFrame::smooth},
                                                     {"carried", SubFrame::carried},
                                                     {"level set", SubFrame::level_set}};

// Whether two poses can be mixed: as many points and faces of the same shape (or shared); or particles with ids; or
// volumes.
bool mixable(const Pose& a, const Pose& b);

// The pose at w of the way from a to b, 0 ≤ w ≤ 1, which lie `seconds` apart on the source's clock. Points by `how`;
// velocities, colours, texture coordinates and attributes linearly; normals linearly, then made unit length. Values
// that only one of the two has are left out; whole numbers are those of the nearer pose. Particles: see particles.h;
// volumes: see volume.h. The poses must be mixable; at w = 0 and w = 1 the pose itself is returned.
PosePtr blend(const PosePtr& a, const PosePtr& b, double w, SubFrame how, double seconds);

// The same through the poses on both sides: cubic Hermite whose slope at each pose is that of the parabola through it
// and its two neighbours (A. W. Overhauser, "Analytic definition of curves and surfaces by parabolic blending", 1968;
// at even distances the spline of E. Catmull and R. Rom, 1974). Where a side has no pose, that end has the slope of the
// parabola through the other three. So motion along a parabola is met exactly, beside gaps and at both ends too.
// `away`: how far the pose is from a (from b), in distances of a and b.
struct Beside {
    PosePtr pose; // mixable with a and b, or nothing
    double away = 1;
};
PosePtr blend_through(const Beside& before, const PosePtr& a, const PosePtr& b, const Beside& after, double w);

// Every point moved along its velocity for so many seconds; the pose itself where it has none, or for 0 seconds.
PosePtr moved_along(const PosePtr& pose, double seconds);

// The nearer of two poses `seconds` apart, moved along its velocities to w of the way.
PosePtr carried(const PosePtr& a, const PosePtr& b, double w, double seconds);

// The pose with the normals of its faces in place of its own.
PosePtr with_normals_of_faces(const PosePtr& pose);

// The slopes at a and b of such a curve, where a and b are one apart.
template <class Vector>
void parabolic_slopes(const Vector* before, double before_away, const Vector& a, const Vector& b, const Vector* after,
                      double after_away, Vector& leave, Vector& arrive) {
    const Vector straight = b - a;
    leave = arrive = straight;
    using Number = typename Vector::BaseType;
    const auto h = static_cast<Number>(before_away), k = static_cast<Number>(after_away);
    if (before) leave = ((a - *before) * (1 / h) + straight * h) * (1 / (1 + h));
    if (after) arrive = ((*after - b) * (1 / k) + straight * k) * (1 / (1 + k));
    if (!before && after) leave = straight * 2 - arrive; // one parabola through all three
    if (before && !after) arrive = straight * 2 - leave;
}

// The list that is `w` of the way from a to b: floats mixed, whole numbers from the nearer; for attributes that both
// have with the same name, width and kind.
std::vector<Attribute> mix_attributes(const std::vector<Attribute>& a, const std::vector<Attribute>& b, float w);

const char* to_text(SubFrame how); // "nearest", "linear", "smooth", "carried", "level set"

} // namespace garland
