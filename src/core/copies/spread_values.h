// What a spread gives every copy of an arrangement, all at once; values are kept until a rule changes.
#pragma once

#include "core/copies/arrangement.h"
#include "core/copies/carriers.h"

#include <span>
#include <string>
#include <vector>

namespace garland {

// The copies a spread looks at, in order.
struct CopyGround {
    std::span<const Placement> places;
    const Carriers* carriers = nullptr;
    std::span<const std::uint32_t> carrier_of{}; // for every copy its place among the carriers
};

struct SpreadValues {
    std::vector<double> values; // one a copy, in the target's unit; at second 0 where noise drifts
    std::string note;           // "7 of 60 copies have no \"mass\" and take the first value"
};
SpreadValues spread_values(const Spread& spread, const CopyGround& ground);

// Noise at a place, `seconds` into the drift; `rate`: its change a second.
struct DriftingValue {
    double value = 0, rate = 0;
};
DriftingValue noise_value(const Spread& spread, const CurvePlan& curve, const V3d& place, double seconds);

// What a spread would give a copy at any place, for showing it as a pattern before it counts: noise, gradients along an
// axis, distances. Whole frames are not rounded to, so that the pattern is seen.
class SpacePattern {
  public:
    SpacePattern(const Spread& spread, std::span<const Placement> places);
    bool there() const { return there_; } // other drivers have no pattern
    double at(const V3d& place, double seconds) const;

  private:
    Spread spread_;
    CurvePlan curve_;
    double low_ = 0, high_ = 0;
    bool there_ = false;
};

// Values 0 … 1, in which near neighbours differ most: best-candidate choice (D. P. Mitchell, "Spectrally optimal
// sampling for distribution ray tracing", 1991), in the order of the ids: of 24 candidates by chance the one whose
// smallest difference, round the circle, from the eight nearest copies that have one already is largest.
std::vector<double> best_candidates(std::uint64_t seed, SpreadId rule, std::span<const Placement> places);

// The k nearest other copies of each, nearest first; k · places.size() entries, missing ones are its own number. Exact.
std::vector<std::uint32_t> nearest_copies(std::span<const Placement> places, std::size_t k);

} // namespace garland
