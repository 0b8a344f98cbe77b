// A time map: position keys from output frames to source frames, and the curve between them.
#pragma once

#include "core/base/cubic.h"
#include "core/base/result.h"
#include "core/base/words.h"
#include "core/time/frames.h"

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace garland {

// How the curve goes from a key to the next one.
enum class Toward {
    step,   // keeps the key's source frame, jumps at the next key
    linear, //
    smooth, // monotone cubic Hermite (Steffen 1990): never leaves the interval between its two keys
    free,   // cubic Hermite through the slopes `leave` of this key and `arrive` of the next
    hidden, // nothing is shown until the next key; its source frame stays as with step
};
inline constexpr Word<Toward> toward_words[] = {{"step", Toward::step},
                                                {"linear", Toward::linear},
                                                {"smooth", Toward::smooth},
                                                {"hidden", Toward::hidden},
                                                {"free", Toward::free}};

struct Key {
    OutputFrame at;
    SourceFrame source;
    Toward toward = Toward::linear;
    double leave = 0;  // source frames per output frame, used where toward is free
    double arrive = 0; // the same, used where the previous key's toward is free
    bool operator==(const Key&) const = default;
};

struct TimeMap {
    std::vector<Key> keys; // by output frame, strictly rising
    bool operator==(const TimeMap&) const = default;

    OutputFrame first() const { return keys.empty() ? OutputFrame(0) : keys.front().at; }
    OutputFrame last() const { return keys.empty() ? OutputFrame(0) : keys.back().at; }
};

// At most this many keys are accepted in one map.
inline constexpr std::size_t key_limit = 1'000'000;
inline constexpr double slope_limit = 1e6; // of a free key, either way; source frames per output frame

// Errors: invalid, naming the key: no keys, too many, not finite, beyond frame_limit, two keys on one frame, unsorted.
Result<void> validate(const TimeMap& map);

// The part of it that is about where keys stand, shared with other maps; `what`: "a time map".
Result<void> validate_frames(std::span<const OutputFrame> at, std::string_view what);

// The slope of each key as `smooth` sees it, in source frames per output frame. M. Steffen, "A simple method for
// monotonic interpolation in one dimension", Astronomy and Astrophysics 239 (1990). Steps count as flat, so a smooth
// stretch eases into a hold. Same size as map.keys.
std::vector<double> steffen_slopes(const TimeMap& map);

// One stretch between two keys as a polynomial in u = t − start, 0 ≤ u < length:
// s = c[0] + u·(c[1] + u·(c[2] + u·c[3])), kept within low…high.
struct Stretch {
    double start = 0, length = 0;
    double c[4] = {0, 0, 0, 0};
    double low = 0, high = 0;
    bool hidden = false; // nothing is shown

    double at(double u) const { return std::min(std::max(cubic(c, u), low), high); }
    double slope(double u) const { return cubic_slope(c, u); }
};

// Whether a stretch keeps its source frame until the next key: step and hidden.
inline bool stays(Toward toward) {
    return toward == Toward::step || toward == Toward::hidden;
}

// All stretches of a valid map (one fewer than keys); `start` counts from the map's first key.
std::vector<Stretch> stretches(const TimeMap& map);

const char* to_text(Toward toward); // "step", "linear", "smooth", "free", "hidden"

} // namespace garland
