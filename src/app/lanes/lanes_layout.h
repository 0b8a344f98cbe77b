// The Lanes's geometry, without a window: which pixel is which copy and which output frame.
#pragma once

#include "app/time_axis/time_axis.h"

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
    double low = 1, high = 240; // output frames at the plot's left and right edge

    int plot_width() const { return std::max(1, width - names - right); }
    int plot_height() const { return std::max(1, height - head - foot); }
    double row_pixels() const {
        if (!fit || rows == 0) return row_height;
        return std::min(row_height, static_cast<double>(plot_height()) / static_cast<double>(rows));
    }
    bool merged() const { return row_pixels() < 1; }
    double rows_shown() const { return plot_height() / row_pixels(); }
    double most_scroll() const { return fit ? 0 : std::max(0.0, static_cast<double>(rows) - rows_shown()); }

    TimeAxis axis() const { return {static_cast<double>(names), static_cast<double>(plot_width()), low, high}; }
    void show(const TimeAxis& axis) { low = axis.low, high = axis.high; }
    double frame_at(double x) const { return axis().frame(x); }
    double x_of(double frame) const { return axis().x(frame); }
    double frames_per_pixel() const { return axis().frames_per_pixel(); }

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
