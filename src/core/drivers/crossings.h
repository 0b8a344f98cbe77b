// Roots of a function whose slope is bounded: none is missed, however fast it comes and goes.
#pragma once

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

namespace garland {

// Where value(t) crosses 0 between from and to, appended in rising order, to the last bit. `bound`: |d value/dt| there,
// at most. An interval [a, b] with |value(a)| + |value(b)| > bound · (b − a) and equal signs holds no root (Lipschitz);
// all others are halved. Two roots nearer than `closest` to each other, where the function only touches 0, may be
// passed over together. 0 counts as negative. Where it lies on 0 throughout (a copy exactly on a zone's edge, which
// slides along it) there is no crossing; where it is not a number there is none either.
template <class Function>
void find_crossings(const Function& value, double bound, double from, double to, std::vector<double>& out,
                    double closest = 1e-7) {
    struct Span {
        double a, fa, b, fb;
    };
    constexpr int most = 200'000; // spans: beyond it they are not halved below a thousandth of a frame
    // As good as on 0, and far nearer than a crossing would come from and go to in this time.
    const auto lies_on_it = [&](const Span& s) {
        const double nothing = std::min(1e-9, 1e-6 * bound * (s.b - s.a));
        if (std::abs(s.fa) > nothing || std::abs(s.fb) > nothing) return false;
        for (double w : {0.21370, 0.5, 0.78413}) { // not evenly: something that turns is there again after every turn
            if (!(std::abs(value(s.a + (s.b - s.a) * w)) <= nothing)) return false;
        }
        return true;
    };
    std::vector<Span> left{{from, value(from), to, value(to)}};
    for (int looked = 0; !left.empty(); ++looked) {
        const Span s = left.back();
        left.pop_back();
        if (looked == most) closest = std::max(closest, 1e-3);
        const bool crosses = (s.fa > 0) != (s.fb > 0);
        if (!crosses && !(std::abs(s.fa) + std::abs(s.fb) <= bound * (s.b - s.a))) continue;
        if (lies_on_it(s)) continue;
        if (s.b - s.a > closest) {
            const double middle = s.a + (s.b - s.a) / 2, fm = value(middle);
            left.push_back({middle, fm, s.b, s.fb}); // the earlier half is looked at first
            left.push_back({s.a, s.fa, middle, fm});
            continue;
        }
        if (!crosses) continue;
        double a = s.a, b = s.b;
        for (int k = 0; k < 80; ++k) { // as near as numbers can be
            const double middle = a + (b - a) / 2;
            if (middle <= a || middle >= b) break;
            ((value(middle) > 0) == (s.fa > 0) ? a : b) = middle;
        }
        // A rounding error beside a whole part of a frame is that part: copies can share its poses.
        const double part = std::round(b * 4096) / 4096;
        out.push_back(std::abs(part - b) <= 1e-12 * (1 + std::abs(b)) ? part : b);
    }
}

} // namespace garland
