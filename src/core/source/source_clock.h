// How a source's files count, beside how the project counts it.
#pragma once

#include "core/base/words.h"
#include "core/time/rate.h"

#include <algorithm>
#include <cstdint>

namespace garland {

enum class Join {
    by_clock,        // seconds agree: a second of the source is a second of output
    frame_for_frame, // numbers agree: every source frame lasts one output frame at speed 1
};
inline constexpr Word<Join> join_words[] = {{"by clock", Join::by_clock}, {"frame for frame", Join::frame_for_frame}};

// A source frame (as everything in the project counts it) is 1/project rate long; a file frame is 1/own rate long.
// Both are the same when the source is joined frame for frame.
struct SourceClock {
    std::int64_t file_first = 0, file_last = 0;
    SourceFrame first{};              // what the project calls the first file frame
    double files_per_frame = 1;       // file frames in one source frame
    double file_seconds = 1.0 / 24.0; // from one file frame to the next, for velocities

    bool operator==(const SourceClock&) const = default;
    SourceFrame last() const { return first + static_cast<double>(file_last - file_first) / files_per_frame; }
    double file_frame(SourceFrame s) const {
        const double f = static_cast<double>(file_first) + (s - first) * files_per_frame;
        return std::clamp(f, static_cast<double>(file_first), static_cast<double>(file_last));
    }
};

inline SourceClock make_clock(std::int64_t file_first, std::int64_t file_last, std::int64_t first, Rate own, Join join,
                              Rate project) {
    SourceClock clock;
    clock.file_first = file_first;
    clock.file_last = file_last;
    clock.first = SourceFrame(static_cast<double>(first));
    clock.files_per_frame = join == Join::by_clock ? conform_factor(project, own) : 1.0;
    clock.file_seconds = own.start_of(1).value;
    return clock;
}

} // namespace garland
