// Keyed parts: a hierarchy of nodes with animated transforms, meshes with morph targets, skins.
#pragma once

#include "core/geometry/key_track.h"

#include <Imath/ImathMatrix.h>
#include <array>
#include <optional>
#include <span>

namespace garland {

using Imath::M44d;

struct PartMesh {
    Pose base; // faces among its own points
    struct Target {
        std::vector<V3f> points, normals; // differences; one a point, or empty
    };
    std::vector<Target> targets;
    int joint_sets = 0; // skinned: how many entries of the two lists below belong to each point
    std::vector<std::array<std::uint16_t, 4>> joints; // into the skin's joints
    std::vector<std::array<float, 4>> weights;
};

// One operation of a node's transform, with its own value in time: what USD calls an xformOp (Alliance for OpenUSD,
// UsdGeomXformable). Each is evaluated at the time by itself, and only then are all multiplied.
struct PartOp {
    enum Kind { translate, scale, rotate, orient, matrix } kind = translate;
    std::string axes{};            // rotate: "X", or "XYZ" (about X first), with as many angles in degrees
    bool inverse = false;          // of what its value says
    std::array<double, 16> rest{}; // without a track; orient: x y z w; matrix: row by row, for row vectors
    int track = -1;                // values of the same form
};

struct PartNode {
    std::string name;
    int parent = -1; // always an earlier node
    V3d translation{0, 0, 0};
    Quatd rotation{};
    V3d scale{1, 1, 1};
    std::optional<M44d> matrix; // in place of the three, for row vectors
    std::vector<PartOp> ops;    // in place of all of these; the first one acts on the points first
    std::vector<int> meshes;
    int skin = -1;
    std::vector<float> weights; // of its meshes' targets
};

struct PartSkin {
    std::vector<int> joints; // nodes
    std::vector<M44d> inverse_bind;
};

enum class PartPath {
    translation,
    rotation,
    scale,
    weights,
    visible, // one number, by steps; below a half the node and all below it are not there: they shrink to its place
};

struct PartChannel {
    int node = 0;
    PartPath path = PartPath::translation;
    int track = 0;
};

struct KeyedModel {
    std::vector<PartNode> nodes; // parents before children
    std::vector<PartMesh> meshes;
    std::vector<PartSkin> skins;
    std::vector<KeyTrack> tracks;
    std::vector<PartChannel> channels;

    double start() const; // of the first key, seconds; 0 without keys
    double end() const;
    std::size_t points() const; // of a pose
    int root() const;           // the first node with animated translation whose parents are still; −1: none
};

// What is the same at all times: faces of all parts, and their points' texture coordinates, colours and attribute
// `part` (whole numbers: which node each point belongs to).
PosePtr shared_parts(const KeyedModel& model);

// The matrix that an operation with this value stands for, for row vectors. `value`: as PartOp::rest has it. A
// quaternion without length stands for no rotation.
M44d op_matrix(const PartOp& op, std::span<const double> value);

// Every node's transform into the scene, for row vectors.
std::vector<M44d> node_transforms(const KeyedModel& model, double seconds, bool smooth = false);

// All meshes where they are at a time, in one pose; velocities by central differences over 1/1000 s. smooth: see
// sample.
PosePtr pose_at(const KeyedModel& model, const Pose& shared, double seconds, bool smooth = false);

} // namespace garland
