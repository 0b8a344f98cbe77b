// Lighter meshes over the same points, and how far each of them is from the true shape, pose by pose.
#pragma once

#include "core/geometry/pose.h"

#include <array>
#include <cstdint>
#include <memory>
#include <vector>

namespace garland {

// A point of the full mesh, and the place on a lighter one that stands for it: corners of a triangle and their weights.
struct Probe {
    std::uint32_t point = 0;
    std::array<std::uint32_t, 3> corners{};
    std::array<float, 3> weights{};
};

// Triangles of one set of faces, and lighter levels of them over the same points (meshoptimizer's simplification:
// quadric error metrics, M. Garland and P. Heckbert, 1997).
struct DrawFaces {
    std::shared_ptr<const Faces> faces; // kept, so that its address stays its own
    std::vector<std::uint32_t> indices; // all levels one after another
    struct Level {
        std::size_t first = 0, count = 0;
        std::vector<Probe> probes{}; // none: of the full mesh
    };
    std::vector<Level> levels; // [0] is the full mesh; each has about half as many triangles as the one before
};

// Built over one pose's points; good for every pose with the same faces.
std::shared_ptr<DrawFaces> with_levels(const Pose& pose);

// For every level, how far it is from the full mesh in a pose of these points: the largest distance of its probes, and
// half as much again, since they are a sample; in the pose's own units. 0 for the full mesh.
std::vector<float> level_errors(const DrawFaces& faces, const std::vector<V3f>& points);

// The lightest level whose error is at most `allowed`.
std::uint32_t level_within(const std::vector<float>& errors, double allowed);

// An order of 0 … count − 1 of which any beginning is spread evenly over the whole.
std::vector<std::uint32_t> even_order(std::size_t count);

} // namespace garland
