#include "core/geometry/path.h"

#include <algorithm>
#include <cmath>

namespace garland {

Path::Path(std::span<const V3d> points, bool closed, bool smooth) : closed_(closed), smooth_(smooth) {
    for (const V3d& p : points) {
        if (points_.empty() || (p - points_.back()).length() > 1e-12) points_.push_back(p);
    }
    if (closed_ && points_.size() > 2 && (points_.front() - points_.back()).length() <= 1e-12) points_.pop_back();
    if (points_.size() < 2) return;
    const std::size_t count = closed_ ? points_.size() : points_.size() - 1;
    smooth_ = smooth_ && points_.size() > 2;
    sums_.push_back(0);
    for (std::size_t i = 0; i < count; ++i) sums_.push_back(sums_.back() + length_to(i, 1));
}

// Beyond the ends of an open path its end goes on as far again.
const V3d& Path::point(std::int64_t i) const {
    const auto n = static_cast<std::int64_t>(points_.size());
    return points_[static_cast<std::size_t>(closed_ ? (i % n + n) % n : std::clamp<std::int64_t>(i, 0, n - 1))];
}

V3d Path::place(std::size_t stretch, double w) const {
    const auto i = static_cast<std::int64_t>(stretch);
    const V3d &a = point(i), &b = point(i + 1);
    if (!smooth_) return a + (b - a) * w;
    const V3d before = point(i - 1), after = point(i + 2);
    const V3d c1 = (b - before) * 0.5, c2 = before - a * 2.5 + b * 2 - after * 0.5,
              c3 = (after - before) * 0.5 + (a - b) * 1.5;
    return a + (c1 + (c2 + c3 * w) * w) * w;
}

V3d Path::slope(std::size_t stretch, double w) const {
    const auto i = static_cast<std::int64_t>(stretch);
    const V3d &a = point(i), &b = point(i + 1);
    if (!smooth_) return b - a;
    const V3d before = point(i - 1), after = point(i + 2);
    const V3d c1 = (b - before) * 0.5, c2 = before - a * 2.5 + b * 2 - after * 0.5,
              c3 = (after - before) * 0.5 + (a - b) * 1.5;
    return c1 + (c2 * 2 + c3 * 3 * w) * w;
}

double Path::length_to(std::size_t stretch, double w) const {
    if (!smooth_) return slope(stretch, 0).length() * w;
    // Five-point Gauss–Legendre on eight pieces (nodes and weights: Abramowitz and Stegun 1964, table 25.4).
    static constexpr double nodes[] = {0, 0.5384693101056831, -0.5384693101056831, 0.9061798459386640,
                                       -0.9061798459386640};
    static constexpr double weights[] = {0.5688888888888889, 0.4786286704993665, 0.4786286704993665, 0.2369268850561891,
                                         0.2369268850561891};
    constexpr int pieces = 8;
    const double half = w / pieces / 2;
    double sum = 0;
    for (int p = 0; p < pieces; ++p) {
        const double middle = (2 * p + 1) * half;
        for (int k = 0; k < 5; ++k) sum += weights[k] * slope(stretch, middle + half * nodes[k]).length();
    }
    return sum * half;
}

Path::At Path::at(double share) const {
    if (stretches() == 0) return {points_.empty() ? V3d(0) : points_[0], V3d(0, 0, 1)};
    const double wanted = std::clamp(share, 0.0, 1.0) * length();
    const auto after = std::upper_bound(sums_.begin(), sums_.end(), wanted);
    const std::size_t i = std::min<std::size_t>(static_cast<std::size_t>(after - sums_.begin()) - 1, stretches() - 1);
    const double rest = wanted - sums_[i], whole = sums_[i + 1] - sums_[i];
    double w = whole > 0 ? std::clamp(rest / whole, 0.0, 1.0) : 0;
    if (smooth_) { // Newton's steps, kept inside by halving
        double low = 0, high = 1;
        for (int step = 0; step < 40; ++step) {
            const double off = length_to(i, w) - rest;
            if (std::abs(off) < 1e-12 * std::max(whole, 1e-12)) break;
            (off > 0 ? high : low) = w;
            const double pace = slope(i, w).length();
            const double next = pace > 0 ? w - off / pace : -1;
            w = next > low && next < high ? next : (low + high) / 2;
        }
    }
    const V3d way = slope(i, w);
    return {place(i, w), way.length() > 0 ? way.normalized() : V3d(0, 0, 1)};
}

std::vector<V3d> Path::polyline(int each) const {
    std::vector<V3d> out;
    for (std::size_t i = 0; i < stretches(); ++i) {
        for (int k = 0; k < (smooth_ ? each : 1); ++k) out.push_back(place(i, static_cast<double>(k) / each));
    }
    if (stretches() > 0) out.push_back(place(stretches() - 1, 1));
    return out;
}

} // namespace garland
