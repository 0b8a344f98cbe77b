// The ruler under everything that is drawn over output frames: the Lanes, the sound above them, the time map. A plain
// value from pixels to frames, without a window.
#pragma once

#include "core/time/beats.h"
#include "core/time/frames.h"

#include <vector>

namespace garland {

struct TimeAxis {
    double left = 0, width = 1; // pixels; width > 0
    double low = 1, high = 240; // output frames at the left and at the right edge; low < high

    double x(double frame) const { return left + (frame - low) / (high - low) * width; }
    double frame(double pixel) const { return low + (pixel - left) / width * (high - low); }
    double frames_per_pixel() const { return (high - low) / width; }
    bool shows(double frame) const { return frame >= low && frame <= high; }

    // Zooms by a factor (below 1: closer) around a pixel, whose frame stays where it is. Between 2 and 1e8 frames stay
    // in view; a factor that would leave these does nothing.
    void zoom(double factor, double pixel);
    // What is seen goes along with a hand that moves by so many pixels.
    void pan(double pixels);
    // Zoomed and moved, it stays within the range: at most the whole of it is seen.
    void keep_within(const FrameRange& range);
    // Pages so that a frame is seen; one that is seen already stays where it is.
    void bring_into_view(double frame);

    // The frames that carry a number, at least so many pixels apart: multiples of a nice step, and the first whole
    // frame in view where `edge` is set.
    std::vector<double> numbered(double pixels_apart, bool edge = false) const;
};

// A step of 1, 2 or 5 times a power of ten (or of 12, 24 … for frames) so that `span` has at most `most` of them.
double nice_step(double span, int most);

struct BeatLine {
    double frame = 0; // an output frame
    bool bar = false; // the first beat of a bar
};
// The beats in view; where they would stand closer than seven pixels, bars alone, or every second, fourth … of them.
std::vector<BeatLine> beat_lines(const TimeAxis& axis, const Tempo& tempo, Rate rate);

} // namespace garland
