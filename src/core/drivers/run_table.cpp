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
    // Slopes are taken just inside, where the rate of this piece holds.
    const double inside = (to - from) * 1e-12;
    const double sa = rate(from + inside), sb = rate(to - inside);
    const double middle = from + (to - from) / 2, wide = to - from;
    const double a = integral_of(rate, from, middle), b = integral_of(rate, middle, to);
    const double cubic = (a + b) / 2 + wide / 8 * (sa - sb);
    // A quarter of the way is looked at too: an odd function is right in the middle by chance.
    const double quarter = integral_of(rate, from, from + wide / 4);
    auto hermite = [&](double w) {
        return (a + b) * w * w * (3 - 2 * w) + wide * w * (1 - w) * (sa * (1 - w) - sb * w);
    };
    const bool fits = std::abs(cubic - a) <= 1e-6 && std::abs(hermite(0.25) - quarter) <= 1e-6;
    if (!fits && wide > 1e-6) {
        const double half = integrate_pieces(rate, from, middle, start, nodes);
        return integrate_pieces(rate, middle, to, half, nodes);
    }
    if (!nodes.empty() && nodes.back().t == from) nodes.back().out = static_cast<float>(sa);
    nodes.push_back({to, start + a + b, static_cast<float>(sb), static_cast<float>(sb)});
    return start + a + b;
}

std::size_t RunTable::add(const RunTrack& track) {
    nodes_.insert(nodes_.end(), track.nodes.begin(), track.nodes.end());
    ends_.push_back(static_cast<std::uint32_t>(nodes_.size()));
    before_.push_back(track.before_slope);
    after_.push_back(track.after_slope);
    return ends_.size() - 1;
}

RunTable::At RunTable::at(std::size_t track, double t) const {
    const std::span<const RunNode> own = nodes(track);
    const double before = before_[track], after = after_[track];
    if (own.empty()) return {before * t, before};
    const auto next = std::upper_bound(own.begin(), own.end(), t, [](double v, const RunNode& n) { return v < n.t; });
    if (next == own.begin()) return {own.front().value + before * (t - own.front().t), before};
    const RunNode& a = *(next - 1);
    if (next == own.end()) return {a.value + after * (t - a.t), after};
    const RunNode& b = *next;
    const double wide = b.t - a.t, w = (t - a.t) / wide, rise = b.value - a.value;
    const auto sa = static_cast<double>(a.out), sb = static_cast<double>(b.in);
    const double value = a.value + rise * w * w * (3 - 2 * w) + wide * w * (1 - w) * (sa * (1 - w) - sb * w);
    const double rate = rise / wide * 6 * w * (1 - w) + sa * (1 - w) * (1 - 3 * w) - sb * w * (2 - 3 * w);
    return {value, rate};
}

std::size_t RunTable::bytes() const {
    return nodes_.capacity() * sizeof(RunNode) + ends_.capacity() * (sizeof(std::uint32_t) + 2 * sizeof(double));
}

} // namespace garland
