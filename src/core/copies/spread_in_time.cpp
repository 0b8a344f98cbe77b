#include "core/copies/spread_in_time.h"

#include <algorithm>

namespace garland {

bool driver_changes(const Spread& s) {
    return (s.driver == Driver::noise && s.drift != V3d(0)) || s.driver == Driver::zone || s.driver == Driver::sound;
}

SpreadInTime::SpreadInTime(const Spread& spread, const CopySet& set, double seconds_a_frame, const SpreadLevels& levels)
    : spread_(spread), curve_(spread.curve, 0), places_(set.places), seconds_a_frame_(seconds_a_frame) {
    if (const auto known = levels.find(spread.id); known != levels.end()) levels_ = known->second;
}

SpreadInTime SpreadInTime::part(std::span<const std::uint32_t> which) const {
    SpreadInTime out = *this;
    std::vector<std::uint32_t> numbers;
    for (std::uint32_t i : which) numbers.push_back(static_cast<std::uint32_t>(number(i)));
    out.numbers_ = std::move(numbers);
    return out;
}

SpreadInTime::Value SpreadInTime::at(std::size_t copy, double t) const {
    const std::size_t i = number(copy);
    if (spread_.driver == Driver::noise) {
        const DriftingValue v = noise_value(spread_, curve_, places_[i].position, t * seconds_a_frame_);
        return {v.value, v.rate * seconds_a_frame_};
    }
    CopyLevels::Level l;
    if (levels_) l = levels_->at(i, t);
    const double wide = spread_.to - spread_.from, slope = curve_.keyed() ? curve_.slope(l.value) : 1;
    return {spread_.from + (curve_.keyed() ? curve_.at(l.value) : l.value) * wide, l.rate * slope * wide};
}

void SpreadInTime::cuts(std::size_t copy, double from, double to, std::vector<double>& out) const {
    if (spread_.driver == Driver::noise) { // bends nowhere, but has to be looked at closely
        for (double t = from; t <= to; t += 4) out.push_back(t);
        return;
    }
    if (!levels_) return;
    std::vector<double> bends;
    for (const CurveKey& k : spread_.curve) bends.push_back(k.at);
    for (double t : levels_->cuts(number(copy), bends)) {
        if (t >= from && t <= to) out.push_back(t);
    }
}

std::size_t SpreadInTime::alike(std::size_t copy) const {
    return spread_.driver == Driver::noise || !levels_ ? number(copy) : levels_->alike(number(copy));
}

} // namespace garland
