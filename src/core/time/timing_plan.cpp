#include "core/time/timing_plan.h"

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
    const bool folds = after_.mode == OutsideMode::repeat || after_.mode == OutsideMode::there_and_back;
    alike_ = folds && before_.mode == after_.mode && timing.before.count == 0 && timing.after.count == 0;
    ends_in_next_pass_ = folds && length_ > 0 && after_.period == length_;

    Stretch end;
    end.start = length_;
    end.c[0] = end.low = end.high = last_source_;
    // At the last key the way on counts: still where a hold follows, on its way where the motion goes on.
    const bool rests = after_.mode == OutsideMode::hold || after_.mode == OutsideMode::absent;
    end.c[1] = rests ? 0 : tail;
    stretches_.push_back(end);

    for (const Stretch& s : stretches_) starts_.push_back(s.start);
    starts_.push_back(std::numeric_limits<double>::infinity());

    const std::size_t slices = std::min<std::size_t>(stretches_.size() * 4, 1u << 20);
    buckets_per_frame_ = length_ > 0 ? static_cast<double>(slices) / length_ : 0;
    buckets_.resize(slices + 2); // one more, for rounding at the very end
    std::uint32_t at = 0;
    for (std::size_t b = 0; b < buckets_.size(); ++b) {
        // One slice early, so that rounding of u · buckets_per_frame_ cannot start past the right stretch.
        const double u = b == 0 ? 0 : static_cast<double>(b - 1) / buckets_per_frame_;
        while (at + 1 < stretches_.size() && stretches_[at + 1].start <= u) ++at;
        buckets_[b] = at;
    }
}

} // namespace garland
