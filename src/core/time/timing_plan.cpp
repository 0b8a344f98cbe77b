#include "core/time/timing_plan.h"

#include <algorithm>
#include <limits>

namespace garland {

TimingPlan::TimingPlan(const Timing& timing) : stretches_(stretches(timing.map)) {
    const TimeMap& map = timing.map;
    first_ = map.first().value;
    length_ = map.last() - map.first();
    first_source_ = map.keys.front().source.value;
    last_source_ = map.keys.back().source.value;

    double head = 0, tail = 0;
    if (!stretches_.empty()) {
        const Stretch& s = stretches_.back();
        head = stretches_.front().c[1];
        tail = s.c[1] + s.length * (2 * s.c[2] + 3 * s.length * s.c[3]);
    }
    auto side = [&](const Outside& outside, double slope) {
        return Side{outside.mode, pass_length(timing, outside.mode),
                    outside.count > 0 ? outside.count : std::numeric_limits<double>::infinity(), slope};
    };
    before_ = side(timing.before, head);
    after_ = side(timing.after, tail);

    Stretch end;
    end.start = length_;
    end.c[0] = end.low = end.high = last_source_;
    // At the last key the way on counts: still where a hold follows, on its way where the motion goes on.
    const bool rests = after_.mode == OutsideMode::hold || after_.mode == OutsideMode::absent;
    end.c[1] = rests ? 0 : tail;
    stretches_.push_back(end);

    const std::size_t slices = std::min<std::size_t>(stretches_.size() * 4, 1u << 20);
    buckets_per_frame_ = length_ > 0 ? static_cast<double>(slices) / length_ : 0;
    buckets_.resize(slices + 1);
    std::uint32_t at = 0;
    for (std::size_t b = 0; b <= slices; ++b) {
        // One slice early, so that rounding of u · buckets_per_frame_ cannot start past the right stretch.
        const double u = b == 0 ? 0 : static_cast<double>(b - 1) / buckets_per_frame_;
        while (at + 1 < stretches_.size() && stretches_[at + 1].start <= u) ++at;
        buckets_[b] = at;
    }
}

std::size_t TimingPlan::find(double u) const {
    const auto slice = std::min(static_cast<std::size_t>(u * buckets_per_frame_), buckets_.size() - 1);
    std::size_t i = buckets_[slice];
    while (i + 1 < stretches_.size() && stretches_[i + 1].start <= u) ++i;
    return i;
}

void TimingPlan::read(double u, double sign, TimingSample& out) const {
    const std::size_t i = find(u);
    const Stretch& s = stretches_[i];
    double v = u - s.start;
    const double value = s.c[0] + v * (s.c[1] + v * (s.c[2] + v * s.c[3]));
    out.source = std::min(std::max(value, s.low), s.high);
    // Played backward, a key leads into the stretch before it.
    const bool before = sign < 0 && v == 0 && i > 0;
    const Stretch& way = before ? stretches_[i - 1] : s;
    if (before) v = way.length;
    out.slope = sign * (way.c[1] + v * (2 * way.c[2] + 3 * v * way.c[3]));
    out.span_frame = first_ + u;
}

// x: output frames from the span's first key, outside 0…length.
void TimingPlan::outside(double x, const Side& side, TimingSample& out) const {
    const bool after = x > 0;
    out.part = after ? Part::after : Part::before;
    auto end = [&](bool at_last) {
        out.source = at_last ? last_source_ : first_source_;
        out.slope = 0;
        out.span_frame = at_last ? first_ + length_ : first_;
    };
    switch (side.mode) {
    case OutsideMode::hold: return end(after);
    case OutsideMode::absent: out.absent = true; return end(after);
    case OutsideMode::run_on:
        end(after);
        out.source += side.end_slope * (after ? x - length_ : x);
        out.slope = side.end_slope;
        return;
    case OutsideMode::repeat:
    case OutsideMode::there_and_back: break;
    }
    const double period = side.period;
    double pass = std::floor(x / period);
    double u = x - pass * period;
    if (u < 0) {
        u += period, pass -= 1;
    } else if (u >= period) {
        u -= period, pass += 1;
    }
    // x itself may be off by half a unit in its last place; a multiple of the period is the very start of a pass.
    const double blur = std::abs(x) * 0x1p-52;
    if (period - u <= blur) u = 0, pass += 1;
    if (u <= blur) u = 0;
    u = std::min(std::max(u, 0.0), period);
    const bool folds = side.mode == OutsideMode::there_and_back;
    if (std::abs(pass) > side.passes) { // every pass has been played: hold the pose of its far end
        out.pass = static_cast<std::int64_t>(after ? side.passes : -side.passes);
        const bool odd = folds && std::fmod(side.passes, 2.0) == 1.0;
        return end(after != odd);
    }
    out.pass = static_cast<std::int64_t>(pass);
    const bool backward = folds && std::fmod(pass, 2.0) != 0;
    const bool gap = u > length_; // between the last frame and the wrap the last pose stays
    u = std::min(u, length_);
    read(backward ? length_ - u : u, backward ? -1 : 1, out);
    if (gap) out.slope = 0;
}

TimingSample TimingPlan::at(OutputFrame local) const {
    TimingSample out;
    const double x = local.value - first_;
    if (x >= 0 && x <= length_) {
        // A seamless repeat starts anew at the very end of the span, and a turn is on its way back there.
        const bool goes_on = after_.mode == OutsideMode::repeat || after_.mode == OutsideMode::there_and_back;
        const bool over = x == length_ && length_ > 0 && after_.period == length_ && goes_on;
        if (!over) {
            read(x, 1, out);
            return out;
        }
    }
    if (x < 0) {
        outside(x, before_, out);
    } else if (x >= length_) {
        outside(x, after_, out);
    } else {
        out.source = first_source_; // NaN
        out.span_frame = first_;
    }
    return out;
}

} // namespace garland
