// A project with its sources opened.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"

#include <string>
#include <vector>

namespace garland {

struct MissingSource {
    SourceId id;
    Error error; // says which file
};

struct OpenedProject {
    Project project;
    OpenSources sources;
    std::vector<MissingSource> missing; // the project opens without them
};

// Errors: those of load_project; cancelled.
Result<OpenedProject> open_project(const std::string& path, Progress& progress = Progress::none());

Result<OpenedProject> open_project(Project project, const std::string& path, Progress& progress = Progress::none());

// Opens, or computes, one source. Errors as open_source.
Result<SourcePtr> open_spec(const SourceSpec& spec, const std::string& project_path,
                            Progress& progress = Progress::none());

// Reads one sound of a project; trouble is kept with it.
OpenSound open_sound(const SoundSpec& spec, const std::string& project_path, Progress& progress = Progress::none());

// Opens the sources of a project that is in memory. `path`: of the project file, for relative paths.
Result<void> open_sources(const Project& project, const std::string& path, OpenSources& sources,
                          std::vector<MissingSource>& missing, Progress& progress);

} // namespace garland
