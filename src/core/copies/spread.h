// A spread: a rule that gives every copy its own value. A driver says who gets how much (0 … 1), a curve bends that,
// from and to make it a value, an amount (which may be keyed over the output range) says how much of it counts.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/base/words.h"
#include "core/drivers/driver.h"
#include "core/time/frames.h"
#include "core/time/keyed_curve.h"

#include <cstdint>
#include <optional>
#include <string>

namespace garland {

enum class Target {
    delay,      // output frames later; negative: ahead
    speed,      // per cent faster; negative: slower
    visibility, // flicker: per cent of the time for which the copy is shown, 0 … 100
    size,       // per cent larger; negative: smaller
    turn,       // degrees about the vertical
    variant,    // per cent of the way through the sources by their weights; wrapped at 100
    wobble,     // per cent of the wobble; 100 is as it is
};
inline constexpr Word<Target> target_words[] = {
    {"delay", Target::delay},
    {"speed", Target::speed},
    {"visibility", Target::visibility},
    {"size", Target::size},
    {"turn", Target::turn},
    {"variant", Target::variant},
    {"wobble strength", Target::wobble},
    {"wobble amount", Target::wobble}}; // the later ones as earlier files have them

// How much of a spread counts.
struct SpreadStrength {
    double share = 1;  // 0 … 1
    KeyedCurve keys{}; // the same over output frames, on top; empty: 1 throughout
    bool operator==(const SpreadStrength&) const = default;
};

struct Spread {
    SpreadId id{};
    bool on = true;
    Target target = Target::delay;
    DriverRule by{};
    double from = 0, to = 24;
    bool whole_frames = true; // delays only: rounds to whole output frames
    KeyedCurve curve{};       // over the driver's 0 … 1; empty: straight
    SpreadStrength strength{};
    // speed only: the frame at which every copy is as far as without this spread. Unset: where the timing starts.
    std::optional<OutputFrame> meets{};
    bool after_start = false; // delays only: nothing before the timing's first frame is shown; its first pose is held
    double changes = 8;       // visibility: how often per second it may change, by the driver's seed
    std::string extra{};
    bool operator==(const Spread&) const = default;
};

// Errors: invalid, for values that are not finite, beyond frame_limit or outside what the target can take; a speed of
// −100 % or less; noise that drifts where only a still value makes sense (speed, variant); keys out of order.
Result<void> validate(const Spread& spread);

// Whether its value changes while the shot runs: by a keyed amount, by noise that drifts, or by zones or sound.
bool changes_in_time(const Spread& spread);

// from … to by the driver's u, 0 … 1: through the curve, and rounded where whole frames are asked for.
double scaled(const Spread& spread, const CurvePlan& curve, double u);

// The spread's value where its driver gives u: scaled; `to` more for every step of a driver that counts; the number
// itself of an attribute as it is; `from` where the driver gives nothing (NaN). Of chance, every whole value between
// from and to is as likely as any other.
double value_at(const Spread& spread, const CurvePlan& curve, double u);

// What a spread that needs nothing but a copy's id and place in order gives it. index: 0 … count − 1.
double value_of(const Spread& spread, CopyId copy, std::int64_t index, std::int64_t count);

const char* to_text(Target target);

} // namespace garland
