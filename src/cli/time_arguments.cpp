#include "cli/time_arguments.h"

#include "cli/opened.h"

#include "core/base/numbers.h"
#include "core/time/beats.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>

namespace garland {

namespace {

constexpr const char* time_options[] = {"--at",    "--frames", "--range", "--ramps",
                                        "--start", "--ease",   "--stay",  "--first-beat"};

// One number with a unit, in frames; nothing where there is no unit.
Result<std::optional<double>> in_frames(const std::string& text, const std::string& project,
                                        std::optional<Settings>& settings) {
    const auto end = text.find_first_not_of("+-0123456789.eE");
    if (end == text.npos || end == 0) return std::optional<double>();
    const auto number = parse_number(std::string_view(text).substr(0, end));
    std::string unit = text.substr(end);
    unit.erase(0, unit.find_first_not_of(' '));
    if (!number) return std::optional<double>();
    if (unit == "f" || unit == "frame" || unit == "frames") return number;
    const bool seconds = unit == "s" || unit == "sec" || unit == "second" || unit == "seconds", ms = unit == "ms";
    const bool beats = unit == "b" || unit == "beat" || unit == "beats";
    if (!seconds && !ms && !beats) {
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\": \"{}\" is not a unit of time", text, unit)}.advise(
            "use f, s, ms or beats, or a plain number of frames"));
    }
    if (!settings) {
        if (project.empty() || project == "-") {
            return fail(Error{ErrorCode::invalid,
                              fmt::format("\"{}\": seconds and beats need a project file, for its rate", text)}
                            .advise("give frames"));
        }
        GARLAND_TRY(loaded, load_project(project));
        settings = std::move(loaded.settings);
    }
    if (beats) return std::optional<double>(*number * frames_per_beat(settings->tempo, settings->rate));
    return std::optional<double>(settings->rate.frames_in(Seconds(ms ? *number / 1000 : *number)));
}

} // namespace

Result<std::vector<std::string>> with_times_in_frames(int argc, char** argv) {
    std::vector<std::string> out(argv + 1, argv + argc);
    std::string project;
    for (const std::string& a : out) {
        if (project.empty() && (a.ends_with(".garland") || a == "-")) project = a;
    }
    std::optional<Settings> settings;
    for (std::size_t i = 0; i < out.size(); ++i) {
        std::string* value = nullptr;
        std::size_t from = 0;
        for (const char* option : time_options) {
            if (out[i] == option && i + 1 < out.size()) value = &out[i + 1];
            if (out[i].starts_with(std::string(option) + "=")) value = &out[i], from = std::string(option).size() + 1;
        }
        if (!value) continue;
        std::string changed = value->substr(0, from), rest = value->substr(from);
        bool any = false;
        while (true) {
            const auto colon = rest.find(':');
            const std::string one = rest.substr(0, colon);
            GARLAND_TRY(frames, in_frames(one, project, settings));
            changed += frames ? exact_number(*frames) : one;
            any = any || frames;
            if (colon == rest.npos) break;
            changed += ':';
            rest.erase(0, colon + 1);
        }
        if (any) *value = changed;
    }
    return out;
}

} // namespace garland
