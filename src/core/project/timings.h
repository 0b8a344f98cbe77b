// Timings as several arrangements share them: who uses which, sharing one, copying one.
#pragma once

#include "core/project/project.h"

#include <string>
#include <vector>

namespace garland {

std::vector<ArrangementId> users_of(const Project& project, TimingId timing); // in the project's order

// The arrangement follows the timing from now on. A timing that nobody uses any more stays, to be used again or
// removed. Errors: not_found.
Result<void> share_timing(Project& project, ArrangementId arrangement, TimingId timing);

// The arrangement gets a timing of its own, equal to the one it shares. Returns its id. Errors: not_found; invalid
// where nobody else uses the timing.
Result<TimingId> separate_timing(Project& project, ArrangementId arrangement);

// Errors: not_found; invalid for an empty name.
Result<void> rename_timing(Project& project, TimingId timing, const std::string& name);

// Errors: not_found; invalid where somebody uses it.
Result<void> remove_timing(Project& project, TimingId timing);

// A source has other frames than before (another rate, first frame, loop, or file): timings that play exactly what it
// was, from its first frame to its last, play what it is now, from the same output frame on. Those that were changed
// stay.
struct Followed {
    std::vector<TimingId> moved, kept; // kept: play frames that the source does not have now, or leave some unseen
    std::string words(const Project& project, const SourceClock& now) const; // for people; empty: nothing to say
};
Followed follow_source(Project& project, SourceId source, const SourceClock& before, const SourceClock& now);

// How many whole frames of a source no arrangement's timing ever comes to within its span; 0 where none follows it.
std::int64_t frames_never_shown(const Timing& timing, const SourceClock& clock);

} // namespace garland
