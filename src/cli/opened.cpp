#include "cli/opened.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {
constexpr std::size_t cache_bytes = std::size_t(2) << 30;
} // namespace

Result<Opened> open(const std::string& path, Progress& progress) {
    Opened out;
    GARLAND_TRY(project, open_project(path, progress));
    out.project = std::move(project);
    out.cache = std::make_unique<PoseCache>(cache_bytes);
    GARLAND_CHECK(find_groundwork(out.project.project, out.project.sources, *out.cache, progress));
    out.show = make_show(out.project.project, out.project.sources, *out.cache);
    return out;
}

void warn_missing(const Opened& opened) {
    for (const ArrangementShow& a : opened.show->arrangements) {
        if (!a.set->problem.empty()) fmt::print(stderr, "garland-cli: the arrangement \"{}\" has no copies: {}\n", a.spec.name, a.set->problem);
        if (!a.set->note.empty()) fmt::print(stderr, "garland-cli: the arrangement \"{}\": {}\n", a.spec.name, a.set->note);
    }
    for (const MissingSource& m : opened.project.missing) {
        const SourceSpec* spec = opened.project.project.source(m.id);
        fmt::print(stderr, "garland-cli: the source \"{}\" is not there: {}\n", spec->name, describe(m.error));
    }
}

Result<FrameRange> whole_range(const std::string& text) {
    GARLAND_TRY(list, parse_frames(text));
    if (list.step != 1 || list.first != std::floor(list.first) || list.last != std::floor(list.last)) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("\"{}\": whole frames without a step are needed here", text)});
    }
    return FrameRange{static_cast<std::int64_t>(list.first), static_cast<std::int64_t>(list.last)};
}

int usage(const Error& error, Output out) {
    report_error(error, out);
    return exit_usage;
}

} // namespace garland
