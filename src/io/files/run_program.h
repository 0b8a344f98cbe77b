// Runs another program and waits for it: no shell, no standard input, everything it says kept.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"

#include <string>
#include <vector>

namespace garland {

struct ProgramRun {
    std::vector<std::string> words; // the program, looked up on the path, and its arguments; at least one
    std::string folder;             // it starts here
    double limit = 600;             // seconds, > 0; then it is stopped
};

struct ProgramEnd {
    int code = 0;     // its exit code; 128 + the signal that ended it
    std::string said; // the end of what it printed, standard output and errors as they came; at most 4000 bytes
};

// Numbers before a per cent sign in what it prints ("42 %") are reported as progress. Cancelling stops it and whatever
// it has started. Errors: not_found, where there is no such program; unreadable, where it cannot be run; invalid, for
// one that takes longer than its limit; cancelled. An exit code other than 0 is no error here.
Result<ProgramEnd> run_program(const ProgramRun& run, Progress& progress);

} // namespace garland
