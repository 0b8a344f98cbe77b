#include "core/copies/spread_in_time.h"

#include "core/drivers/noise_driver.h"

namespace garland {

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
    double u = 0, rate = 0, per_frame = 1; // rate: in a unit of time of which `per_frame` are an output frame
    if (spread_.by.kind == Driver::noise) {
        per_frame = seconds_a_frame_;
        const DriftingNoise n = noise_of(spread_.by, spread_.id.value, places_[i].position, t * per_frame);
        u = n.value, rate = n.rate;
    } else if (levels_) {
        const CopyLevels::Level l = levels_->at(i, t);
        u = l.value, rate = l.rate;
    }
    const double wide = spread_.to - spread_.from, slope = curve_.keyed() ? curve_.slope(u) : 1;
    return {spread_.from + (curve_.keyed() ? curve_.at(u) : u) * wide, rate * slope * wide * per_frame};
}

void SpreadInTime::cuts(std::size_t copy, double from, double to, std::vector<double>& out) const {
    if (spread_.by.kind == Driver::noise) { // bends nowhere, but has to be looked at closely
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
    return spread_.by.kind == Driver::noise || !levels_ ? number(copy) : levels_->alike(number(copy));
}

} // namespace garland
