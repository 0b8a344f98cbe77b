// A spread: a rule that gives every copy its own value. A driver says who gets how much (0 … 1), a curve bends that,
// from and to make it a value, an amount (which may be keyed over the output range) says how much of it counts.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/drivers/playing.h"
#include "core/geometry/pose.h"
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

enum class Driver {
    chance,      // from … to, evenly or as a bell, by seed
    order_step,  // `to` more for every copy in order; `from` for the first
    order_total, // from at the first copy … to at the last
    order_loop,  // the same wrapped onto a loop: the copy after the last would get `to`
    even,        // without clumps, by order: the golden-ratio sequence
    even_space,  // without clumps, over space: near neighbours differ most
    noise,       // smooth noise over space
    gradient,    // along an axis or the path, 0 … 1 however many copies
    distance,    // from a point
    attribute,   // of what carries the copy
    zone,        // the level of zones it stands in, at every moment
    sound,       // the level of what it hears, at every moment
};

struct Spread {
    SpreadId id{};
    bool on = true;
    Target target = Target::delay;
    Driver driver = Driver::chance;
    double from = 0, to = 24;
    bool whole_frames = true; // delays only: rounds to whole output frames
    std::uint64_t seed = 1;   // chance, even_space, noise, flicker

    double share = 1;    // how much of it counts, 0 … 1
    KeyedCurve amount{}; // the same over output frames, on top; empty: 1 throughout
    // speed only: the frame at which every copy is as far as without this spread. Unset: where the timing starts.
    std::optional<OutputFrame> meets{};
    KeyedCurve curve{};       // over the driver's 0 … 1; empty: straight
    bool after_start = false; // delays only: nothing before the timing's first frame is shown; its first pose is held

    bool bell = false;       // chance
    double patch = 3;        // noise: how wide a patch is, scene units
    int detail = 1;          // noise: octaves, 1 … 8
    V3d drift{0, 0, 0};      // noise: how the pattern moves, scene units a second
    V3d axis{1, 0, 0};       // gradient, in the scene
    bool along_path = false; // gradient: along the arrangement's own path instead
    V3d centre{0, 0, 0};     // distance, in the scene
    double reach = 0;        // distance at which it is 1, scene units; 0: the farthest copy's
    std::string attribute{}; // of the carrier
    bool as_it_is = false;   // attribute: its number is the value, from and to are not asked
    double changes = 8;      // visibility: how often per second it may change
    LevelRule level{};       // zone, sound
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

// What a spread that needs nothing but a copy's id and place in order gives it: frames later, per cent faster. index:
// 0 … count − 1. Chance takes the hash of (seed, spread id, copy id) and depends on nothing else; rounded to whole
// frames every whole value between from and to is as likely as any other. A bell is the mean of four such values
// (Irwin–Hall). order_total with one copy gives `from`. even: u = the fractional part of 0.5 + index/φ.
double value_of(const Spread& spread, CopyId copy, std::int64_t index, std::int64_t count);

const char* to_text(Target target);
const char* to_text(Driver driver);

} // namespace garland
