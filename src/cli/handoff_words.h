// What a hand-off's options mean; shared by handoff and farm.
#pragma once

#include "cli/commands.h"
#include "io/handoff/outputs.h"

namespace garland {

// The order without its source's id. Errors: invalid, for what is missing or wrong.
Result<HandoffOrder> handoff_order(const HandoffWords& words);

} // namespace garland
