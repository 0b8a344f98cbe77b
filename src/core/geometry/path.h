// A path through points: straight from one to the next, or smooth through them, walked evenly by length.
#pragma once

#include "core/geometry/pose.h"

#include <span>
#include <vector>

namespace garland {

class Path {
  public:
    Path() = default;
    // smooth: a uniform Catmull–Rom spline (E. Catmull and R. Rom, 1974), whose lengths are found by Gauss–Legendre
    // quadrature. Points that repeat the one before are left out.
    Path(std::span<const V3d> points, bool closed, bool smooth);
    double length() const { return sums_.empty() ? 0 : sums_.back(); } // scene units
    struct At {
        V3d place{0, 0, 0}, direction{0, 0, 1}; // of unit length
    };
    At at(double share) const; // 0 … 1 of the length
    // Points along it for drawing; `each`: how many on every stretch of a smooth one.
    std::vector<V3d> polyline(int each = 12) const;

  private:
    std::size_t stretches() const { return sums_.empty() ? 0 : sums_.size() - 1; }
    const V3d& point(std::int64_t i) const;
    V3d place(std::size_t stretch, double w) const;
    V3d slope(std::size_t stretch, double w) const;
    double length_to(std::size_t stretch, double w) const;
    std::vector<V3d> points_;
    std::vector<double> sums_; // the length up to the start of each stretch, and the whole
    bool closed_ = false, smooth_ = false;
};

} // namespace garland
