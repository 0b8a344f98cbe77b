// Copies in cells by what they show at two samples, so that only neighbours have to be compared.
#pragma once

#include "core/copies/twins.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

namespace garland {

// Copies in cells as wide as the difference that counts, over what they show at two samples.
class PairGrid {
  public:
    PairGrid(const std::vector<double>& shown, std::size_t m, std::size_t first, std::size_t second,
             const TwinRule& rule, std::span<const std::uint32_t> copies)
        : wide_(rule.alike_below), period_(rule.period) {
        entries_.reserve(copies.size());
        for (const std::uint32_t i : copies) {
            const double a = shown[i * m + first], b = shown[i * m + second];
            if (!std::isnan(a) && !std::isnan(b)) entries_.push_back({key(cell(a), cell(b)), i});
        }
        std::sort(entries_.begin(), entries_.end());
        for (std::size_t k = 0; k < entries_.size(); ++k) { // where each row begins
            if (k == 0 || row_of(entries_[k]) != rows_.back().first)
                rows_.emplace_back(row_of(entries_[k]), static_cast<std::uint32_t>(k));
        }
    }
    // Calls with the copies in the cells around two values until one call returns true.
    template <class F>
    bool any_near(double a, double b, const F& use) const {
        const std::int64_t x = cell(a), y = cell(b);
        auto in_cells = [&](std::uint64_t first, std::uint64_t last) {
            for (auto at = from(first); at != entries_.end() && at->cell <= last; ++at) {
                if (use(at->copy)) return true;
            }
            return false;
        };
        for (std::int64_t dx = -1; dx <= 1; ++dx) {
            const std::int64_t row = wrapped(x + dx);
            const std::uint64_t first = key(row, y - 1), last = key(row, y + 1);
            const bool beside = wrapped(y - 1) == y - 1 && wrapped(y + 1) == y + 1 && last - first == 2;
            if (beside) { // the three lie one after another
                if (in_cells(first, last)) return true;
                continue;
            }
            for (std::int64_t dy : {y - 1, y, y + 1}) {
                const std::uint64_t wanted = key(row, wrapped(dy));
                if (in_cells(wanted, wanted)) return true;
            }
        }
        return false;
    }

  private:
    struct Entry {
        std::uint64_t cell;
        std::uint32_t copy;
        auto operator<=>(const Entry&) const = default;
    };
    static std::uint32_t row_of(const Entry& e) { return static_cast<std::uint32_t>(e.cell >> 32); }
    // The first entry of that cell or one behind it: looked for in its row alone, which lies close together.
    std::vector<Entry>::const_iterator from(std::uint64_t cell) const {
        const auto row =
            std::lower_bound(rows_.begin(), rows_.end(), std::pair(static_cast<std::uint32_t>(cell >> 32), 0u));
        const auto next = row == rows_.end() ? row : row + 1;
        auto begin = [&](auto at) {
            return at == rows_.end() ? entries_.end() : entries_.begin() + static_cast<std::ptrdiff_t>(at->second);
        };
        return std::lower_bound(begin(row), begin(next), Entry{cell, 0});
    }
    // On a loop the cells go round it; the last one may be wider, so that whole cells fit.
    std::int64_t around() const { return std::max<std::int64_t>(static_cast<std::int64_t>(period_ / wide_), 1); }
    std::int64_t cell(double s) const {
        if (period_ <= 0) return static_cast<std::int64_t>(std::floor(s / wide_));
        return std::min(static_cast<std::int64_t>(std::floor((s - std::floor(s / period_) * period_) / wide_)),
                        around() - 1);
    }
    std::int64_t wrapped(std::int64_t c) const { return period_ <= 0 ? c : (c % around() + around()) % around(); }
    static std::uint64_t key(std::int64_t x, std::int64_t y) {
        return static_cast<std::uint64_t>(x) << 32 ^ (static_cast<std::uint64_t>(y) & 0xffffffffu);
    }
    double wide_, period_;
    std::vector<Entry> entries_;                                // by cell, then by copy
    std::vector<std::pair<std::uint32_t, std::uint32_t>> rows_; // their numbers, and where each begins; rising
};

} // namespace garland
