// The parts of garland-cli edit that let places, levels and sounds play copies.
#pragma once

#include "cli/edit_copies.h"

namespace garland {

// Adds edit zone, play, pulse and sound. run: makes a change of the project and reports it.
void add_drive_commands(CLI::App& edit, const std::shared_ptr<Words>& words, const RunChange& run);

} // namespace garland
