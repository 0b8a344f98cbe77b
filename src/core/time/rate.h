// Frames per second as a rational, so that 24000/1001 is exact.
#pragma once

#include "core/base/result.h"
#include "core/time/frames.h"

#include <cstdint>
#include <string>
#include <string_view>

namespace garland {

struct Rate {
    std::int64_t num = 24;
    std::int64_t den = 1;
    constexpr bool operator==(const Rate&) const = default;

    constexpr double per_second() const { return static_cast<double>(num) / static_cast<double>(den); }
    // When frame n starts: n·den/num seconds, multiplied anew each time, since adding a rounded step drifts.
    constexpr Seconds start_of(double frame) const {
        return Seconds(frame * static_cast<double>(den) / static_cast<double>(num));
    }
    constexpr double frames_in(Seconds s) const {
        return s.value * static_cast<double>(num) / static_cast<double>(den);
    }
};

// Reads "24", "24000/1001", "23.976" (taken as 24000/1001; likewise 29.97, 59.94), "12.5".
// Errors: invalid, for anything else, or outside 1/1000 … 100 000 frames a second.
Result<Rate> parse_rate(std::string_view text);

// "24", "24000/1001".
std::string to_text(Rate rate);

// How many frames of rate `to` one frame of rate `from` lasts: to/from.
constexpr double conform_factor(Rate from, Rate to) {
    return static_cast<double>(to.num * from.den) / static_cast<double>(to.den * from.num);
}

} // namespace garland
