#include "core/drivers/run_table.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

// Seven points on −1 … 1 (Abramowitz and Stegun 1964, table 25.4).
constexpr double places[4] = {0.949107912342758524526, 0.741531185599394439864, 0.405845151377397166907, 0};
constexpr double weights[4] = {0.129484966168869693271, 0.279705391489276667901, 0.381830050505118944950,
                               0.417959183673469387755};

double once(const std::function<double(double)>& rate, double from, double to) {
    const double middle = from + (to - from) / 2, half = (to - from) / 2;
    double sum = weights[3] * rate(middle);
    for (int k = 0; k < 3; ++k) sum += weights[k] * (rate(middle - half * places[k]) + rate(middle + half * places[k]));
    return sum * half;
}

double halved(const std::function<double(double)>& rate, double from, double to, double whole, double allowed,
              int depth) {
    const double middle = from + (to - from) / 2;
    const double a = once(rate, from, middle), b = once(rate, middle, to);
    if (depth <= 0 || std::abs(a + b - whole) <= allowed) return a + b;
    return halved(rate, from, middle, a, allowed / 2, depth - 1) + halved(rate, middle, to, b, allowed / 2, depth - 1);
}

} // namespace

double integral_of(const std::function<double(double)>& rate, double from, double to) {
    if (from == to) return 0;
    return halved(rate, from, to, once(rate, from, to), 1e-10, 20);
}

double integrate_pieces(const std::function<double(double)>& rate, double from, double to, double start,
                        std::vector<RunNode>& nodes) {
    if (!(to > from)) return start;
    const double wide = to - from;
    // Slopes are taken just inside, where the rate of this piece holds.
    const double inside = wide * 1e-12, sa = rate(from + inside), sb = rate(to - inside);
    constexpr double ways[] = {0, 0.15, 1.0 / 3, 0.5, 2.0 / 3, 0.85, 1};
    double run[7] = {};
    for (int k = 1; k < 7; ++k) run[k] = run[k - 1] + once(rate, from + wide * ways[k - 1], from + wide * ways[k]);
    const double rise = run[6];
    auto off = [&](int k) { return run[k] - run_piece::cubic(rise, wide, sa, sb, ways[k]); };
    // At a third and two thirds w²(1 − w)² is 4/81.
    const double third = off(2) * 81 / 4, two_thirds = off(4) * 81 / 4;
    RunNode piece;
    piece.turn = static_cast<float>(3 * (two_thirds - third));
    piece.bend = static_cast<float>(2 * third - two_thirds);
    bool fits = std::abs(once(rate, from, to) - rise) <= 1e-7;
    for (const int k : {1, 2, 3, 4, 5}) fits = fits && std::abs(off(k) - run_piece::added(piece, ways[k])) <= 4e-6;
    if (!fits && wide > 1e-6) {
        const double middle = from + wide / 2, half = integrate_pieces(rate, from, middle, start, nodes);
        return integrate_pieces(rate, middle, to, half, nodes);
    }
    if (!nodes.empty() && nodes.back().t == from)
        nodes.back().out = static_cast<float>(sa), nodes.back().bend = piece.bend, nodes.back().turn = piece.turn;
    nodes.push_back({to, start + rise, static_cast<float>(sb), static_cast<float>(sb)});
    return start + rise;
}

void RunTrack::drop_straight_nodes() {
    auto straight = [](const RunNode& a, const RunNode& b) {
        return a.t < b.t && a.out == b.in && a.bend == 0 && a.turn == 0;
    };
    auto close = [](double a, double b) { return std::abs(a - b) <= 1e-10; };
    std::vector<RunNode> kept;
    for (std::size_t k = 0; k < nodes.size(); ++k) {
        const RunNode& n = nodes[k];
        if (!kept.empty() && k + 1 < nodes.size() && n.in == n.out) {
            const RunNode &a = kept.back(), &b = nodes[k + 1];
            const double way = (n.t - a.t) / (b.t - a.t);
            if (straight(a, n) && straight(n, b) && close(a.value + (b.value - a.value) * way, n.value)) continue;
        }
        kept.push_back(n);
    }
    auto goes_on = [&](const RunNode& from, const RunNode& to, double slope) {
        return straight(from, to) && from.out == static_cast<float>(slope) &&
               close(to.value - from.value, slope * (to.t - from.t));
    };
    if (kept.size() > 1 && goes_on(kept[0], kept[1], before_slope)) kept.erase(kept.begin());
    if (kept.size() > 1 && goes_on(kept[kept.size() - 2], kept.back(), after_slope)) {
        kept.pop_back();
        kept.back().out = static_cast<float>(after_slope);
    }
    nodes = std::move(kept);
}

std::size_t RunTable::add(const RunTrack& track) {
    // It grows by an eighth: it is made once and kept for long.
    const std::size_t needed = nodes_.size() + track.nodes.size();
    if (needed > nodes_.capacity()) nodes_.reserve(std::max(needed, nodes_.capacity() + nodes_.capacity() / 8));
    nodes_.insert(nodes_.end(), track.nodes.begin(), track.nodes.end());
    ends_.push_back(static_cast<std::uint32_t>(nodes_.size()));
    before_.push_back(track.before_slope);
    after_.push_back(track.after_slope);
    return ends_.size() - 1;
}

void RunTable::add_all(std::span<const RunTrack> tracks) {
    std::size_t nodes = nodes_.size();
    for (const RunTrack& t : tracks) nodes += t.nodes.size();
    nodes_.reserve(nodes);
    ends_.reserve(ends_.size() + tracks.size());
    before_.reserve(before_.size() + tracks.size());
    after_.reserve(after_.size() + tracks.size());
    for (const RunTrack& t : tracks) add(t);
}

std::size_t RunTable::bytes() const {
    return nodes_.capacity() * sizeof(RunNode) + ends_.capacity() * (sizeof(std::uint32_t) + 2 * sizeof(double));
}

} // namespace garland
