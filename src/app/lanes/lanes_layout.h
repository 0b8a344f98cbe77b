// The Lanes's geometry, without a window: which pixel is which copy and which output frame.
#pragma once

#include "core/time/frames.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace garland {

struct LanesLayout {
    int width = 0, height = 0; // of the whole view
    int names = 160;           // pixels of the names at the left
    int head = 26, foot = 20;  // pixels above and below the rows
    int right = 16;            // free pixels at the right
    double row_height = 14;    // at most; rows get thinner only when `fit` is set
    double scroll = 0;         // rows hidden above
    bool fit = false;          // all rows at once
    std::int64_t rows = 0;
    FrameRange range;

    int plot_width() const { return std::max(1, width - names - right); }
    int plot_height() const { return std::max(1, height - head - foot); }
    double row_pixels() const {
        if (!fit || rows == 0) return row_height;
        return std::min(row_height, static_cast<double>(plot_height()) / static_cast<double>(rows));
    }
    bool merged() const { return row_pixels() < 1; }
    double rows_shown() const { return plot_height() / row_pixels(); }
    double most_scroll() const { return fit ? 0 : std::max(0.0, static_cast<double>(rows) - rows_shown()); }

    // Output frames: the range's first frame at the left edge of the plot, its last one at the right.
    double frame_at(double x) const {
        const double share = (x - names) / plot_width();
        return static_cast<double>(range.first) + share * static_cast<double>(range.count() - 1);
    }
    double x_of(double frame) const {
        const double span = static_cast<double>(std::max<std::int64_t>(range.count() - 1, 1));
        return names + (frame - static_cast<double>(range.first)) / span * plot_width();
    }
    double frames_per_pixel() const { return static_cast<double>(range.count() - 1) / plot_width(); }

    double y_of(double row) const { return head + (row - scroll) * row_pixels(); }
    // The row under y, or −1.
    std::int64_t row_at(double y) const {
        if (y < head || y >= head + plot_height()) return -1;
        const auto row = static_cast<std::int64_t>(std::floor((y - head) / row_pixels() + scroll));
        return row >= 0 && row < rows ? row : -1;
    }
    bool in_plot(double x, double y) const { return x >= names && x <= names + plot_width() && row_at(y) >= 0; }
};

} // namespace garland
