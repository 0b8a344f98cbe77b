// A value over keys: an amount over output frames, or a shape over 0 … 1. With its slope and its exact integral.
#pragma once

#include "core/base/result.h"
#include "core/time/time_map.h"

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace garland {

struct CurveKey {
    double at = 0;
    double value = 0;
    Toward toward = Toward::linear; // step, linear or smooth; smooth eases out of this key and into the next one
    bool operator==(const CurveKey&) const = default;
};
using KeyedCurve = std::vector<CurveKey>; // by `at`, strictly rising

struct CurveLimits {
    double first_at, last_at, low, high;
};
// Errors: invalid, naming the key: not finite, out of its limits, not rising, free. `what`: "an amount".
Result<void> validate(std::span<const CurveKey> keys, std::string_view what, const CurveLimits& limits);

// Keys prepared for evaluation. Before the first key and after the last the value stays. Between two keys, x = 0 … 1 of
// the way: step keeps the first; linear; smooth is 3x² − 2x³.
class CurvePlan {
  public:
    explicit CurvePlan(double still = 1) : still_(still) {} // without keys
    CurvePlan(const KeyedCurve& keys, double still);
    bool keyed() const { return !keys_.empty(); }
    double at(double x) const;
    double slope(double x) const;
    double integral(double from, double to) const; // of the value; exact but for rounding

  private:
    std::size_t before(double x) const; // the last key at or before x
    double from_start(double x) const;  // the integral from the first key's place to x
    double still_;
    KeyedCurve keys_;
    std::vector<double> sums_; // the integral up to each key
};

// "0:0 96:1 smooth 110:1 ..." as "at:value" with an optional word for the way to the next key, and back.
Result<KeyedCurve> parse_keys(std::string_view text, std::string_view what);
std::string to_text(const KeyedCurve& keys);

} // namespace garland
