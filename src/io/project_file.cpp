#include "io/project_file.h"

#include "io/arrangement_json.h"
#include "io/json_part.h"
#include "io/source_json.h"
#include "io/timing_json.h"

#include <filesystem>

namespace garland {

namespace {

Json write(const Camera& c) {
    return {{"target", vector(c.target)},
            {"distance", number(c.distance)},
            {"azimuth", number(c.azimuth)},
            {"elevation", number(c.elevation)},
            {"lens", number(c.lens)}};
}

Camera read_camera(const JsonPart& p) {
    const Camera usual;
    return {p.place("target", usual.target), p.real("distance", usual.distance), p.real("azimuth", usual.azimuth),
            p.real("elevation", usual.elevation), p.real("lens", usual.lens)};
}

Json write(const Tempo& t) {
    return {{"on", t.on},
            {"beats_per_minute", number(t.beats_per_minute)},
            {"offset", number(t.offset.value)},
            {"beats_per_bar", t.beats_per_bar}};
}

Tempo read_tempo(const JsonPart& p) {
    const Tempo usual;
    return {p.flag("on", true), p.real("beats_per_minute", usual.beats_per_minute),
            OutputFrame(p.real("offset", usual.offset.value)),
            static_cast<int>(p.whole("beats_per_bar", usual.beats_per_bar, 0, 1000))};
}

Json write(const Project& p) {
    const Settings& s = p.settings;
    Json sources = Json::array(), timings = Json::array(), arrangements = Json::array();
    for (const auto& source : p.sources) sources.push_back(write(source));
    for (const auto& timing : p.timings) timings.push_back(timing_json(timing));
    for (const auto& arrangement : p.arrangements) arrangements.push_back(arrangement_json(arrangement));
    Json camera_keys = Json::array(), markers = Json::array();
    for (const CameraKey& k : s.camera_keys) {
        Json key{{"at", number(k.at.value)}};
        key.update(write(k.camera));
        key["toward"] = word_of(toward_words, k.toward);
        camera_keys.push_back(std::move(key));
    }
    for (const Marker& m : s.markers) markers.push_back({{"at", number(m.at.value)}, {"name", m.name}});
    Json j{{"garland", project_version},
           {"name", s.name},
           {"rate", to_text(s.rate)},
           {"range", {{"first", s.range.first}, {"last", s.range.last}}},
           {"camera", write(s.camera)}};
    if (!camera_keys.empty()) j["camera_keys"] = std::move(camera_keys);
    if (!(s.tempo == Tempo{})) j["tempo"] = write(s.tempo);
    if (!markers.empty()) j["markers"] = std::move(markers);
    j["twins"] = {{"alike_below", number(s.alike_below)}, {"share", number(s.twin_share)}};
    j["sources"] = std::move(sources);
    j["timings"] = std::move(timings);
    j["arrangements"] = std::move(arrangements);
    j["next_id"] = p.next_id;
    return with_extra(std::move(j), s.extra);
}

Project read(const JsonPart& p) {
    Project project;
    Settings& s = project.settings;
    s.name = p.text("name", "");
    s.rate = p.rate("rate", Rate{});
    constexpr std::int64_t most = 1'000'000'000;
    if (const Json* j = p.get("range")) {
        const JsonPart range(*j, "\"range\"");
        s.range = {range.whole("first", 1, -most, most), range.whole("last", 240, -most, most)};
    }
    if (const Json* j = p.get("camera")) {
        s.camera = read_camera(JsonPart(*j, "\"camera\""));
    }
    p.each("camera_keys", "camera key", [&](const JsonPart& k) {
        CameraKey key{OutputFrame(k.real("at", 0)), read_camera(k), k.word("toward", toward_words, Toward::smooth)};
        s.camera_keys.push_back(key);
    });
    if (const Json* j = p.get("tempo")) s.tempo = read_tempo(JsonPart(*j, "\"tempo\""));
    p.each("markers", "marker", [&](const JsonPart& m) {
        s.markers.push_back({OutputFrame(m.real("at", 0)), m.text("name", "")});
    });
    std::stable_sort(s.markers.begin(), s.markers.end(), [](const Marker& x, const Marker& y) { return x.at < y.at; });
    if (const Json* j = p.get("twins")) {
        const JsonPart twins(*j, "\"twins\"");
        s.alike_below = twins.real("alike_below", 0.5);
        s.twin_share = twins.real("share", 0.5);
    }
    p.each("sources", "source", [&](const JsonPart& part) { project.sources.push_back(read_source(part)); });
    p.each("timings", "timing", [&](const JsonPart& part) { project.timings.push_back(read_timing(part)); });
    p.each("arrangements", "arrangement",
           [&](const JsonPart& part) { project.arrangements.push_back(read_arrangement(part)); });
    std::uint64_t highest = 0;
    auto seen = [&](std::uint64_t id) { highest = std::max(highest, id); };
    for (const auto& x : project.sources) seen(x.id.value);
    for (const auto& x : project.timings) seen(x.id.value);
    for (const auto& x : project.arrangements) {
        seen(x.id.value);
        for (const auto& spread : x.spreads) seen(spread.id.value);
    }
    if (highest >= UINT64_C(9007199254740991)) throw BadJson{"an id is too large"};
    // Written by hand, next_id may be missing.
    project.next_id = std::max<std::uint64_t>(highest + 1, p.get("next_id") ? p.id("next_id") : 1);
    s.extra = extra_of(p.json, write(project));
    return project;
}

} // namespace

Result<Project> parse_project(std::string_view text, const std::string& path) {
    const std::string kept = "the file as it is";
    Json json;
    try {
        json = Json::parse(text.begin(), text.end());
    } catch (const Json::parse_error& error) {
        const auto upto = text.substr(0, std::min<std::size_t>(error.byte, text.size()));
        const auto line = 1 + std::count(upto.begin(), upto.end(), '\n');
        std::string what = error.what();
        if (auto at = what.find("syntax error"); at != what.npos) what = what.substr(at);
        return fail(
            Error{ErrorCode::malformed, "this is not a project file: " + what}.at(path).at_line(line).keeping(kept));
    } catch (const Json::exception& error) { // a number beyond its type
        return fail(
            Error{ErrorCode::malformed, std::string("this is not a project file: ") + error.what()}.at(path).keeping(
                kept));
    }
    if (!json.is_object() || !json.contains("garland") || !json["garland"].is_number_integer()) {
        return fail(Error{ErrorCode::malformed, "this is not a Garland project: the field \"garland\" is missing"}
                        .at(path)
                        .keeping(kept));
    }
    if (json["garland"].get<std::int64_t>() > project_version) {
        return fail(
            Error{ErrorCode::newer_version, fmt::format("was written by a newer Garland (file version {}, this one "
                                                        "reads up to {})",
                                                        json["garland"].get<std::int64_t>(), project_version)}
                .at(path)
                .keeping(kept)
                .advise("open it with the newer version"));
    }
    try {
        Project project = read(JsonPart(json, "the project"));
        if (auto ok = validate(project); !ok) return fail(std::move(ok.error()).at(path).keeping(kept));
        return project;
    } catch (const BadJson& bad) {
        return fail(Error{ErrorCode::malformed, bad.message}.at(path).keeping(kept));
    } catch (const Json::exception& error) { // a number beyond its type
        return fail(Error{ErrorCode::malformed, error.what()}.at(path).keeping(kept));
    }
}

std::string project_text(const Project& project) {
    return write(project).dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Result<Project> load_project(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 30));
    return parse_project({bytes.data(), bytes.size()}, path);
}

Result<void> save_project(const std::string& path, const Project& project, Existing existing) {
    return write_file(path, project_text(project), existing);
}

std::string absolute_path(const std::string& in_project, const std::string& project_path) {
    namespace fs = std::filesystem;
    const fs::path p(in_project);
    if (p.is_absolute() || project_path.empty()) return in_project;
    return (fs::path(folder_of(project_path)) / p).lexically_normal().string();
}

std::string relative_path(const std::string& absolute, const std::string& project_path) {
    namespace fs = std::filesystem;
    if (project_path.empty()) return absolute;
    std::error_code error;
    const fs::path folder = fs::absolute(folder_of(project_path), error).lexically_normal();
    const fs::path relative = fs::absolute(absolute, error).lexically_normal().lexically_relative(folder);
    return relative.empty() ? absolute : relative.string();
}

} // namespace garland
