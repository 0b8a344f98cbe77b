// A hand-off as a file that any number of machines work on, each on a share of its frames; and the scripts that give
// those shares to a batch engine.
#pragma once

#include "io/handoff/outputs.h"

#include <string>
#include <vector>

namespace garland {

struct HandoffJob {
    std::string project; // as it is opened
    HandoffOrder order;
    int chunks = 1; // 1 … 100 000

    std::string path() const { return order.folder + "/" + order.stem() + order.ending + ".job.json"; }
};

// Paths in the file are relative to it where the project lies on the same disk below or beside it, so that a shared
// folder may be mounted elsewhere. Errors: those of writing; not_found, malformed (with what is wrong).
Result<void> write_job(const HandoffJob& job, Existing existing);
Result<HandoffJob> read_job(const std::string& path);

// What a hand-off's journals and manifest say of it.
struct JobState {
    std::int64_t frames = 0, complete = 0; // complete: in a journal or the manifest
    bool whole = false;                    // the manifest stands
};
Result<JobState> state_of(const HandoffJob& job);

struct FarmOrder {
    HandoffJob job;
    std::string engine = "slurm"; // or "template"
    std::string template_text;    // with {chunk}, {chunks}, {command} and {verify}
    std::string cli;              // how machines call the command line
    int memory = 0;               // megabytes a task; 0: as the engine has it
    int minutes = 0;              // a task may take so long; 0: as the engine has it
};

struct FarmScripts {
    std::vector<std::string>
        files; // slurm: the array, then the verifying task; template: one for each share, then verify
};
// Beside the job file. Slurm: NAME.array.sh (one task a share, numbered from 1) and NAME.verify.sh. Errors: invalid,
// for a template without {command}; those of writing.
Result<FarmScripts> write_farm(const FarmOrder& order, Existing existing);

std::string in_shell(const std::string& word); // quoted for a POSIX shell

} // namespace garland
