// What each output of geometry plans and writes; outputs.cpp lists them.
#pragma once

#include "io/handoff/outputs.h"

namespace garland {

Result<HandoffPlan> plan_posed(const HandoffInput& in, const HandoffOrder& order, Progress& progress);
Result<HandoffDone> write_posed(const HandoffInput& in, const HandoffOrder& order, HandoffJournal& journal,
                                Progress& progress);
Result<HandoffPlan> plan_source(const HandoffInput& in, const HandoffOrder& order, Progress& progress);
Result<HandoffDone> write_source(const HandoffInput& in, const HandoffOrder& order, HandoffJournal& journal,
                                 Progress& progress);
Result<HandoffPlan> plan_glb(const HandoffInput& in, const HandoffOrder& order, Progress& progress);
Result<HandoffDone> write_glb_of(const HandoffInput& in, const HandoffOrder& order, HandoffJournal&,
                                 Progress& progress);

// Files, those that exist and free space, of what is one file.
void sizes(HandoffPlan& plan, const HandoffOrder& order);

} // namespace garland
