// Between which values the copies of a show lie: what colours by value are stretched over, the same at every frame.
#pragma once

#include "core/project/show.h"

#include <algorithm>

namespace garland {

struct ValueRange {
    double low = 0, high = 0;
    bool empty() const { return low > high; }
    void take(double v) { low = std::min(low, v), high = std::max(high, v); }
    double share(double v) const { return high > low ? std::clamp((v - low) / (high - low), 0.0, 1.0) : 0.0; }
    static ValueRange none() { return {1e300, -1e300}; }
};

template <class List>
ValueRange range_of(const List& values) { // {0, 0} of none
    ValueRange out = ValueRange::none();
    for (const double v : values) out.take(v);
    return out.empty() ? ValueRange{} : out;
}

// Output frames, nudges included; drifting parts as they are without their drift. {0, 0} without copies.
inline ValueRange delay_range(const Show& show) {
    ValueRange out = ValueRange::none();
    for (const ArrangementShow& a : show.arrangements)
        for (const CopyClock& c : a.clocks) out.take(c.delay);
    return out.empty() ? ValueRange{} : out;
}

// Own speeds. {0, 0} without copies.
inline ValueRange rate_range(const Show& show) {
    ValueRange out = ValueRange::none();
    for (const ArrangementShow& a : show.arrangements)
        for (const CopyClock& c : a.clocks) out.take(c.rate);
    return out.empty() ? ValueRange{} : out;
}

// Source frames: from the first of any arrangement's source to the last. {0, 0} without arrangements.
inline ValueRange source_range(const Show& show) {
    ValueRange out = ValueRange::none();
    for (const ArrangementShow& a : show.arrangements) {
        out.take(a.clock.first.value);
        out.take(a.clock.last().value);
    }
    return out.empty() ? ValueRange{} : out;
}

} // namespace garland
