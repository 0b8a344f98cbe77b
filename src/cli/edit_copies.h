// The parts of garland-cli edit that arrange copies and let them vary.
#pragma once

#include "cli/edit_changes.h"

#include <CLI/App.hpp>

namespace garland {

using RunChange = std::function<void(const Change&)>;

// Adds edit arrange, spread, nudge, meet, part, single-out and hide. run: makes a change of the project and reports it.
void add_copy_commands(CLI::App& edit, const std::shared_ptr<Words>& words, const RunChange& run);

} // namespace garland
