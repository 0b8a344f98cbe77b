// How far something has run by a moment: pieces of polynomials over output frames, many tracks in one table.
#pragma once

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

class RunTrack { // being made
  public:
    double before_slope = 0, after_slope = 0;
    std::vector<RunNode> nodes; // rising

    // Lets go of nodes on whose both sides the track runs straight at one slope, the first and last too where it goes
    // on so before and after. No value changes by more than 1e-10. At least one node stays.
    void drop_straight_nodes();
};

class RunTable {
  public:
    std::size_t add(const RunTrack& track); // its number
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
