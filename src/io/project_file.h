// The project file, JSON: docs/project-format.md describes every field.
#pragma once

#include "core/base/result.h"
#include "core/project/project.h"
#include "io/file.h"

#include <string>

namespace garland {

inline constexpr int project_version = 1;

// Errors: malformed (with line and what was expected), newer_version, invalid. Fields that this version does not know
// are kept with the part they stand in, and written again.
Result<Project> parse_project(std::string_view text, const std::string& path);
std::string project_text(const Project& project);

Result<Project> load_project(const std::string& path);
Result<void> save_project(const std::string& path, const Project& project, Existing existing);

// Paths in a project are relative to the folder of its file where that is possible.
std::string absolute_path(const std::string& in_project, const std::string& project_path);
std::string relative_path(const std::string& absolute, const std::string& project_path);

} // namespace garland
