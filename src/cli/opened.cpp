#include "cli/opened.h"

#include "core/base/memory.h"

#include <cmath>
#include <cstdio>
#include <fmt/format.h>

namespace garland {

namespace {
std::size_t asked_cache = 0; // 0: the usual size
} // namespace

void set_cache_bytes(std::size_t bytes) {
    asked_cache = bytes;
}

std::size_t cache_bytes() {
    return asked_cache > 0 ? asked_cache : usual_cache_bytes();
}

Result<Project> load(const std::string& path, ProjectStamp* stamp) {
    std::string note;
    const auto tell = [&] {
        if (!note.empty()) say(fmt::format("garland-cli: {}: {}\n", path == "-" ? "standard input" : path, note));
    };
    if (path != "-") {
        GARLAND_TRY(project, load_project(path, stamp, &note));
        tell();
        return project;
    }
    std::string text;
    char buffer[1 << 16];
    for (std::size_t got; (got = std::fread(buffer, 1, sizeof buffer, stdin)) > 0;) {
        text.append(buffer, got);
        if (text.size() > (std::size_t(1) << 30))
            return fail(Error{ErrorCode::too_large, "is larger than a project can be"}
                            .advise("give the project as a file")
                            .at("standard input"));
    }
    GARLAND_TRY(project, parse_project(text, "standard input", &note));
    tell();
    return project;
}

Result<Opened> open(const std::string& path, Progress& progress) {
    Opened out;
    GARLAND_TRY(value, load(path));
    GARLAND_TRY(project, open_project(std::move(value), path, progress));
    out.project = std::move(project);
    out.cache = std::make_unique<PoseCache>(cache_bytes());
    GARLAND_CHECK(find_groundwork(out.project.project, out.project.sources, *out.cache, progress));
    out.show = make_show(out.project.project, out.project.sources, *out.cache);
    return out;
}

void warn_missing(const Opened& opened) {
    for (const ArrangementShow& a : opened.show->arrangements) {
        if (!a.shown.set->problem.empty())
            say(fmt::format("garland-cli: the arrangement \"{}\" has no copies: {}\n", a.spec.name,
                            a.shown.set->problem));
        if (!a.shown.set->note.empty())
            say(fmt::format("garland-cli: the arrangement \"{}\": {}\n", a.spec.name, a.shown.set->note));
    }
    auto tell = [](const std::optional<Error>& problem) {
        if (problem) say(fmt::format("garland-cli: {}\n", describe(*problem)));
    };
    for (const auto& entry : opened.project.sources.zones) tell(entry.second.problem);
    for (const auto& entry : opened.project.sources.sounds) tell(entry.second.problem);
    for (const auto& entry : opened.project.sources.moving) tell(entry.second.problem);
    for (const MissingSource& m : opened.project.missing) {
        const SourceSpec* spec = opened.project.project.source(m.id);
        say(fmt::format("garland-cli: the source \"{}\" is not there: {}\n", spec->name, describe(m.error)));
    }
}

Result<FrameSteps> whole_steps(const std::string& text) {
    GARLAND_TRY(list, parse_frames(text));
    if (list.step != std::floor(list.step) || list.first != std::floor(list.first) ||
        list.last != std::floor(list.last)) {
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is not a list of whole frames", text)}.advise(
            "write first:last or first:last:step in whole frames, as in 1:240:4"));
    }
    return FrameSteps{{static_cast<std::int64_t>(list.first), static_cast<std::int64_t>(list.last)},
                      static_cast<std::int64_t>(list.step)};
}

int usage(const Error& error, Output out) {
    report_error(error, out);
    return exit_usage;
}

} // namespace garland
