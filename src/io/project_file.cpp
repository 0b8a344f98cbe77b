#include "io/project_file.h"

#include "io/json_part.h"
#include "io/source_json.h"
#include "io/timing_json.h"

#include <filesystem>

namespace garland {

namespace {

const Word<ArrangementKind> kinds[] = {
    {"line", ArrangementKind::line}, {"grid", ArrangementKind::grid}, {"ring", ArrangementKind::ring}};
const Word<Facing> facings[] = {{"fixed", Facing::fixed}, {"along", Facing::along}, {"outward", Facing::outward}};
const Word<Target> targets[] = {{"delay", Target::delay}, {"speed", Target::speed}};
const Word<Driver> drivers[] = {
    {"chance", Driver::chance}, {"order, per step", Driver::order_step}, {"order, in total", Driver::order_total}};

Json write(const Spread& s) {
    return with_extra({{"id", s.id.value},
                       {"on", s.on},
                       {"target", word_of(targets, s.target)},
                       {"driver", word_of(drivers, s.driver)},
                       {"from", number(s.from)},
                       {"to", number(s.to)},
                       {"whole_frames", s.whole_frames},
                       {"seed", s.seed}},
                      s.extra);
}

Spread read_spread(const JsonPart& p) {
    Spread s;
    s.id = SpreadId(p.id("id"));
    s.on = p.flag("on", true);
    s.target = p.word("target", targets, Target::delay);
    s.driver = p.word("driver", drivers, Driver::chance);
    s.from = p.real("from", 0);
    s.to = p.real("to", 24);
    s.whole_frames = p.flag("whole_frames", true);
    s.seed = static_cast<std::uint64_t>(p.whole("seed", 1, 0, INT64_C(9007199254740991)));
    s.extra = extra_of(p.json, write(s));
    return s;
}

Json write(const Arrangement& a) {
    Json spreads = Json::array(), nudges = Json::array();
    for (const Spread& s : a.spreads) spreads.push_back(write(s));
    for (const Nudge& n : a.nudges) nudges.push_back({{"copy", n.copy.value}, {"later", number(n.frames)}});
    Json j{{"id", a.id.value},
                       {"name", a.name},
                       {"source", a.source.value},
                       {"timing", a.timing.value},
                       {"kind", word_of(kinds, a.kind)},
                       {"count", a.count},
                       {"columns", a.columns},
                       {"rows", a.rows},
                       {"spacing", number(a.spacing)},
                       {"row_spacing", number(a.row_spacing)},
                       {"radius", number(a.radius)},
                       {"origin", vector(a.origin)},
                       {"heading", number(a.heading)},
                       {"sag", number(a.sag)},
                       {"swag", a.swag},
                       {"facing", word_of(facings, a.facing)},
                       {"turn", number(a.turn)},
                       {"size", number(a.size)},
                       {"spreads", std::move(spreads)},
                       {"nudges", std::move(nudges)}};
    if (!(a.wobble == Wobble{})) j["wobble"] = write(a.wobble);
    return with_extra(std::move(j), a.extra);
}

Arrangement read_arrangement(const JsonPart& p) {
    Arrangement a;
    a.id = ArrangementId(p.id("id"));
    a.name = p.text("name", "copies");
    a.source = SourceId(p.id("source"));
    a.timing = TimingId(p.id("timing"));
    a.kind = p.word("kind", kinds, ArrangementKind::line);
    constexpr std::int64_t most = 1'000'000'000;
    a.count = static_cast<int>(p.whole("count", 1, 0, most));
    a.columns = static_cast<int>(p.whole("columns", 1, 0, most));
    a.rows = static_cast<int>(p.whole("rows", 1, 0, most));
    a.spacing = p.real("spacing", 1);
    a.row_spacing = p.real("row_spacing", 1);
    a.radius = p.real("radius", 1);
    a.origin = p.place("origin", V3d(0));
    a.heading = p.real("heading", 0);
    a.sag = p.real("sag", 0);
    a.swag = static_cast<int>(p.whole("swag", 0, 0, most));
    a.facing = p.word("facing", facings, Facing::fixed);
    a.turn = p.real("turn", 0);
    a.size = p.real("size", 1);
    p.each("spreads", p.where + ", spread", [&](const JsonPart& s) { a.spreads.push_back(read_spread(s)); });
    p.each("nudges", p.where + ", nudge", [&](const JsonPart& n) {
        const auto copy = n.whole("copy", 0, 0, INT64_C(9007199254740991));
        a.nudges.push_back({CopyId(static_cast<std::uint64_t>(copy)), n.real("later", 0)});
    });
    std::sort(a.nudges.begin(), a.nudges.end(), [](const Nudge& x, const Nudge& y) { return x.copy < y.copy; });
    if (const Json* j = p.get("wobble")) a.wobble = read_wobble(JsonPart(*j, "\"wobble\" of " + p.where));
    a.extra = extra_of(p.json, write(a));
    return a;
}

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
    for (const auto& arrangement : p.arrangements) arrangements.push_back(write(arrangement));
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
