// A spread whose value changes while the shot runs by itself, not only by its strength: noise that drifts, zones,
// sound.
#pragma once

#include "core/copies/copy_levels.h"

#include <map>
#include <memory>

namespace garland {

using CopyLevelsPtr = std::shared_ptr<const CopyLevels>;
using SpreadLevels = std::map<SpreadId, CopyLevelsPtr>; // of those driven by zones or sound

class SpreadInTime {
  public:
    SpreadInTime() = default;
    // levels: of a spread by zones or sound; without them its level is 0.
    SpreadInTime(const Spread& spread, const CopySet& set, double seconds_a_frame, const SpreadLevels& levels);
    SpreadInTime part(std::span<const std::uint32_t> which) const;
    struct Value {
        double value = 0, rate = 0; // in the target's unit; per output frame
    };
    Value at(std::size_t copy, double t) const;
    // Output frames between from and to at which it may bend, for one copy; appended. Between them it is smooth.
    void cuts(std::size_t copy, double from, double to, std::vector<double>& out) const;
    // Copies of the same number have the same value at every output frame.
    std::size_t alike(std::size_t copy) const;

  private:
    std::size_t number(std::size_t copy) const { return numbers_.empty() ? copy : numbers_[copy]; }
    Spread spread_;
    CurvePlan curve_{0.0};
    SharedList<Placement> places_;
    SharedList<std::uint32_t> numbers_; // of some of the copies: their numbers in the set
    CopyLevelsPtr levels_;
    double seconds_a_frame_ = 1.0 / 24;
};

} // namespace garland
