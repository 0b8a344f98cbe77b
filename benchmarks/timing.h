// Best of five, after a round that warms up.
#pragma once

#include <algorithm>
#include <chrono>

namespace garland {

template <class F>
double best_of_five(F&& work) { // seconds; work is told which round it is
    double best = 1e300;
    for (int i = 0; i < 6; ++i) {
        const auto start = std::chrono::steady_clock::now();
        work(i);
        const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        if (i > 0) best = std::min(best, took);
    }
    return best;
}

} // namespace garland
