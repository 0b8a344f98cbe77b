// Where frames lie in the pose-match picture.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <utility>

namespace garland {

// A square of frames × frames: start across, end down; the first frame in the corner at the top left.
struct MatchLayout {
    double left = 0, top = 0, side = 1; // pixels
    std::int64_t first = 0;
    std::int64_t frames = 1;

    double pixel_of(std::int64_t frame) const {
        return (static_cast<double>(frame - first) + 0.5) / static_cast<double>(frames) * side;
    }
    double x_of(std::int64_t frame) const { return left + pixel_of(frame); }
    double y_of(std::int64_t frame) const { return top + pixel_of(frame); }
    std::int64_t frame_at(double along) const {
        const double share = std::clamp(along / side, 0.0, 1.0);
        return first + std::min(frames - 1, static_cast<std::int64_t>(std::floor(share * static_cast<double>(frames))));
    }
    bool contains(double x, double y) const { return x >= left && x < left + side && y >= top && y < top + side; }
    // The two frames at a place, the earlier first.
    std::pair<std::int64_t, std::int64_t> pair_at(double x, double y) const {
        const std::int64_t a = frame_at(x - left), b = frame_at(y - top);
        return {std::min(a, b), std::max(a, b)};
    }
    // Frames between two marks of the scale, so that about `most` fit.
    static std::int64_t mark_step(std::int64_t frames, int most) {
        for (std::int64_t ten = 1;; ten *= 10) {
            for (std::int64_t step : {ten, 2 * ten, 5 * ten}) {
                if (frames / step <= most) return step;
            }
        }
    }
};

} // namespace garland
