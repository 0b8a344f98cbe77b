// Loops in the document: which frames close, and what the timings do then.
#pragma once

#include "core/loop/find_loops.h"
#include "core/project/show.h"

namespace garland {

// The source as it is without a closing, sampled by file frame: what loops are looked for in.
Sampler open_sampler(const SourceSpec& spec, const OpenSource& open, PoseCache& cache);

// Closes the source's range, and lets the timings of all arrangements that show it play it once from where they began
// and repeat it on both sides, endlessly; what they were before is kept with the source. file_first: of the source's
// files. Errors: not_found; those of validate(Closing).
Result<void> close_source(Project& project, SourceId source, const Closing& closing, std::int64_t file_first,
                          std::int64_t file_last);
// Takes the closing away; timings that are still as the closing made them are again what they were before.
Result<void> open_source_again(Project& project, SourceId source, std::int64_t file_first, std::int64_t file_last);

// For a source that loops as it is (own_loop): the timings that play all of it repeat it on both sides, endlessly.
// Others stay.
struct Repeated {
    std::vector<TimingId> timings, others; // others: play something else
};
// Errors: not_found; invalid where the source is closed already.
Result<Repeated> repeat_as_it_is(Project& project, SourceId source, bool last_is_first, const SourceClock& clock);

// How well a loop meets, before and after it is closed: the step from its last frame to the frame after the wrap beside
// a usual step of the range.
struct Seam {
    double gap = 0;         // from the pose at start + length to the one at start, as the source has them
    double usual = 0;       // a usual step from frame to frame inside the range
    double step_before = 0; // across the wrap, without closing
    double step_after = 0;  // with it
    std::string unit;       // "m", or ""
    double in_steps(double d) const { return usual > 0 ? d / usual : 0; }
};
// Errors: those of validate(Closing) and of reading; cancelled.
Result<Seam> seam_of(const Sampler& open, const Closing& closing, Progress& progress = Progress::none());

// The gap between two poses: root mean square of their points; nothing where they cannot be compared point by point.
std::optional<double> pose_gap(const Pose& a, const Pose& b);

} // namespace garland
