// Roots of a function whose slope is bounded: none is missed, however fast it comes and goes.
#pragma once

#include <cmath>
#include <utility>
#include <vector>

namespace garland {

// Where value(t) crosses 0 between from and to, appended in rising order, to within a billionth of a frame. `bound`:
// |d value/dt| there, at most. An interval [a, b] with |value(a)| + |value(b)| > bound · (b − a) and equal signs holds
// no root (Lipschitz); all others are halved. Two roots nearer than `closest` to each other, where the function only
// touches 0, may be passed over together. 0 counts as negative.
template <class Function>
void find_crossings(const Function& value, double bound, double from, double to, std::vector<double>& out,
                    double closest = 1e-7) {
    struct Span {
        double a, fa, b, fb;
    };
    std::vector<Span> left{{from, value(from), to, value(to)}};
    while (!left.empty()) {
        auto [a, fa, b, fb] = left.back();
        left.pop_back();
        const bool crosses = (fa > 0) != (fb > 0);
        if (!crosses && std::abs(fa) + std::abs(fb) > bound * (b - a)) continue;
        if (b - a > closest) {
            const double middle = a + (b - a) / 2, fm = value(middle);
            left.push_back({middle, fm, b, fb}); // the earlier half is looked at first
            left.push_back({a, fa, middle, fm});
            continue;
        }
        if (!crosses) continue;
        for (int k = 0; k < 80; ++k) { // as near as numbers can be
            const double middle = a + (b - a) / 2;
            if (middle <= a || middle >= b) break;
            ((value(middle) > 0) == (fa > 0) ? a : b) = middle;
        }
        // A rounding error beside a whole part of a frame is that part: copies can share its poses.
        const double part = std::round(b * 4096) / 4096;
        out.push_back(std::abs(part - b) <= 1e-12 * (1 + std::abs(b)) ? part : b);
    }
}

} // namespace garland
