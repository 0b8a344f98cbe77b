// A driver gives every copy a value 0 … 1: who gets how much. Each stands in a file of its own; drivers.cpp lists them.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/base/words.h"
#include "core/drivers/playing.h"
#include "core/geometry/placement.h"

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace garland {

enum class Driver {
    chance,      // evenly or as a bell, by seed
    order_step,  // one more for every copy in order: 0, 1, 2 …
    order_total, // 0 at the first copy … 1 at the last
    order_loop,  // the same wrapped onto a loop: the copy after the last would get 1
    even,        // without clumps, by order: the golden-ratio sequence
    even_space,  // without clumps, over space: near neighbours differ most
    noise,       // smooth noise over space
    gradient,    // along an axis or the path, 0 … 1 however many copies
    distance,    // from a point
    attribute,   // of what carries the copy
    zone,        // the level of zones it stands in, at every moment
    sound,       // the level of what it hears, at every moment
};
inline constexpr Word<Driver> driver_words[] = {{"chance", Driver::chance},
                                                {"order, per step", Driver::order_step},
                                                {"order, in total", Driver::order_total},
                                                {"order, on a loop", Driver::order_loop},
                                                {"even, by order", Driver::even},
                                                {"even, over space", Driver::even_space},
                                                {"noise", Driver::noise},
                                                {"gradient", Driver::gradient},
                                                {"distance", Driver::distance},
                                                {"attribute", Driver::attribute},
                                                {"zone", Driver::zone},
                                                {"sound", Driver::sound}};

// What a driver goes by besides the copies.
struct NoisePattern {
    double patch = 3;   // how wide a patch is, scene units
    int detail = 1;     // octaves, 1 … 8
    V3d drift{0, 0, 0}; // how the pattern moves, scene units a second
    bool operator==(const NoisePattern&) const = default;
};
struct GradientLine {
    V3d axis{1, 0, 0};       // in the scene
    bool along_path = false; // along the arrangement's own path instead
    bool operator==(const GradientLine&) const = default;
};
struct DistanceFrom {
    V3d centre{0, 0, 0}; // in the scene
    double reach = 0;    // the distance at which it is 1, scene units; 0: the farthest copy's
    bool operator==(const DistanceFrom&) const = default;
};
struct CarrierNumber {
    std::string attribute{}; // of the carrier
    bool as_it_is = false;   // its number is the value, whatever its size
    bool operator==(const CarrierNumber&) const = default;
};

struct DriverRule {
    Driver kind = Driver::chance;
    std::uint64_t seed = 1; // chance, even_space, noise
    bool bell = false;      // chance
    NoisePattern noise{};
    GradientLine gradient{};
    DistanceFrom distance{};
    CarrierNumber carrier{};
    LevelRule level{}; // zone, sound
    bool operator==(const DriverRule&) const = default;
};

// The copies a driver looks at, in order.
struct DrivenCopies {
    std::span<const Placement> places;
    // The numbers that what carries them has under a name, one a copy, NaN where one has none; empty: nothing has it.
    std::function<std::vector<double>(const std::string& attribute)> carried{};
};

// One value a copy: 0 … 1; order_step counts, an attribute as it is has its own numbers. NaN: the copy has none.
struct DriverValues {
    std::vector<double> values;
    std::string note; // "7 of 60 copies have no \"mass\" and take the first value"
};

// A driver over the whole space, for showing it as a pattern before it counts.
class DriverPattern {
  public:
    virtual ~DriverPattern() = default;
    virtual double at(const V3d& place, double seconds) const = 0; // 0 … 1
};
using DriverPatternPtr = std::unique_ptr<const DriverPattern>;

// Everything about one kind of driver. `salt` tells two rules with one seed apart.
struct DriverKind {
    Driver kind;
    DriverValues (*values)(const DriverRule& rule, std::uint64_t salt, const DrivenCopies& copies); // at second 0
    Result<void> (*validate)(const DriverRule& rule) = nullptr; // none: always valid
    bool (*changes)(const DriverRule& rule) = nullptr;          // whether values change in time; none: never
    // By the copies there are; none: there is nothing to see between copies.
    DriverPatternPtr (*pattern)(const DriverRule& rule, std::uint64_t salt,
                                std::span<const Placement> places) = nullptr;
};

const DriverKind& kind_of(Driver driver);

inline bool changes_in_time(const DriverRule& rule) {
    const auto changes = kind_of(rule.kind).changes;
    return changes && changes(rule);
}

// Errors: invalid, for values that are not finite or out of range, a gradient without direction, an attribute without
// a name.
Result<void> validate(const DriverRule& rule);

const char* to_text(Driver driver);

} // namespace garland
