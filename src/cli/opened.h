// What several commands share: a project opened, frames as whole ranges.
#pragma once

#include "cli/commands.h"
#include "core/project/show.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"

#include <memory>
#include <string>

namespace garland {

struct Opened {
    OpenedProject project;
    std::unique_ptr<PoseCache> cache;
    ShowPtr show;
};

// Everything a command needs of a project; sources that are not there are listed. Errors: those of loading; cancelled.
Result<Opened> open(const std::string& path, Progress& progress);
// Says on standard error what is missing or has no copies.
void warn_missing(const Opened& opened);
Result<FrameSteps> whole_steps(const std::string& text); // "1:240", "1:240:4"
// A project; "-" is standard input. stamp: as load_project.
Result<Project> load(const std::string& path, ProjectStamp* stamp = nullptr);
void set_cache_bytes(std::size_t bytes); // what --cache asks for
std::size_t cache_bytes();
int usage(const Error& error, Output out); // reports it; the exit code of a wrong call

} // namespace garland
