#include "app/time_axis/time_axis.h"

#include <algorithm>
#include <cmath>

namespace garland {

void TimeAxis::zoom(double factor, double pixel) {
    const double around = frame(pixel), span = (high - low) * factor;
    if (!(span >= 2 && span <= 1e8)) return;
    low = around + (low - around) * factor;
    high = low + span;
}

void TimeAxis::pan(double pixels) {
    const double by = -pixels * frames_per_pixel();
    low += by;
    high += by;
}

void TimeAxis::keep_within(const FrameRange& range) {
    const double first = static_cast<double>(range.first), last = std::max(static_cast<double>(range.last), first + 1);
    const double span = std::min(high - low, last - first);
    low = std::clamp(low, first, last - span);
    high = low + span;
}

void TimeAxis::bring_into_view(double frame) {
    if (shows(frame)) return;
    const double span = high - low;
    low += std::floor((frame - low) / span) * span;
    high = low + span;
}

std::vector<double> TimeAxis::numbered(double pixels_apart, bool edge) const {
    const double step = std::max(1.0, nice_step(high - low, std::max(2, static_cast<int>(width / pixels_apart))));
    std::vector<double> out;
    if (edge) out.push_back(std::ceil(low - 1e-9));
    for (double f = std::ceil(low / step) * step; f <= high; f += step) {
        if (out.empty() || x(f) - x(out.back()) >= 24) out.push_back(f);
    }
    return out;
}

double nice_step(double span, int most) {
    double step = 1;
    for (double candidate : {0.01, 0.02, 0.05, 0.1,  0.2,   0.5,   1.,    2.,  5.,  10., 12., 24., 48.,
                             96.,  120., 240., 480., 1000., 2000., 5000., 1e4, 1e5, 1e6, 1e7, 1e8}) {
        step = candidate;
        if (span / candidate <= most) break;
    }
    return step;
}

std::vector<BeatLine> beat_lines(const TimeAxis& axis, const Tempo& tempo, Rate rate) {
    std::vector<BeatLine> out;
    if (!tempo.on) return out;
    const double pixels = frames_per_beat(tempo, rate) / axis.frames_per_pixel();
    int every = 1;
    while (pixels * every < 7) every *= every == 1 && tempo.beats_per_bar > 1 ? tempo.beats_per_bar : 2;
    for (double beat = std::ceil(beat_at(tempo, rate, OutputFrame(axis.low)) / every) * every;; beat += every) {
        const double at = frame_of_beat(tempo, rate, beat).value;
        if (at > axis.high) break;
        out.push_back({at, std::fmod(beat, tempo.beats_per_bar) == 0});
    }
    return out;
}

} // namespace garland
