// The signed distance from a closed mesh, on a grid.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/geometry/pose.h"

#include <memory>

namespace garland {

// Negative inside; exact at the grid's nodes, trilinear between them. Beyond the grid the way to it is added, so a
// place there is never said to be nearer than `reach`.
class DistanceGrid {
  public:
    // reach: up to which distance outside the surface it must be right; the mesh's units. Errors: invalid for a pose
    // without faces, or whose faces leave an edge open or shared by more than two, with how many; cancelled.
    static Result<std::shared_ptr<const DistanceGrid>> make(const Pose& pose, double reach,
                                                            Progress& progress = Progress::none());
    // gradient: of the distance; up to steepest long.
    double at(const V3d& p, V3d* gradient = nullptr) const;
    static constexpr double steepest = 2;
    double step() const { return step_; }     // between nodes
    double radius() const { return radius_; } // of a ball about (0, 0, 0) that holds the mesh

  private:
    double node(int x, int y, int z) const;
    V3d low_{0, 0, 0};
    double step_ = 1, radius_ = 0;
    int nx_ = 0, ny_ = 0, nz_ = 0;
    std::vector<float> values_; // x runs fastest
};
using DistanceGridPtr = std::shared_ptr<const DistanceGrid>;

// How many edges of a mesh belong to one face only, or to more than two. Points at the same place count as one.
std::size_t open_edges(const Pose& pose);

} // namespace garland
