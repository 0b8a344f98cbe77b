#include "io/open_project.h"

#include "io/open_source.h"
#include "io/project_file.h"

namespace garland {

Result<void> open_sources(const Project& project, const std::string& path, OpenSources& sources,
                          std::vector<MissingSource>& missing, Progress& progress) {
    double done = 0;
    for (const SourceSpec& spec : project.sources) {
        const auto parts = static_cast<double>(project.sources.size());
        PartOf part(progress, done / parts, (done + 1) / parts);
        done += 1;
        auto source = open_source(absolute_path(spec.path, path), part);
        if (source) {
            sources[spec.id] = {std::move(*source), PoseCache::new_serial()};
        } else if (source.error().code == ErrorCode::cancelled) {
            return fail(std::move(source.error()));
        } else {
            Error error = std::move(source.error());
            if (error.advice.empty()) error.advice = "find the file, or put it back and open the project again";
            missing.push_back({spec.id, std::move(error)});
        }
    }
    return {};
}

Result<OpenedProject> open_project(const std::string& path, Progress& progress) {
    OpenedProject out;
    GARLAND_TRY(project, load_project(path));
    out.project = std::move(project);
    GARLAND_CHECK(open_sources(out.project, path, out.sources, out.missing, progress));
    return out;
}

} // namespace garland
