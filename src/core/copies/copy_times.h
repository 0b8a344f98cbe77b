// Step one of the way: who shows which source frame, and why. Stages 1 to 5 of docs/time.md.
#pragma once

#include "core/copies/clocks.h"

#include <span>
#include <vector>

namespace garland {

// Local time τ of a copy at output frame t.
OutputFrame local_time(const TimingPlan& plan, const CopyClock& copy, OutputFrame t);

enum Mark : std::uint8_t {
    mark_absent = 1,        // nothing is shown
    mark_held = 2,          // the pose stands still
    mark_backward = 4,      // the source runs backward
    mark_clamped_first = 8, // the timing asks for less than the source's first frame
    mark_clamped_last = 16, // the timing asks for more than the source's last frame
};

// Everything about a copy's time at one output frame. Whoever needs any of it reads it here.
struct CopyMoment {
    double source = 0; // the source frame shown, inside the source's range
    float speed = 0;   // ds/dt, source frames per output frame
    std::int32_t pass = 0;
    std::uint8_t marks = 0;
    double local = 0; // τ, output frames
    double delay = 0; // output frames later
    double rate = 1;  // dτ/dt
    bool has(Mark mark) const { return (marks & mark) != 0; }
};

// Every number on the way from output frame to source frame, for one copy.
struct CopyTrace {
    double delay = 0, rate = 1;
    double local = 0;    // τ, output frames
    TimingSample timing; // M(τ), before/after
    CopyMoment moment;   // after the source's range
};

// One copy's stages; the batch below gives exactly the same moments.
CopyTrace trace_copy(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy, OutputFrame t);

// The same for one of an arrangement's clocks.
CopyTrace trace_copy(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t copy,
                     OutputFrame t);

// Copies from `from` on at one output frame, as many as fit into `out`.
void copy_moments(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t from,
                  OutputFrame t, std::span<CopyMoment> out);

// One copy over many output frames. out.size() = frames.size().
void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t copy,
                 std::span<const double> frames, std::span<CopyMoment> out);

// The same where what is alike for all copies at those frames is known: nows[k] = clocks.now(frames[k]).
void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClocks& clocks, std::size_t copy,
                 std::span<const double> frames, std::span<const CopyClocks::Now> nows, std::span<CopyMoment> out);
std::vector<CopyClocks::Now> nows_of(const CopyClocks& clocks,
                                     std::span<const double> frames); // none where nothing changes

// The same for clocks in which nothing changes in time. All copies at one output frame; out.size() = copies.size().
void copy_moments(const TimingPlan& plan, const SourceClock& source, std::span<const CopyClock> copies, OutputFrame t,
                  std::span<CopyMoment> out);

// One copy over many output frames. out.size() = frames.size().
void row_moments(const TimingPlan& plan, const SourceClock& source, const CopyClock& copy,
                 std::span<const double> frames, std::span<CopyMoment> out);

} // namespace garland
