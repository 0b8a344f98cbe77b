#include "io/project/earlier_names.h"

#include <algorithm>
#include <fmt/ranges.h>
#include <string_view>

namespace garland {

namespace {

struct Renamed {
    std::string_view where; // a path from the part that is looked at; * stands for each of a list
    const char *was, *is;
};

constexpr Renamed of_source[] = {
    {"", "sub_frame", "between_frames"},
    {"", "gaps", "missing_frames"},
    {"", "join", "match_by"},
    {"", "up", "up_axis"},
    {"", "root", "root_motion"},
    {"", "voxel", "voxel_size"},
    {"", "dropped", "left_out"},
    {"closing", "way", "ends"},
    {"closing", "mix", "layers"},
    {"wobble", "position", "place"},
    {"wobble", "settle_position", "settle_place"},
    {"wobble", "rate", "changes"},
    {"wobble", "together", "all_alike"},
    {"water", "wind", "wind_speed"},
    {"water", "direction", "wind_direction"},
    {"water", "height", "wave_height"},
    {"water", "size", "shown_area"},
    {"water", "patch", "tile_length"},
    {"water", "smallest", "shortest_wave"},
    {"water", "against", "damp_upwind_waves"},
    {"water", "resolution", "grid"},
    {"water", "loop", "loop_length"},
};

constexpr Renamed of_timing[] = {
    {"", "master", "slider"},
    {"before", "count", "more_passes"},
    {"after", "count", "more_passes"},
    {"phrases/list/*", "passes", "times"},
};

constexpr Renamed of_arrangement[] = {
    {"", "origin", "centre"},
    {"", "swag", "between_posts"},
    {"", "least_apart", "minimum_distance"},
    {"", "passes", "total_passes"},
    {"", "nudge_amount", "nudge_strength"},
    {"path", "side", "offset"},
    {"jitter", "position", "place"},
    {"wobble", "position", "place"},
    {"wobble", "settle_position", "settle_place"},
    {"wobble", "rate", "changes"},
    {"wobble", "together", "all_alike"},
    {"place_keys/*", "size", "scale"},
    {"spreads/*", "share", "strength"},
    {"spreads/*", "amount", "strength_keys"},
    {"spreads/*", "curve", "response"},
    {"spreads/*", "detail", "octaves"},
};

constexpr Renamed of_project[] = {
    {"camera", "lens", "field_of_view"}, {"camera_keys/*", "lens", "field_of_view"}, {"tempo", "offset", "first_beat"},
    {"twins", "share", "above"},         {"zones/*/keys/*", "size", "scale"},
};

void note(std::vector<std::string>& done, const char* was, const char* is) {
    std::string words = fmt::format("{} is {} now", was, is);
    if (std::find(done.begin(), done.end(), words) == done.end()) done.push_back(std::move(words));
}

void rename(Json& part, std::string_view where, const Renamed& name, std::vector<std::string>& done) {
    if (!where.empty()) {
        const auto slash = std::min(where.find('/'), where.size());
        const std::string_view step = where.substr(0, slash), rest = where.substr(std::min(slash + 1, where.size()));
        if (step == "*") {
            if (!part.is_array()) return;
            for (Json& one : part) rename(one, rest, name, done);
        } else if (part.is_object()) {
            if (const auto at = part.find(step); at != part.end()) rename(*at, rest, name, done);
        }
        return;
    }
    if (!part.is_object() || !part.contains(name.was) || part.contains(name.is)) return;
    Json value = std::move(part[name.was]);
    part.erase(name.was);
    part[name.is] = std::move(value);
    note(done, name.was, name.is);
}

template <std::size_t N>
void rename_all(Json& part, const Renamed (&names)[N], std::vector<std::string>& done) {
    for (const Renamed& name : names) rename(part, name.where, name, done);
}

// "fresh_normals": true says "normals": "recomputed" now.
void rename_normals(Json& source, std::vector<std::string>& done) {
    if (!source.is_object() || !source.contains("fresh_normals") || source.contains("normals")) return;
    const Json& was = source["fresh_normals"];
    if (!was.is_boolean()) return;
    const bool recomputed = was.get<bool>();
    source.erase("fresh_normals");
    source["normals"] = recomputed ? "recomputed" : "blended";
    note(done, "fresh_normals", "normals");
}

template <class Each>
void each_of(Json& project, const char* list, const Each& each) {
    if (!project.is_object() || !project.contains(list) || !project[list].is_array()) return;
    for (Json& one : project[list]) each(one);
}

} // namespace

std::vector<std::string> take_earlier_names(Json& project) {
    std::vector<std::string> done;
    rename_all(project, of_project, done);
    each_of(project, "sources", [&](Json& source) {
        rename_all(source, of_source, done);
        rename_normals(source, done);
        each_of(source, "before_closing", [&](Json& timing) { rename_all(timing, of_timing, done); });
    });
    each_of(project, "timings", [&](Json& timing) { rename_all(timing, of_timing, done); });
    each_of(project, "arrangements", [&](Json& arrangement) { rename_all(arrangement, of_arrangement, done); });
    return done;
}

std::vector<std::string> take_earlier_names_of_timing(Json& timing) {
    std::vector<std::string> done;
    rename_all(timing, of_timing, done);
    return done;
}

std::vector<std::string> take_earlier_names_of_arrangement(Json& arrangement) {
    std::vector<std::string> done;
    rename_all(arrangement, of_arrangement, done);
    return done;
}

std::string earlier_names_note(const std::vector<std::string>& renamed) {
    if (renamed.empty()) return {};
    constexpr std::size_t most = 3;
    const std::size_t more = renamed.size() - std::min(renamed.size(), most);
    return fmt::format(
        "the file has names of an earlier version ({}{}); they were read, and saving writes the new ones",
        fmt::join(renamed.begin(), renamed.end() - static_cast<std::ptrdiff_t>(more), ", "),
        more > 0 ? fmt::format(", and {} more", more) : "");
}

} // namespace garland
