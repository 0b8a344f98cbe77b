#include "io/project_file.h"

#include "core/base/numbers.h"

#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace garland {

using Json = nlohmann::ordered_json;

namespace {

// Everything of `original` that `written` does not say, as JSON text; "" when there is nothing.
Json unknown_part(const Json& original, const Json& written) {
    Json rest = Json::object();
    for (const auto& [key, value] : original.items()) {
        if (!written.contains(key)) {
            rest[key] = value;
        } else if (value.is_object() && written[key].is_object()) {
            Json inner = unknown_part(value, written[key]);
            if (!inner.empty()) rest[key] = std::move(inner);
        }
    }
    return rest;
}

std::string extra_of(const Json& original, const Json& written) {
    const Json rest = unknown_part(original, written);
    return rest.empty() ? std::string() : rest.dump();
}

void add_extra(Json& to, const Json& extra) {
    for (const auto& [key, value] : extra.items()) {
        if (!to.contains(key)) {
            to[key] = value;
        } else if (value.is_object() && to[key].is_object()) {
            add_extra(to[key], value);
        }
    }
}

Json with_extra(Json object, const std::string& extra) {
    if (extra.empty()) return object;
    add_extra(object, Json::parse(extra, nullptr, false));
    return object;
}

Json number(double value) { // whole numbers without ".0", for people who read the file
    if (value == std::floor(value) && std::abs(value) < 1e15) return static_cast<std::int64_t>(value);
    return value;
}

Json vector(const V3d& v) {
    return Json::array({number(v.x), number(v.y), number(v.z)});
}

// ---- reading -------------------------------------------------------------------------------------------------------

struct Bad { // thrown inside this file only, turned into an Error at its border
    std::string message;
};

template <class E>
struct Word {
    const char* text;
    E value;
};

const Word<Join> joins[] = {{"by clock", Join::by_clock}, {"frame for frame", Join::frame_for_frame}};
const Word<SubFrame> sub_frames[] = {
    {"nearest", SubFrame::nearest}, {"linear", SubFrame::linear}, {"smooth", SubFrame::smooth}};
const Word<Toward> towards[] = {
    {"step", Toward::step}, {"linear", Toward::linear}, {"smooth", Toward::smooth}, {"free", Toward::free}};
const Word<OutsideMode> modes[] = {{"hold", OutsideMode::hold},
                                   {"repeat", OutsideMode::repeat},
                                   {"there-and-back", OutsideMode::there_and_back},
                                   {"run on", OutsideMode::run_on},
                                   {"absent", OutsideMode::absent}};
const Word<ArrangementKind> kinds[] = {
    {"line", ArrangementKind::line}, {"grid", ArrangementKind::grid}, {"ring", ArrangementKind::ring}};
const Word<Facing> facings[] = {{"fixed", Facing::fixed}, {"along", Facing::along}, {"outward", Facing::outward}};
const Word<Target> targets[] = {{"delay", Target::delay}, {"speed", Target::speed}};
const Word<Driver> drivers[] = {
    {"chance", Driver::chance}, {"order, per step", Driver::order_step}, {"order, in total", Driver::order_total}};

template <class E, std::size_t N>
const char* word_of(const Word<E> (&words)[N], E value) {
    for (const auto& w : words) {
        if (w.value == value) return w.text;
    }
    return words[0].text;
}

// An object of the file and where it stands in it, so that complaints can say so.
struct Part {
    const Json& json;
    std::string where;

    Part(const Json& j, std::string w) : json(j), where(std::move(w)) {
        if (!json.is_object()) throw Bad{fmt::format("{} must be an object in braces", where)};
    }
    const Json* get(const char* key) const {
        auto at = json.find(key);
        return at == json.end() ? nullptr : &*at;
    }
    [[noreturn]] void complain(const char* key, const char* wanted) const {
        throw Bad{fmt::format("\"{}\" of {} must be {}", key, where, wanted)};
    }
    double real(const char* key, double otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_number()) complain(key, "a number");
        return j->get<double>();
    }
    std::int64_t whole(const char* key, std::int64_t otherwise, std::int64_t low, std::int64_t high) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_number()) complain(key, "a whole number");
        const double value = j->get<double>();
        if (value != std::floor(value) || value < static_cast<double>(low) || value > static_cast<double>(high)) {
            complain(key, fmt::format("a whole number from {} to {}", low, high).c_str());
        }
        return j->is_number_integer() ? j->get<std::int64_t>() : static_cast<std::int64_t>(value);
    }
    std::uint64_t id(const char* key) const {
        const Json* j = get(key);
        if (!j || !j->is_number_unsigned() || j->get<std::uint64_t>() == 0) complain(key, "a whole number above 0");
        return j->get<std::uint64_t>();
    }
    bool flag(const char* key, bool otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_boolean()) complain(key, "true or false");
        return j->get<bool>();
    }
    std::string text(const char* key, std::string otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_string()) complain(key, "a text in quotes");
        return j->get<std::string>();
    }
    template <class E, std::size_t N>
    E word(const char* key, const Word<E> (&words)[N], E otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        std::string all;
        for (const auto& w : words) {
            if (j->is_string() && j->get<std::string>() == w.text) return w.value;
            all += fmt::format("{}\"{}\"", all.empty() ? "" : ", ", w.text);
        }
        complain(key, fmt::format("one of {}", all).c_str());
    }
    Rate rate(const char* key, Rate otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        auto rate = parse_rate(j->is_string() ? j->get<std::string>() : j->is_number() ? j->dump() : "");
        if (!rate) complain(key, "a frame rate, as in \"24\" or \"24000/1001\"");
        return *rate;
    }
    V3d place(const char* key, V3d otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_array() || j->size() != 3) complain(key, "a list of three numbers");
        V3d v;
        for (std::size_t k = 0; k < 3; ++k) {
            if (!(*j)[k].is_number()) complain(key, "a list of three numbers");
            v[static_cast<int>(k)] = (*j)[k].get<double>();
        }
        return v;
    }
    template <class F>
    void each(const char* key, std::string_view called, F&& use) const {
        const Json* j = get(key);
        if (!j) return;
        if (!j->is_array()) complain(key, "a list in brackets");
        for (std::size_t i = 0; i < j->size(); ++i) use(Part((*j)[i], fmt::format("{} {}", called, i + 1)));
    }
};

Json write(const SourceSpec& s) {
    Json j{{"id", s.id.value},
           {"name", s.name},
           {"path", s.path},
           {"rate", to_text(s.rate)},
           {"join", word_of(joins, s.join)},
           {"sub_frame", word_of(sub_frames, s.sub_frame)}};
    if (s.first) j["first_frame"] = *s.first;
    return with_extra(std::move(j), s.extra);
}

SourceSpec read_source(const Part& p) {
    SourceSpec s;
    s.id = SourceId(p.id("id"));
    s.name = p.text("name", "source");
    s.path = p.text("path", "");
    s.rate = p.rate("rate", Rate{});
    s.join = p.word("join", joins, Join::by_clock);
    s.sub_frame = p.word("sub_frame", sub_frames, SubFrame::linear);
    if (p.get("first_frame")) s.first = p.whole("first_frame", 0, -1'000'000'000, 1'000'000'000);
    s.extra = extra_of(p.json, write(s));
    return s;
}

Json write(const Outside& o) {
    return {{"mode", word_of(modes, o.mode)}, {"count", o.count}};
}

Outside read_outside(const Part& p) {
    return {p.word("mode", modes, OutsideMode::hold), static_cast<int>(p.whole("count", 0, 0, 1'000'000'000))};
}

Json write(const Timing& t) {
    Json keys = Json::array();
    for (const Key& k : t.map.keys) {
        Json key{
            {"at", number(k.at.value)}, {"source", number(k.source.value)}, {"toward", word_of(towards, k.toward)}};
        if (k.leave != 0) key["leave"] = number(k.leave);
        if (k.arrive != 0) key["arrive"] = number(k.arrive);
        keys.push_back(std::move(key));
    }
    return with_extra({{"id", t.id.value},
                       {"name", t.name},
                       {"keys", std::move(keys)},
                       {"before", write(t.before)},
                       {"after", write(t.after)},
                       {"last_is_first", t.last_is_first},
                       {"turn_twice", t.turn_twice}},
                      t.extra);
}

Timing read_timing(const Part& p) {
    Timing t;
    t.id = TimingId(p.id("id"));
    t.name = p.text("name", "timing");
    p.each("keys", p.where + ", key", [&](const Part& k) {
        Key key;
        key.at = OutputFrame(k.real("at", 0));
        key.source = SourceFrame(k.real("source", 0));
        key.toward = k.word("toward", towards, Toward::linear);
        key.leave = k.real("leave", 0);
        key.arrive = k.real("arrive", 0);
        t.map.keys.push_back(key);
    });
    if (const Json* j = p.get("before")) t.before = read_outside(Part(*j, "\"before\" of " + p.where));
    if (const Json* j = p.get("after")) t.after = read_outside(Part(*j, "\"after\" of " + p.where));
    t.last_is_first = p.flag("last_is_first", false);
    t.turn_twice = p.flag("turn_twice", false);
    t.extra = extra_of(p.json, write(t));
    return t;
}

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

Spread read_spread(const Part& p) {
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
    return with_extra({{"id", a.id.value},
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
                       {"nudges", std::move(nudges)}},
                      a.extra);
}

Arrangement read_arrangement(const Part& p) {
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
    p.each("spreads", p.where + ", spread", [&](const Part& s) { a.spreads.push_back(read_spread(s)); });
    p.each("nudges", p.where + ", nudge", [&](const Part& n) {
        const auto copy = n.whole("copy", 0, 0, INT64_C(9007199254740991));
        a.nudges.push_back({CopyId(static_cast<std::uint64_t>(copy)), n.real("later", 0)});
    });
    std::sort(a.nudges.begin(), a.nudges.end(), [](const Nudge& x, const Nudge& y) { return x.copy < y.copy; });
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

Json write(const Project& p) {
    const Settings& s = p.settings;
    Json sources = Json::array(), timings = Json::array(), arrangements = Json::array();
    for (const auto& source : p.sources) sources.push_back(write(source));
    for (const auto& timing : p.timings) timings.push_back(write(timing));
    for (const auto& arrangement : p.arrangements) arrangements.push_back(write(arrangement));
    return with_extra({{"garland", project_version},
                       {"name", s.name},
                       {"rate", to_text(s.rate)},
                       {"range", {{"first", s.range.first}, {"last", s.range.last}}},
                       {"camera", write(s.camera)},
                       {"twins", {{"alike_below", number(s.alike_below)}, {"share", number(s.twin_share)}}},
                       {"sources", std::move(sources)},
                       {"timings", std::move(timings)},
                       {"arrangements", std::move(arrangements)},
                       {"next_id", p.next_id}},
                      s.extra);
}

Project read(const Part& p) {
    Project project;
    Settings& s = project.settings;
    s.name = p.text("name", "");
    s.rate = p.rate("rate", Rate{});
    constexpr std::int64_t most = 1'000'000'000;
    if (const Json* j = p.get("range")) {
        const Part range(*j, "\"range\"");
        s.range = {range.whole("first", 1, -most, most), range.whole("last", 240, -most, most)};
    }
    if (const Json* j = p.get("camera")) {
        const Part camera(*j, "\"camera\"");
        const Camera usual;
        s.camera = {camera.place("target", usual.target), camera.real("distance", usual.distance),
                    camera.real("azimuth", usual.azimuth), camera.real("elevation", usual.elevation),
                    camera.real("lens", usual.lens)};
    }
    if (const Json* j = p.get("twins")) {
        const Part twins(*j, "\"twins\"");
        s.alike_below = twins.real("alike_below", 0.5);
        s.twin_share = twins.real("share", 0.5);
    }
    p.each("sources", "source", [&](const Part& part) { project.sources.push_back(read_source(part)); });
    p.each("timings", "timing", [&](const Part& part) { project.timings.push_back(read_timing(part)); });
    p.each("arrangements", "arrangement",
           [&](const Part& part) { project.arrangements.push_back(read_arrangement(part)); });
    std::uint64_t highest = 0;
    auto seen = [&](std::uint64_t id) { highest = std::max(highest, id); };
    for (const auto& x : project.sources) seen(x.id.value);
    for (const auto& x : project.timings) seen(x.id.value);
    for (const auto& x : project.arrangements) {
        seen(x.id.value);
        for (const auto& spread : x.spreads) seen(spread.id.value);
    }
    if (highest >= UINT64_C(9007199254740991)) throw Bad{"an id is too large"};
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
        Project project = read(Part(json, "the project"));
        if (auto ok = validate(project); !ok) return fail(std::move(ok.error()).at(path).keeping(kept));
        return project;
    } catch (const Bad& bad) {
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
