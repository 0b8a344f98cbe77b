// The two clocks. An output frame and a source frame never convert by accident: only a timing leads from one to the
// other. Both hold a double, since a copy may stand between frames.
#pragma once

#include <compare>
#include <cstdint>

namespace garland {

template <class Clock>
struct Frame {
    double value = 0; // in frames of its clock
    constexpr Frame() = default;
    constexpr explicit Frame(double frames) : value(frames) {}
    constexpr auto operator<=>(const Frame&) const = default;

    friend constexpr Frame operator+(Frame f, double frames) { return Frame(f.value + frames); }
    friend constexpr Frame operator-(Frame f, double frames) { return Frame(f.value - frames); }
    friend constexpr double operator-(Frame a, Frame b) { return a.value - b.value; } // a distance, in frames
};

using OutputFrame = Frame<struct OutputClock>;
using SourceFrame = Frame<struct SourceClock>;

struct Seconds {
    double value = 0;
    constexpr Seconds() = default;
    constexpr explicit Seconds(double seconds) : value(seconds) {}
    constexpr auto operator<=>(const Seconds&) const = default;
};

// Whole output frames, both ends included: first…last has last − first + 1 frames.
struct FrameRange {
    std::int64_t first = 1;
    std::int64_t last = 240;
    constexpr bool operator==(const FrameRange&) const = default;
    constexpr std::int64_t count() const { return last - first + 1; }
    constexpr bool valid() const { return last >= first; }
    constexpr bool contains(double frame) const {
        return frame >= static_cast<double>(first) && frame <= static_cast<double>(last);
    }
};

// Moments in which the shutter is open, spread evenly about each frame: from half its angle before to half after it.
struct ShutterSamples {
    int count = 1;      // 1: the frame itself alone; otherwise odd, 3 … 15
    double angle = 180; // degrees of a frame during which it is open, 1 … 359
    constexpr bool operator==(const ShutterSamples&) const = default;
    constexpr bool valid() const {
        return count == 1 || (count >= 3 && count <= 15 && count % 2 == 1 && angle >= 1 && angle <= 359);
    }
    // Of the k-th moment after its frame, in frames; 0 ≤ k < count; the middle one is the frame itself.
    constexpr double offset(int k) const {
        return count < 2 ? 0 : angle / 360 * (static_cast<double>(k) / (count - 1) - 0.5);
    }
};

// An output frame, or a moment inside the shutter about it.
struct FrameMoment {
    std::int64_t frame = 0;
    OutputFrame at;
    constexpr bool whole() const { return at.value == static_cast<double>(frame); }
};

// Every `step`-th frame of a range, from its first one on.
struct FrameSteps {
    FrameRange range;
    std::int64_t step = 1; // above 0
    ShutterSamples shutter{};
    constexpr std::int64_t count() const { return (range.last - range.first) / step + 1; }
    constexpr std::int64_t moments() const { return count() * shutter.count; }
    // The k-th of all moments, which rise; 0 ≤ k < moments().
    constexpr FrameMoment moment(std::int64_t k) const {
        const std::int64_t frame = range.first + k / shutter.count * step;
        return {frame, OutputFrame(static_cast<double>(frame) + shutter.offset(static_cast<int>(k % shutter.count)))};
    }
};

// Frames outside ± this are refused: beyond it a double no longer holds a useful fraction of a frame.
inline constexpr double frame_limit = 1e9;

} // namespace garland
