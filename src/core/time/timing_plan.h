// A timing prepared for evaluation: any output frame, in any order, the same bytes on every machine.
#pragma once

#include "core/time/timing.h"

#include <cmath>
#include <cstdint>
#include <vector>

namespace garland {

enum class Part : std::uint8_t { before, span, after };

struct TimingSample {
    double source = 0;      // source frame, not yet held inside the source's own range
    double slope = 0;       // ds/dt: source frames per output frame
    double span_frame = 0;  // where in the timing's own span this falls, as an output frame
    std::int64_t pass = 0;  // 0: the span itself; 1, 2 … after it; −1, −2 … before it
    Part part = Part::span;
    bool absent = false;    // nothing is shown
};

class TimingPlan {
  public:
    TimingPlan() = default;
    // The timing must be valid.
    explicit TimingPlan(const Timing& timing);

    // M(τ) with before and after. Pure; a NaN gives the first pose.
    TimingSample at(OutputFrame local) const;

    OutputFrame first() const { return OutputFrame(first_); }
    OutputFrame last() const { return OutputFrame(first_ + length_); }

  private:
    struct Side {
        OutsideMode mode = OutsideMode::hold;
        double period = 1;
        double passes = 0; // how many are played beyond the span; infinity: endless
        double end_slope = 0;
    };
    std::size_t find(double u) const;
    void read(double u, double sign, TimingSample& out) const;
    void outside(double x, const Side& side, TimingSample& out) const;

    double first_ = 0, length_ = 0;
    double first_source_ = 0, last_source_ = 0;
    double buckets_per_frame_ = 0;
    Side before_, after_;
    std::vector<Stretch> stretches_;      // closed by one flat stretch that stands for the last key
    std::vector<std::uint32_t> buckets_;  // for each equal slice of the span, the stretch in which it starts
};

} // namespace garland
