// What is learned from sources before copies can stand on them, or their parts be named.
#include "core/base/numbers.h"
#include "core/project/drive_ground.h"
#include "core/project/show.h"

#include <algorithm>
#include <fmt/format.h>
#include <unordered_set>

namespace garland {

bool needs_groundwork(const Project& project, const OpenSources& sources) {
    for (const Arrangement& a : project.arrangements) {
        if (!is_carried(a.layout.kind)) continue;
        const auto open = sources.find(a.layout.carried.source);
        const SourceSpec* spec = project.source(a.layout.carried.source);
        if (open == sources.end() || !open->second.source || !spec) continue;
        const bool known = a.layout.kind == ArrangementKind::points ? open->second.ground.carriers != nullptr
                                                                    : open->second.ground.surface != nullptr;
        if (!(open->second.ground_settings == spec->import_settings && open->second.ground_closing == spec->closing) ||
            (!known && !open->second.ground_problem))
            return true;
    }
    return needs_drive_ground(project, sources);
}

Result<bool> find_groundwork(const Project& project, OpenSources& sources, PoseCache& cache, Progress& progress) {
    bool learned = false;
    for (const Arrangement& a : project.arrangements) {
        if (!is_carried(a.layout.kind)) continue;
        const auto open = sources.find(a.layout.carried.source);
        const SourceSpec* spec = project.source(a.layout.carried.source);
        if (open == sources.end() || !open->second.source || !spec) continue;
        OpenSource& o = open->second;
        if (!(o.ground_settings == spec->import_settings && o.ground_closing == spec->closing)) {
            o.ground = {};
            o.ground_problem.reset();
            o.ground_settings = spec->import_settings;
            o.ground_closing = spec->closing;
        }
        const bool points = a.layout.kind == ArrangementKind::points;
        if (o.ground_problem || (points ? o.ground.carriers != nullptr : o.ground.surface != nullptr)) continue;
        const Sampler sampler = sampler_for(*spec, o, project.settings.rate, cache);
        std::optional<Error> error;
        if (points) {
            auto found = find_carriers(sampler, progress);
            if (found) {
                o.ground.carriers = std::move(*found);
            } else {
                error = found.error();
            }
        } else {
            auto pose = sampler.at(sampler.clock().first, progress);
            if (pose) {
                o.ground.surface = pose->pose;
            } else {
                error = pose.error();
            }
        }
        if (error && error->code == ErrorCode::cancelled) return fail(*error);
        o.ground_problem = error;
        learned = true;
    }
    GARLAND_TRY(driven, find_drive_ground(project, sources, cache, progress));
    return learned || driven;
}

std::vector<std::string> part_names(const Source& source) {
    std::vector<std::string> out;
    std::unordered_set<std::string> known;
    for (const Source::PartName& part : source.parts()) {
        if (!part.name.empty() && known.insert(part.name).second) out.push_back(part.name);
    }
    if (out.empty()) {
        for (std::size_t i = 0; i < source.facts().pieces; ++i) out.push_back(fmt::format("{}", i));
    }
    return out;
}

std::vector<std::int32_t> parts_called(const Source& source, const std::string& name) {
    std::vector<std::int32_t> out;
    const auto known = source.parts();
    enum : std::uint8_t { unknown, outside, inside };
    std::vector<std::uint8_t> state(known.size(), unknown); // each is looked at once, however deep it lies
    std::vector<std::size_t> way;
    for (std::size_t i = 0; i < known.size(); ++i) {
        way.clear();
        int p = static_cast<int>(i);
        while (p >= 0 && state[static_cast<std::size_t>(p)] == unknown &&
               known[static_cast<std::size_t>(p)].name != name && way.size() <= known.size()) {
            way.push_back(static_cast<std::size_t>(p));
            p = known[static_cast<std::size_t>(p)].parent;
        }
        std::uint8_t found = outside;
        if (p >= 0) {
            std::uint8_t& there = state[static_cast<std::size_t>(p)];
            if (known[static_cast<std::size_t>(p)].name == name) there = inside;
            found = there == unknown ? std::uint8_t(outside) : there;
        }
        for (std::size_t w : way) state[w] = found;
        if (state[i] == inside) out.push_back(static_cast<std::int32_t>(i));
    }
    if (const auto number = parse_number(name); out.empty() && number)
        out.push_back(static_cast<std::int32_t>(*number));
    return out;
}

} // namespace garland
