// Timings as several arrangements share them: who uses which, sharing one, taking a copy of one's own.
#pragma once

#include "core/project/project.h"

namespace garland {

std::vector<ArrangementId> users_of(const Project& project, TimingId timing); // in the project's order

// The arrangement follows the timing from now on. A timing that nobody uses any more stays, to be used again or removed.
// Errors: not_found.
Result<void> share_timing(Project& project, ArrangementId arrangement, TimingId timing);

// The arrangement gets a timing of its own, equal to the one it shares. Returns its id. Errors: not_found; invalid where
// nobody else uses the timing.
Result<TimingId> separate_timing(Project& project, ArrangementId arrangement);

// Errors: not_found; invalid for an empty name.
Result<void> rename_timing(Project& project, TimingId timing, const std::string& name);

// Errors: not_found; invalid where somebody uses it.
Result<void> remove_timing(Project& project, TimingId timing);

} // namespace garland
