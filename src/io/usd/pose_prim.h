// A pose as a Mesh or Points prim.
#pragma once

#include "core/scene/placed_copy.h"
#include "core/time/rate.h"
#include "io/usd/layer_writer.h"

#include <optional>

namespace garland {

// What is written: the pose itself, or its lists where a copy stands.
struct PoseLists {
    const std::vector<V3f>&points, &normals, &velocities; // normals: of corners where the pose has those
    const std::vector<Attribute>& attributes;             // per point
    const std::shared_ptr<const Faces>& faces;            // like the pose's; their values may be turned
    bool face_attributes = true;
};
inline PoseLists lists_of(const Pose& pose) {
    return {pose.points, pose.corner_normals.empty() ? pose.normals : pose.corner_normals, pose.velocities,
            pose.attributes, pose.faces};
}
inline PoseLists lists_of(const PlacedCopy& placed, const Pose& pose) {
    return {placed.points,     placed.corner_normals.empty() ? placed.normals : placed.corner_normals,
            placed.velocities, placed.attributes(pose),
            placed.faces,      placed.as.attributes};
}
// A pose that many share: without velocities, which each copy has its own of.
PoseLists shared_lists_of(const Pose& pose, bool attributes);

// Points, velocities, normals (of points or of corners), extent, displayColor, st (of points or of corners), ids and
// attributes as primvars, faces and their materials' names. time: as samples at that time code; not set: for all times.
// The prim has the type "Points" for particles, otherwise "Mesh".
void put_pose(UsdLayerWriter& layer, UsdOutPrim& prim, std::optional<double> time, const Pose& pose,
              const PoseLists& lists);

// What the layer says of itself: its unit and up axis, `rate` time codes a second.
void put_header(UsdLayerWriter& layer, const std::string& default_prim, double first, double last, Rate rate,
                const WrittenAs& as = {});
// Turns everything below the prim from metres with y up into the layer's space.
void put_space(UsdLayerWriter& layer, UsdOutPrim& prim, const WrittenAs& as);

} // namespace garland
