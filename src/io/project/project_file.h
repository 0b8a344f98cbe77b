// The project file, JSON: docs/project-format.md describes every field.
#pragma once

#include "core/base/result.h"
#include "core/project/project.h"
#include "io/files/file.h"

#include <string>

namespace garland {

// What tells one content of a project file from another.
struct ProjectStamp {
    std::uint64_t bytes = 0, hash = 0; // XXH3
    bool operator==(const ProjectStamp&) const = default;
};
ProjectStamp stamp_of(std::string_view text);

// While it lives, nobody else who asks for it changes the file: other programs wait for it. Errors: unreadable, where
// another program has kept it for longer than `seconds`.
class ProjectLock {
  public:
    static Result<ProjectLock> take(const std::string& path, double seconds = 20);

  private:
    OpenFile file_;
};

inline constexpr int project_version = 1;
inline constexpr int project_reader = 1; // the oldest version that reads what this one writes

// Errors: malformed (with line and what was expected), newer_version, invalid. Fields that this version does not know
// are kept with the part they stand in, and written again. note: set to what the user should know of a file that was
// read, in one sentence; "" when there is nothing.
Result<Project> parse_project(std::string_view text, const std::string& path, std::string* note = nullptr);
std::string project_text(const Project& project);

// stamp: set to what was read; note: as above.
Result<Project> load_project(const std::string& path, ProjectStamp* stamp = nullptr, std::string* note = nullptr);
// Locks the file while it is exchanged, unless `held` is its lock. expected: what the file must still hold; set to what
// was written. Errors: those of writing; changed, where somebody else has written it meanwhile, and nothing is written.
Result<void> save_project(const std::string& path, const Project& project, Existing existing,
                          ProjectStamp* expected = nullptr, const ProjectLock* held = nullptr);

// Paths in a project are relative to the folder of its file where that is possible.
std::string absolute_path(const std::string& in_project, const std::string& project_path);
std::string relative_path(const std::string& absolute, const std::string& project_path);

} // namespace garland
