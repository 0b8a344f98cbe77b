// garland-cli edit and curve: every change of the Retime step without a window.
#pragma once

#include "cli/commands.h"

#include <CLI/App.hpp>

namespace garland {

// Adds `edit PROJECT CHANGE …` and `curve PROJECT --out FILE`. `code` gets the exit code.
void add_edit_commands(CLI::App& app, Output& out, int& code);

} // namespace garland
