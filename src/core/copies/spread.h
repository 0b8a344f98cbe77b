// A spread: a rule that gives every copy its own value.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/time/frames.h"

#include <cstdint>
#include <string>

namespace garland {

enum class Target {
    delay, // output frames later; negative: ahead
    speed, // per cent faster; negative: slower
};

enum class Driver {
    chance,      // from … to, evenly, by seed
    order_step,  // `to` more for every copy in order; `from` for the first
    order_total, // from at the first copy … to at the last
};

struct Spread {
    SpreadId id{};
    bool on = true;
    Target target = Target::delay;
    Driver driver = Driver::chance;
    double from = 0, to = 24;
    bool whole_frames = true; // delays only: rounds to whole output frames
    std::uint64_t seed = 1;   // chance only
    std::string extra{};
    bool operator==(const Spread&) const = default;
};

// Errors: invalid, for values that are not finite or beyond frame_limit, or a speed of −100 % or less.
Result<void> validate(const Spread& spread);

// What the spread gives one copy: frames later, or per cent faster. index: the copy's place in order, 0 … count − 1.
// Chance takes the hash of (seed, spread id, copy id) and depends on nothing else; rounded to whole frames every whole
// value between from and to is as likely as any other. order_total with one copy gives `from`.
double value_of(const Spread& spread, CopyId copy, std::int64_t index, std::int64_t count);

const char* to_text(Target target);
const char* to_text(Driver driver);

} // namespace garland
