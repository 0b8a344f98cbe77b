#include "core/project/alone.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

Result<Project> alone(const Project& project, SourceId source) {
    const SourceSpec* spec = project.source(source);
    if (!spec)
        return fail(Error{ErrorCode::not_found, "this source is not in the project"}.advise(
            "choose one that is in the project"));
    const auto shows =
        std::find_if(project.arrangements.begin(), project.arrangements.end(), [&](const Arrangement& a) {
            return a.source == source || std::any_of(a.choice.variants.begin(), a.choice.variants.end(),
                                                     [&](const Variant& v) { return v.source == source; });
        });
    if (shows == project.arrangements.end()) {
        return fail(
            Error{ErrorCode::not_found, fmt::format("no arrangement shows \"{}\", so it has no timing", spec->name)}
                .advise("add an arrangement that shows it"));
    }
    Project out = project;
    Arrangement one;
    one.id = shows->id;
    one.name = spec->name;
    one.source = source;
    one.timing = shows->timing;
    out.arrangements = {one};
    return out;
}

} // namespace garland
