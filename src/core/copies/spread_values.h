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
    std::vector<double> values; // one a copy, in the target's unit; at second 0, and without levels, where they change
    std::string note;           // see DriverValues
};
SpreadValues spread_values(const Spread& spread, const CopyGround& ground);

// What a spread would give a copy at any place, for showing it as a pattern before it counts. Whole frames are not
// rounded to, so that the pattern is seen.
class SpacePattern {
  public:
    SpacePattern(const Spread& spread, std::span<const Placement> places);
    bool there() const { return pattern_ != nullptr; } // not every driver has one
    double at(const V3d& place, double seconds) const;

  private:
    Spread spread_;
    CurvePlan curve_;
    DriverPatternPtr pattern_;
};

} // namespace garland
