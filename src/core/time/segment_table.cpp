#include "core/time/segment_table.h"

#include <algorithm>
#include <limits>

namespace garland {

SegmentTable::SegmentTable(std::vector<Stretch> stretches, double length, Stretch end) : length_(length) {
    stretches.push_back(end);
    double before = stretches.front().c[1];
    for (const Stretch& s : stretches) {
        starts_.push_back(s.start);
        rows_.push_back({s.start, {s.c[0], s.c[1], s.c[2], s.c[3]}, s.low, s.high, before});
        before = s.slope(s.length);
    }
    const auto hides = [](const Stretch& s) { return s.hidden; };
    if (std::any_of(stretches.begin(), stretches.end(), hides)) {
        for (const Stretch& s : stretches) hidden_.push_back(s.hidden);
    }
    starts_.push_back(std::numeric_limits<double>::infinity());
    if (length_ <= 0) {
        slices_.resize(2, {starts_[1], 0});
        return;
    }
    // Slices as narrow as the shortest stretch make one comparison enough; where that would take too many, find()
    // walks.
    double shortest = length_;
    for (std::size_t i = 0; i + 1 < rows_.size(); ++i) shortest = std::min(shortest, starts_[i + 1] - starts_[i]);
    const auto usual = static_cast<double>(rows_.size() * 4), most = static_cast<double>(rows_.size() * 16 + 64);
    const double count = std::min(std::min(std::max(usual, length_ / shortest * 1.01 + 1), most), 1048576.0);
    const auto slices = static_cast<std::size_t>(count);
    slices_per_frame_ = static_cast<double>(slices) / length_;
    slices_.resize(slices + 2);                     // one more, for rounding at the very end
    const double sliver = 1e-9 / slices_per_frame_; // early, so that rounding cannot start past the right stretch
    std::uint32_t at = 0;
    for (std::size_t b = 0; b < slices_.size(); ++b) {
        const double u = static_cast<double>(b) / slices_per_frame_ - sliver;
        while (at + 1 < rows_.size() && starts_[at + 1] <= u) ++at;
        slices_[b] = {starts_[at + 1], at};
        const double end = static_cast<double>(b + 1) / slices_per_frame_ + sliver;
        if (at + 2 < starts_.size() && starts_[at + 2] <= end) fine_ = false;
    }
}

} // namespace garland
