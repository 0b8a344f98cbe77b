// Rigid pieces: parts of a mesh that move as wholes.
#pragma once

#include "core/geometry/pose.h"

#include <Imath/ImathQuat.h>
#include <span>

namespace garland {

using Imath::Quatd;

struct PieceTransform {
    V3d position{0, 0, 0};
    Quatd rotation{}; // unit length
};

// At w of the way from a to b: positions straight, rotations along the shortest arc at even speed (K. Shoemake,
// "Animating rotation with quaternion curves", 1985).
// A rotation w of the way along the shortest arc, at even speed (K. Shoemake, "Animating rotation with quaternion
// curves", 1985).
Quatd turn_between(const Quatd& a, Quatd b, double w);

PieceTransform between(const PieceTransform& a, const PieceTransform& b, double w);

// The same, positions by cubic Hermite through the transforms before and after (null: there is none), which lie `away`
// distances of a and b from them.
struct PieceBeside {
    const PieceTransform* transform = nullptr;
    double away = 1;
};
PieceTransform between_smoothly(PieceBeside before, const PieceTransform& a, const PieceTransform& b, PieceBeside after,
                                double w);

// How a piece moves: its place, and its turn about it (radians, along the axis), a unit of time.
struct PieceMotion {
    V3d move{0, 0, 0}, turn{0, 0, 0};
};
// The steady motion that leads from a to b in `apart`, by the shortest arc.
PieceMotion motion_between(const PieceTransform& a, const PieceTransform& b, double apart);
// That of between_smoothly() at w, a and b lying `apart`.
PieceMotion motion_smoothly(PieceBeside before, const PieceTransform& a, const PieceTransform& b, PieceBeside after,
                            double w, double apart);

// The rest mesh with every point moved by its piece's transform, and normals turned. piece_of: one a point.
// motions: one a piece, from which points get velocities (v + ω × r), or none.
PosePtr placed(const Pose& rest, std::span<const std::uint32_t> piece_of, std::span<const PieceTransform> transforms,
               std::span<const PieceMotion> motions = {});

} // namespace garland
