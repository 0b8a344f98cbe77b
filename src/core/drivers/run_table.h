// How far something has run by a moment: pieces of polynomials over output frames, many tracks in one table.
#pragma once

#include "core/base/cubic.h"

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <vector>

namespace garland {

// Where a track bends. Between two nodes, w = 0 … 1 of the way: the cubic by their values and slopes, and w²(1 − w)²
// times (bend + turn·w), which leaves both as they are. Two nodes at one moment are a jump, and at that moment the
// later one counts.
struct RunNode {
    double t = 0, value = 0;
    float in = 0, out = 0;    // slopes before and after
    float bend = 0, turn = 0; // of the piece that begins here
};

namespace run_piece {

// What a piece adds to its cubic at w, and the slope of that over w.
inline double added(const RunNode& n, double w) {
    const double hump = w * (1 - w);
    return hump * hump * (static_cast<double>(n.bend) + static_cast<double>(n.turn) * w);
}
inline double added_slope(const RunNode& n, double w) {
    const double hump = w * (1 - w), c = static_cast<double>(n.bend), d = static_cast<double>(n.turn);
    return 2 * hump * (1 - 2 * w) * (c + d * w) + hump * hump * d;
}

inline double cubic(double rise, double wide, double slope_a, double slope_b, double w) {
    return rise * ease(w) + wide * w * (1 - w) * (slope_a * (1 - w) - slope_b * w);
}

} // namespace run_piece

class RunTrack { // being made
  public:
    double before_slope = 0, after_slope = 0;
    std::vector<RunNode> nodes; // rising

    // Lets go of nodes on whose both sides the track runs straight at one slope, the first and last too where it goes
    // on so before and after. No value changes by more than 1e-10. At least one node stays.
    void drop_straight_nodes();
};

// How many of a track's nodes lie at t or before it.
inline std::size_t nodes_until(std::span<const RunNode> nodes, double t) {
    std::size_t count = 0;
    if (nodes.size() <= 12) { // counted: no branch to guess wrong
        for (const RunNode& n : nodes) count += n.t <= t;
        return count;
    }
    return static_cast<std::size_t>(
        std::upper_bound(nodes.begin(), nodes.end(), t, [](double v, const RunNode& n) { return v < n.t; }) -
        nodes.begin());
}

class RunTable {
  public:
    std::size_t add(const RunTrack& track);         // its number
    void add_all(std::span<const RunTrack> tracks); // in no more memory than they need
    std::size_t size() const { return ends_.size(); }
    struct At {
        double value = 0, rate = 0; // rate: per output frame
    };
    At at(std::size_t track, double t) const;
    // Asks for the memory of a track that will be looked up in a moment.
    void expect(std::size_t track) const {
        if (track >= ends_.size()) return;
        const RunNode* first = nodes_.data() + (track == 0 ? 0 : ends_[track - 1]);
        for (int line = 0; line < 4; ++line) __builtin_prefetch(first + 2 * line);
    }
    std::span<const RunNode> nodes(std::size_t track) const {
        const std::size_t from = track == 0 ? 0 : ends_[track - 1];
        return {nodes_.data() + from, ends_[track] - from};
    }
    std::size_t bytes() const;

  private:
    std::vector<RunNode> nodes_;
    std::vector<std::uint32_t> ends_;
    std::vector<double> before_, after_;
};

inline RunTable::At RunTable::at(std::size_t track, double t) const {
    const std::span<const RunNode> own = nodes(track);
    const double before = before_[track], after = after_[track];
    if (own.empty()) return {before * t, before};
    const auto next = own.begin() + static_cast<std::ptrdiff_t>(nodes_until(own, t));
    if (next == own.begin()) return {own.front().value + before * (t - own.front().t), before};
    const RunNode& a = *(next - 1);
    if (next == own.end()) return {a.value + after * (t - a.t), after};
    const RunNode& b = *next;
    const double wide = b.t - a.t, w = (t - a.t) / wide, rise = b.value - a.value;
    const auto sa = static_cast<double>(a.out), sb = static_cast<double>(b.in);
    const double value = a.value + run_piece::cubic(rise, wide, sa, sb, w) + run_piece::added(a, w);
    const double rate = rise / wide * 6 * w * (1 - w) + sa * (1 - w) * (1 - 3 * w) - sb * w * (2 - 3 * w) +
                        run_piece::added_slope(a, w) / wide;
    return {value, rate};
}

// The integral of a smooth function by Gauss–Legendre quadrature of seven points with bisection, to 1e-10 of a frame
// and a frame's rate.
double integral_of(const std::function<double(double)>& rate, double from, double to);

// Nodes from `from` to `to` for value = start + ∫ rate, appended without the first one, which must be there; the rate
// should be smooth in between (at a kink pieces become short), and rate(x) is never asked outside. A piece is right at
// its ends, a third and two thirds of its way, and off by at most 4e-6 where it is looked at between. Returns the value
// at `to`, to 1e-7.
double integrate_pieces(const std::function<double(double)>& rate, double from, double to, double start,
                        std::vector<RunNode>& nodes);

} // namespace garland
