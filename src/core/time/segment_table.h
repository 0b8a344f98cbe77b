// Stretches prepared for looking up: which one a place falls in, and what it says there.
#pragma once

#include "core/base/levels.h"
#include "core/time/time_map.h"

#include <algorithm>
#include <cstdint>
#include <vector>

namespace garland {

class SegmentTable {
  public:
    SegmentTable() = default;
    // `stretches` reach from 0 to `length`; `end` stands for the last place itself and what comes after it.
    SegmentTable(std::vector<Stretch> stretches, double length, Stretch end);

    // Whether nothing is shown in stretch i, and whether that is so of any.
    bool hides() const { return !hidden_.empty(); }
    bool hidden(std::uint32_t i) const { return hidden_[i] != 0; }

    double length() const { return length_; }
    std::size_t size() const { return rows_.size(); }

    // A stretch as it is looked up, in one line of the processor's cache.
    struct alignas(64) Row {
        double start = 0;
        double c[4] = {0, 0, 0, 0};
        double low = 0, high = 0;
        double before = 0; // the slope with which the stretch before it arrives; its own for the first one
    };
    const Row& row(std::uint32_t i) const { return rows_[i]; }

    // The stretch that u, 0 ≤ u ≤ length, falls in.
    std::uint32_t find(double u) const { return find(u, slice(u)); }
    // True where find_fine gives the same as find for every u: no slice of the table has more than one start in it.
    bool fine() const { return fine_; }
    std::uint32_t find_fine(double u) const { return find_fine(u, slice(u)); }
    // The same in two steps, the first of which can be taken for many places at once: which equal part of the length.
    std::int32_t slice(double u) const { return static_cast<std::int32_t>(u * slices_per_frame_); }
    std::uint32_t find_fine(double u, std::int32_t slice) const;
    std::uint32_t find(double u, std::int32_t slice) const;

    struct Sample {
        double value = 0, slope = 0;
    };
    // The value at u in stretch i, and its slope with time running forward (sign ≥ 0) or backward: played backward, the
    // very start of a stretch leads into the one before it, so that one's slope counts.
    Sample at(double u, std::uint32_t i, double sign) const;

  private:
    double length_ = 0;
    double slices_per_frame_ = 0;
    bool fine_ = true;
    std::vector<Row> rows_;            // closed by `end`
    std::vector<std::uint8_t> hidden_; // of the rows; empty: none is
    std::vector<double> starts_;       // of the stretches, closed by infinity
    struct Slice {
        double next = 0;         // where the next stretch starts
        std::uint32_t first = 0; // the stretch in which the slice starts
    };
    std::vector<Slice> slices_; // equal parts of the length
};

// ---- inline, so that the loops over copies are built as one --------------------------------------------------------

GARLAND_INLINE std::uint32_t SegmentTable::find_fine(double u, std::int32_t slice) const {
    const Slice& in = slices_[static_cast<std::uint32_t>(slice)];
    return in.first + static_cast<std::uint32_t>(in.next <= u); // no branch to guess wrong
}

GARLAND_INLINE std::uint32_t SegmentTable::find(double u, std::int32_t slice) const {
    std::uint32_t i = find_fine(u, slice);
    while (starts_[i + 1] <= u) ++i;
    return i;
}

GARLAND_INLINE SegmentTable::Sample SegmentTable::at(double u, std::uint32_t i, double sign) const {
    const Row& r = rows_[i];
    const double v = u - r.start;
    return {std::min(std::max(cubic(r.c, v), r.low), r.high), ((sign < 0) & (v == 0)) ? r.before : cubic_slope(r.c, v)};
}

} // namespace garland
