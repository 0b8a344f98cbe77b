#include "io/project/project_file.h"

#include "io/files/json_part.h"
#include "io/project/arrangement_json.h"
#include "io/project/drive_json.h"
#include "io/project/earlier_names.h"
#include "io/project/source_json.h"
#include "io/project/timing_json.h"

#include <cerrno>
#include <chrono>
#include <filesystem>
#include <optional>
#include <sys/file.h>
#include <sys/stat.h>
#include <thread>
#include <xxhash.h>

namespace garland {

namespace {

Json write(const Camera& c) {
    return {{"target", vector(c.target)},
            {"distance", number(c.distance)},
            {"azimuth", number(c.azimuth)},
            {"elevation", number(c.elevation)},
            {"field_of_view", number(c.field_of_view)}};
}

Camera read_camera(const JsonPart& p) {
    const Camera usual;
    return {p.place("target", usual.target), p.real("distance", usual.distance), p.real("azimuth", usual.azimuth),
            p.real("elevation", usual.elevation), p.real("field_of_view", usual.field_of_view)};
}

Json write(const Tempo& t) {
    return {{"on", t.on},
            {"beats_per_minute", number(t.beats_per_minute)},
            {"first_beat", number(t.offset.value)},
            {"beats_per_bar", t.beats_per_bar}};
}

Tempo read_tempo(const JsonPart& p) {
    const Tempo usual;
    return {p.flag("on", true), p.real("beats_per_minute", usual.beats_per_minute),
            OutputFrame(p.real("first_beat", usual.offset.value)),
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
           {"reader", project_reader},
           {"name", s.name},
           {"rate", to_text(s.rate)},
           {"range", {{"first", s.range.first}, {"last", s.range.last}}},
           {"camera", write(s.camera)}};
    if (!camera_keys.empty()) j["camera_keys"] = std::move(camera_keys);
    if (!(s.tempo == Tempo{})) j["tempo"] = write(s.tempo);
    if (!markers.empty()) j["markers"] = std::move(markers);
    j["twins"] = {{"alike_below", number(s.alike_below)}, {"above", number(s.twin_share)}};
    Json ignored = Json::array();
    for (const IgnoredFinding& i : s.ignored)
        ignored.push_back(with_extra({{"finding", i.finding}, {"words", i.words}, {"reason", i.reason}}, i.extra));
    if (!ignored.empty()) j["ignored_findings"] = std::move(ignored);
    if (!s.twins_only_moving) j["twins"]["only_moving"] = false;
    j["sources"] = std::move(sources);
    j["timings"] = std::move(timings);
    j["arrangements"] = std::move(arrangements);
    Json zones = Json::array(), sounds = Json::array();
    for (const Zone& zone : p.zones) zones.push_back(write(zone));
    for (const SoundSpec& sound : p.sounds) sounds.push_back(write(sound));
    if (!zones.empty()) j["zones"] = std::move(zones);
    if (!sounds.empty()) j["sounds"] = std::move(sounds);
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
        s.twin_share = twins.real("above", 0.5);
        s.twins_only_moving = twins.flag("only_moving", true);
    }
    p.each("ignored_findings", "ignored finding", [&](const JsonPart& part) {
        IgnoredFinding i{part.text("finding", ""), part.text("words", ""), part.text("reason", ""), {}};
        s.ignored.push_back(std::move(i));
    });
    p.each("sources", "source", [&](const JsonPart& part) { project.sources.push_back(read_source(part)); });
    p.each("timings", "timing", [&](const JsonPart& part) { project.timings.push_back(read_timing(part)); });
    p.each("arrangements", "arrangement",
           [&](const JsonPart& part) { project.arrangements.push_back(read_arrangement(part)); });
    p.each("zones", "zone", [&](const JsonPart& part) { project.zones.push_back(read_zone(part)); });
    p.each("sounds", "sound", [&](const JsonPart& part) { project.sounds.push_back(read_sound(part)); });
    std::uint64_t highest = 0;
    auto seen = [&](std::uint64_t id) { highest = std::max(highest, id); };
    for (const auto& x : project.sources) seen(x.id.value);
    for (const auto& x : project.timings) seen(x.id.value);
    for (const auto& x : project.arrangements) {
        seen(x.id.value);
        for (const auto& spread : x.spreads) seen(spread.id.value);
        for (const auto& pulse : x.pulses) seen(pulse.id.value);
    }
    for (const auto& x : project.zones) seen(x.id.value);
    for (const auto& x : project.sounds) seen(x.id.value);
    if (highest >= UINT64_C(9007199254740991)) throw BadJson{"an id is too large"};
    // Written by hand, next_id may be missing.
    project.next_id = std::max<std::uint64_t>(highest + 1, p.get("next_id") ? p.id("next_id") : 1);
    s.extra = extra_of(p.json, write(project));
    return project;
}

// What older files say otherwise, said as this version does; each step leads from one version to the next.
struct Migration {
    std::int64_t from;
    void (*run)(Json& project);
};
const std::vector<Migration> migrations{};

void migrate(Json& json) {
    for (const Migration& m : migrations) {
        if (json["garland"].get<std::int64_t>() == m.from) m.run(json), json["garland"] = m.from + 1;
    }
}

} // namespace

Result<Project> parse_project(std::string_view text, const std::string& path, std::string* note) {
    const std::string kept = "the file as it is";
    auto read_text = read_json(text, path);
    if (!read_text) {
        Error error = std::move(read_text.error());
        error.message = "this is not a project file: " + error.message;
        return fail(std::move(error).keeping(kept));
    }
    Json& json = *read_text;
    const std::string renamed = earlier_names_note(take_earlier_names(json));
    if (!json.is_object() || !json.contains("garland") || !json["garland"].is_number_integer()) {
        return fail(Error{ErrorCode::malformed, "this is not a Garland project: the field \"garland\" is missing"}
                        .at(path)
                        .keeping(kept));
    }
    // The file says which version it was written by, and which one is enough to read it.
    const auto wanted = json.find("reader");
    const bool said = wanted != json.end() && wanted->is_number_integer();
    if ((said ? wanted->get<std::int64_t>() : json["garland"].get<std::int64_t>()) > project_version) {
        return fail(
            Error{ErrorCode::newer_version, fmt::format("was written by a newer Garland (file version {}, this one "
                                                        "reads up to {})",
                                                        json["garland"].get<std::int64_t>(), project_version)}
                .at(path)
                .keeping(kept)
                .advise("open it with the newer version"));
    }
    try {
        migrate(json);
        Project project = read(JsonPart(json, "the project"));
        if (auto ok = validate(project); !ok) return fail(std::move(ok.error()).at(path).keeping(kept));
        if (note) *note = renamed;
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

ProjectStamp stamp_of(std::string_view text) {
    return {text.size(), static_cast<std::uint64_t>(XXH3_64bits(text.data(), text.size()))};
}

Result<ProjectLock> ProjectLock::take(const std::string& path, double seconds) {
    const auto until = std::chrono::steady_clock::now() + std::chrono::duration<double>(seconds);
    for (;;) {
        ProjectLock lock;
        std::uint64_t size = 0;
        GARLAND_TRY(file, open_regular(path, size));
        lock.file_ = std::move(file);
        if (::flock(lock.file_.number(), LOCK_EX | LOCK_NB) == 0) {
            // Whoever held it before may have put another file in its place: then that one is to be locked.
            struct stat mine {
            }, there{};
            if (::fstat(lock.file_.number(), &mine) == 0 && ::stat(path.c_str(), &there) == 0 &&
                mine.st_ino == there.st_ino && mine.st_dev == there.st_dev)
                return lock;
            continue;
        }
        if (errno != EWOULDBLOCK && errno != EINTR) return lock; // a file system without locks: the stamps still tell
        if (std::chrono::steady_clock::now() > until) {
            return fail(Error{ErrorCode::unreadable, "another program is changing this project"}
                            .at(path)
                            .keeping("the project as it is")
                            .advise("try again in a moment"));
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
}

Result<Project> load_project(const std::string& path, ProjectStamp* stamp, std::string* note) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 30));
    const std::string_view text(bytes.data(), bytes.size());
    if (stamp) *stamp = stamp_of(text);
    return parse_project(text, path, note);
}

Result<void> save_project(const std::string& path, const Project& project, Existing existing, ProjectStamp* expected,
                          const ProjectLock* held) {
    const std::string text = project_text(project);
    std::optional<ProjectLock> lock;
    if (!held && existing == Existing::replace && file_exists(path)) {
        GARLAND_TRY(taken, ProjectLock::take(path));
        lock.emplace(std::move(taken));
    }
    if (expected && (lock || held)) {
        std::vector<char> bytes;
        GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 30));
        if (!(stamp_of({bytes.data(), bytes.size()}) == *expected)) {
            return fail(Error{ErrorCode::changed, "another program has changed this project since it was opened"}
                            .at(path)
                            .keeping("the file as that program wrote it")
                            .advise("open it again to take the other changes, save under another name to keep both, or "
                                    "replace it"));
        }
    }
    GARLAND_CHECK(write_file(path, text, existing));
    if (expected) *expected = stamp_of(text);
    return {};
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
