// Keys of a place, a turn and a size over output frames: of a zone, and of an arrangement as a whole.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"
#include "core/time/keyed_curve.h"

#include <array>
#include <string>
#include <vector>

namespace garland {

struct PlaceKey {
    OutputFrame at;
    V3d place{0, 0, 0};
    // Degrees: about y, then x, then z of what is turned already (y and x lead: heading, pitch, bank).
    V3d turn{0, 0, 0};
    double size = 1;                // a factor, 0 or above
    Toward toward = Toward::linear; // step, linear or smooth
    bool operator==(const PlaceKey&) const = default;
};

// Errors: invalid, beginning with `whose`: frames that do not rise, values that are not finite or out of range, a size
// below `least_size`.
Result<void> validate(const std::vector<PlaceKey>& keys, const std::string& whose, double least_size = 0);

// A key set or replaced at its frame, in order.
std::vector<PlaceKey> with_key(const std::vector<PlaceKey>& keys, const PlaceKey& key);

// As it stands at an output frame, going on as the key before it does.
PlaceKey key_at(const std::vector<PlaceKey>& keys, double t);

// The axes of what is turned, in the scene: about y, then x, then z (degrees).
struct Axes {
    V3d x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1};
    V3d local(const V3d& v) const { return {v.dot(x), v.dot(y), v.dot(z)}; }
    V3d scene(const V3d& v) const { return x * v.x + y * v.y + z * v.z; }
};
Axes turned_axes(const V3d& turn);

// Keys prepared for evaluation: each number runs between its keys by itself, as a strength over output frames does;
// before the first and after the last key everything stands still.
class PlaceCurve {
  public:
    PlaceCurve() = default;
    explicit PlaceCurve(const std::vector<PlaceKey>& keys);
    bool keyed() const { return keyed_; }
    PlaceKey at(double t) const; // without keys: place 0, turn 0, size 1

  private:
    bool keyed_ = false;
    std::array<CurvePlan, 7> numbers_{CurvePlan(0), CurvePlan(0), CurvePlan(0), CurvePlan(0),
                                      CurvePlan(0), CurvePlan(0), CurvePlan(1)};
};

} // namespace garland
