// A wave: a level that rises from 0 to 1 in so many output frames, and then holds, repeats or goes there and back.
#pragma once

#include "core/base/result.h"
#include "core/base/words.h"
#include "core/time/frames.h"
#include "core/time/keyed_curve.h"

#include <string_view>
#include <vector>

namespace garland {

enum class WaveAfter { hold, repeat, there_and_back };
inline constexpr Word<WaveAfter> wave_words[] = {
    {"hold", WaveAfter::hold},
    {"repeat", WaveAfter::repeat},
    {"there-and-back", WaveAfter::there_and_back},
    {"there_and_back", WaveAfter::there_and_back}}; // the last as earlier files have it

struct Wave {
    OutputFrame start{1}; // 0 until here
    double frames = 24;   // output frames of one rise; above 0
    WaveAfter after = WaveAfter::hold;
    int passes = 0;        // total passes of repeat and there and back: 1 there, 2 there and back; 0: endless
    KeyedCurve response{}; // over the rise's 0 … 1; empty: straight
    bool operator==(const Wave&) const = default;
};

// Errors: invalid: frames not above 0, values that are not finite, passes below 0. what: "the pulse \"lift\"".
Result<void> validate(const Wave& wave, std::string_view what);

// Prepared for evaluation.
class WavePlan {
  public:
    WavePlan() = default;
    explicit WavePlan(const Wave& wave);
    struct Level {
        double value = 0, rate = 0; // 0 … 1; per output frame
    };
    Level at(double t) const;
    // Output frames between from and to at which it bends or jumps, and those at which it is `level`; appended.
    void cuts(double from, double to, std::span<const double> levels, std::vector<double>& out) const;

  private:
    Wave wave_;
    CurvePlan response_{0.0};
};

const char* to_text(WaveAfter after);

// Where a keyed curve over 0 … 1 is `level` (none where it only jumps across it), rising.
std::vector<double> shares_at(const KeyedCurve& curve, double level);

} // namespace garland
