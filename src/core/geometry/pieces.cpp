#include "core/geometry/pieces.h"

#include "core/base/cubic.h"
#include "core/base/parallel.h"
#include "core/base/portable_math.h"
#include "core/geometry/blend.h"

#include <cmath>

namespace garland {

Quatd turn_between(const Quatd& a, Quatd b, double w) {
    double cosine = a.r * b.r + (a.v ^ b.v);
    if (cosine < 0) { // the other way round is the longer arc
        b = -b;
        cosine = -cosine;
    }
    // Nearly the same: the sine's quotient would lose its digits, and the chord is the arc.
    if (cosine > 1 - 1e-12) return (a * (1 - w) + b * w).normalized();
    const double angle = portable::acos(std::min(cosine, 1.0)), sine = portable::sin(angle);
    return (a * (portable::sin((1 - w) * angle) / sine) + b * (portable::sin(w * angle) / sine)).normalized();
}

PieceTransform between(const PieceTransform& a, const PieceTransform& b, double w) {
    if (w <= 0) return a;
    if (w >= 1) return b;
    return {a.position + (b.position - a.position) * w, turn_between(a.rotation, b.rotation, w)};
}

PieceTransform between_smoothly(PieceBeside before, const PieceTransform& a, const PieceTransform& b, PieceBeside after,
                                double w) {
    PieceTransform out = between(a, b, w);
    if (w <= 0 || w >= 1) return out;
    const V3d &p = a.position, &q = b.position;
    V3d leave, arrive;
    parabolic_slopes(before.transform ? &before.transform->position : nullptr, before.away, p, q,
                     after.transform ? &after.transform->position : nullptr, after.away, leave, arrive);
    const HermiteBasis<double> by(w);
    out.position = p * by.start + q * by.end + leave * by.leave + arrive * by.arrive;
    return out;
}

PieceMotion motion_between(const PieceTransform& a, const PieceTransform& b, double apart) {
    Quatd turn = b.rotation * a.rotation.inverse(); // takes a's rotation to b's
    if (turn.r < 0) turn = -turn;
    const double sine = turn.v.length(), angle = 2 * portable::atan2(sine, turn.r);
    return {(b.position - a.position) / apart, sine > 0 ? turn.v * (angle / sine / apart) : V3d(0)};
}

PieceMotion motion_smoothly(PieceBeside before, const PieceTransform& a, const PieceTransform& b, PieceBeside after,
                            double w, double apart) {
    PieceMotion out = motion_between(a, b, apart);
    const V3d &p = a.position, &q = b.position;
    V3d leave, arrive;
    parabolic_slopes(before.transform ? &before.transform->position : nullptr, before.away, p, q,
                     after.transform ? &after.transform->position : nullptr, after.away, leave, arrive);
    const double w2 = w * w;
    out.move =
        (p * (6 * w2 - 6 * w) + q * (6 * w - 6 * w2) + leave * (3 * w2 - 4 * w + 1) + arrive * (3 * w2 - 2 * w)) /
        apart;
    return out;
}

PosePtr placed(const Pose& rest, std::span<const std::uint32_t> piece_of, std::span<const PieceTransform> transforms,
               std::span<const PieceMotion> motions) {
    auto pose = std::make_shared<Pose>(rest);
    if (!motions.empty()) pose->velocities.resize(rest.points.size());
    struct Rigid {
        Imath::M33d turn;
        V3d move;
    };
    std::vector<Rigid> rigid;
    for (const PieceTransform& t : transforms) rigid.push_back({t.rotation.toMatrix33(), t.position});
    const bool normals = rest.normals.size() == rest.points.size();
    parallel_for(rest.points.size(), 16384, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const Rigid& r = rigid[piece_of[i]];
            const V3d arm = V3d(rest.points[i]) * r.turn;
            pose->points[i] = V3f(arm + r.move);
            if (!motions.empty())
                pose->velocities[i] = V3f(motions[piece_of[i]].move + motions[piece_of[i]].turn.cross(arm));
            if (normals) pose->normals[i] = V3f(V3d(rest.normals[i]) * r.turn);
        }
    });
    for (std::size_t c = 0; c < rest.corner_normals.size(); ++c)
        pose->corner_normals[c] = V3f(V3d(rest.corner_normals[c]) * rigid[piece_of[rest.faces->corners[c]]].turn);
    return pose;
}

} // namespace garland
