#include "core/copies/spread_values.h"

#include "core/base/parallel.h"

#include <cmath>
#include <limits>

namespace garland {

namespace {

std::vector<double> numbers_of(const CopyGround& ground, const std::string& attribute) {
    const CarrierValues* values = ground.carriers ? ground.carriers->find(attribute) : nullptr;
    if (!values) return {};
    std::vector<double> out(ground.places.size(), std::numeric_limits<double>::quiet_NaN());
    for (std::size_t i = 0; i < out.size() && i < ground.carrier_of.size(); ++i)
        out[i] = static_cast<double>(values->values[ground.carrier_of[i]]);
    return out;
}

} // namespace

SpreadValues spread_values(const Spread& spread, const CopyGround& ground) {
    const DrivenCopies copies{ground.places,
                              [&](const std::string& attribute) { return numbers_of(ground, attribute); }};
    DriverValues u = kind_of(spread.by.kind).values(spread.by, spread.id.value, copies);
    Spread s = spread;
    if (changes_in_time(s.by)) s.whole_frames = false; // a value that moves on runs through all of them
    const CurvePlan curve(s.curve, 0);
    parallel_for(u.values.size(), 4096, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) u.values[i] = value_at(s, curve, u.values[i]);
    });
    return {std::move(u.values), std::move(u.note)};
}

SpacePattern::SpacePattern(const Spread& spread, std::span<const Placement> places)
    : spread_(spread), curve_(spread.curve, 0) {
    spread_.whole_frames = false;
    const auto pattern = kind_of(spread.by.kind).pattern;
    if (pattern && !places.empty()) pattern_ = pattern(spread.by, spread.id.value, places);
}

double SpacePattern::at(const V3d& place, double seconds) const {
    return scaled(spread_, curve_, pattern_->at(place, seconds));
}

} // namespace garland
