#include "io/tables/export_timing.h"

#include "core/base/numbers.h"
#include "io/tables/curve_file.h"
#include "io/tables/otio.h"

namespace garland {

Result<std::string> export_timing(const Project& project, TimingId id, const std::string& path, Existing existing) {
    const Timing* timing = project.timing(id);
    if (!timing)
        return fail(Error{ErrorCode::not_found, "this timing is not in the project"}.advise(
            "choose one that is in the project"));
    if (extension(path) != ".otio") {
        GARLAND_CHECK(write_curve(path, *timing, project.settings.rate, existing));
        return std::string();
    }
    const SourceSpan span = source_span(*timing);
    OtioInfo info{project.settings.rate, {}, {}, span.low, span.high, project.settings.markers};
    for (const Arrangement& a : project.arrangements) {
        if (a.timing != id) continue;
        info.source = project.source(a.source)->name;
        info.url = project.source(a.source)->path;
        break;
    }
    GARLAND_TRY(text, otio_text(*timing, info));
    GARLAND_CHECK(write_file(path, text.text, existing));
    const std::string clips = counted(static_cast<long long>(text.clips), "clip", "clips");
    return text.note.empty() ? clips : clips + "; " + text.note;
}

} // namespace garland
