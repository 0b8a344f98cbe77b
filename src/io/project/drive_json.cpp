#include "io/project/drive_json.h"

#include "io/project/timing_json.h"

namespace garland {

namespace {

constexpr std::int64_t most_id = INT64_C(9007199254740991); // whole numbers that JSON's readers all keep

// What is as usual is not written.
Json write(const Wave& w) {
    Json j{{"start", number(w.start.value)}, {"frames", number(w.frames)}, {"after", word_of(wave_words, w.after)}};
    add_unless_usual(j, "passes", w.passes, 0, w.passes);
    add_unless_usual(j, "response", w.response, KeyedCurve{}, write(w.response));
    return j;
}

Wave read_wave(const JsonPart& p) {
    const Wave usual;
    Wave w;
    w.start = OutputFrame(p.real("start", usual.start.value));
    w.frames = p.real("frames", usual.frames);
    w.after = p.word("after", wave_words, usual.after);
    w.passes = static_cast<int>(p.whole("passes", 0, 0, 1'000'000'000));
    w.response = read_curve(p, "response");
    return w;
}

std::vector<V3d> read_path(const JsonPart& p) {
    std::vector<V3d> out;
    const Json* j = p.get("path");
    if (!j) return out;
    const char* wanted = "a list of places, three numbers each";
    if (!j->is_array()) p.complain("path", wanted);
    for (const Json& one : *j) {
        if (!one.is_array() || one.size() != 3 || !one[0].is_number() || !one[1].is_number() || !one[2].is_number())
            p.complain("path", wanted);
        out.emplace_back(one[0].get<double>(), one[1].get<double>(), one[2].get<double>());
    }
    return out;
}

} // namespace

Json write(const std::vector<PlaceKey>& keys) {
    Json out = Json::array();
    for (const PlaceKey& k : keys) {
        Json key{{"at", number(k.at.value)}, {"place", vector(k.place)}};
        add_unless_usual(key, "turn", k.turn, V3d(0), vector(k.turn));
        add_unless_usual(key, "scale", k.size, 1.0, number(k.size));
        key["toward"] = word_of(toward_words, k.toward);
        out.push_back(std::move(key));
    }
    return out;
}

std::vector<PlaceKey> read_place_keys(const JsonPart& p, const char* key) {
    std::vector<PlaceKey> out;
    p.each(key, p.where + ", key", [&](const JsonPart& k) {
        out.push_back({OutputFrame(k.real("at", 0)), k.place("place", V3d(0)), k.place("turn", V3d(0)),
                       k.real("scale", 1), k.word("toward", toward_words, Toward::linear)});
    });
    return out;
}

Json write(const Zone& z) {
    const Zone usual;
    Json j{
        {"id", z.id.value}, {"name", z.name}, {"shape", word_of(zone_shape_words, z.shape)}, {"size", vector(z.size)}};
    add_unless_usual(j, "on", z.on, true, z.on);
    if (z.mesh) j["mesh"] = z.mesh.value;
    if (!z.path.empty()) {
        Json path = Json::array();
        for (const V3d& p : z.path) path.push_back(vector(p));
        j["path"] = std::move(path);
        add_unless_usual(j, "path_closed", z.path_closed, false, z.path_closed);
    }
    j["keys"] = write(z.keys);
    if (z.ride != ZoneRide::none) {
        Json ride{{"on", word_of(zone_ride_words, z.ride)}};
        if (z.ride_source) ride["source"] = z.ride_source.value;
        if (!z.ride_part.empty()) ride["part"] = z.ride_part;
        if (z.ride == ZoneRide::particle) ride["particle"] = z.ride_particle;
        if (z.ride == ZoneRide::path)
            ride["first"] = number(z.ride_first.value), ride["last"] = number(z.ride_last.value);
        j["ride"] = std::move(ride);
    }
    j["inner"] = number(z.inner);
    j["outer"] = number(z.outer);
    add_unless_usual(j, "response", z.response, usual.response, write(z.response));
    add_unless_usual(j, "inverted", z.inverted, false, z.inverted);
    return with_extra(std::move(j), z.extra);
}

Zone read_zone(const JsonPart& p) {
    const Zone usual;
    Zone z;
    z.id = ZoneId(p.id("id"));
    z.name = p.text("name", "zone");
    z.on = p.flag("on", true);
    z.shape = p.word("shape", zone_shape_words, usual.shape);
    z.size = p.place("size", usual.size);
    if (p.get("mesh")) z.mesh = SourceId(p.id("mesh"));
    z.path = read_path(p);
    z.path_closed = p.flag("path_closed", false);
    z.keys = read_place_keys(p, "keys");
    if (const Json* j = p.get("ride")) {
        const JsonPart ride(*j, "\"ride\" of " + p.where);
        z.ride = ride.word("on", zone_ride_words, ZoneRide::none);
        if (ride.get("source")) z.ride_source = SourceId(ride.id("source"));
        z.ride_part = ride.text("part", "");
        z.ride_particle = ride.whole("particle", 0, -most_id, most_id);
        z.ride_first = OutputFrame(ride.real("first", usual.ride_first.value));
        z.ride_last = OutputFrame(ride.real("last", usual.ride_last.value));
    }
    z.inner = p.real("inner", usual.inner);
    z.outer = p.real("outer", usual.outer);
    z.response = read_curve(p, "response");
    z.inverted = p.flag("inverted", false);
    z.extra = extra_of(p.json, write(z));
    return z;
}

Json write(const SoundSpec& s) {
    const SoundSpec usual;
    const SoundBands& b = s.bands;
    Json j{{"id", s.id.value}, {"name", s.name}, {"path", s.path}, {"start", number(s.start.value)}};
    add_unless_usual(j, "channel", s.channel, 0, s.channel);
    j["bands"] = {{"third_octaves", b.third_octaves},
                  {"count", b.count},
                  {"low", number(b.low)},
                  {"high", number(b.high)},
                  {"floor", number(b.floor)},
                  {"ceiling", number(b.ceiling)},
                  {"attack", number(b.attack)},
                  {"release", number(b.release)}};
    return with_extra(std::move(j), s.extra);
}

SoundSpec read_sound(const JsonPart& p) {
    SoundSpec s;
    s.id = SoundId(p.id("id"));
    s.name = p.text("name", "sound");
    s.path = p.text("path", "");
    s.start = OutputFrame(p.real("start", 1));
    s.channel = static_cast<int>(p.whole("channel", 0, 0, 100'000));
    if (const Json* j = p.get("bands")) {
        const JsonPart b(*j, "\"bands\" of " + p.where);
        const SoundBands usual;
        s.bands = {b.flag("third_octaves", false), static_cast<int>(b.whole("count", usual.count, 0, 1000)),
                   b.real("low", usual.low),       b.real("high", usual.high),
                   b.real("floor", usual.floor),   b.real("ceiling", usual.ceiling),
                   b.real("attack", usual.attack), b.real("release", usual.release)};
    }
    s.extra = extra_of(p.json, write(s));
    return s;
}

Json write(const Pulse& p) {
    const Pulse usual;
    Json j{{"id", p.id.value}, {"wave", write(p.wave)}};
    add_unless_usual(j, "on", p.on, true, p.on);
    add_unless_usual(j, "lift", p.lift, usual.lift, vector(p.lift));
    add_unless_usual(j, "turn", p.turn, usual.turn, number(p.turn));
    add_unless_usual(j, "size", p.size, usual.size, number(p.size));
    add_unless_usual(j, "hides", p.hides, false, p.hides);
    return with_extra(std::move(j), p.extra);
}

Pulse read_pulse(const JsonPart& p) {
    Pulse out;
    out.id = SpreadId(p.id("id"));
    out.on = p.flag("on", true);
    if (const Json* wave = p.get("wave")) out.wave = read_wave(JsonPart(*wave, "\"wave\" of " + p.where));
    out.lift = p.place("lift", V3d(0));
    out.turn = p.real("turn", 0);
    out.size = p.real("size", 1);
    out.hides = p.flag("hides", false);
    out.extra = extra_of(p.json, write(out));
    return out;
}

Json write(const LevelRule& r) {
    Json j{{"by", word_of(level_words, r.kind)}};
    if (!r.zones.empty()) {
        Json zones = Json::array();
        for (ZoneId id : r.zones) zones.push_back(id.value);
        j["zones"] = std::move(zones);
    }
    add_unless_usual(j, "join", r.join, ZoneJoin::highest, word_of(zone_join_words, r.join));
    if (r.kind == LevelKind::pulse) j["pulse"] = write(r.wave);
    if (r.hearing.sound) {
        j["sound"] = r.hearing.sound.value;
        j["bands_by"] = word_of(deal_words, r.hearing.deal);
        if (r.hearing.deal == SoundDeal::axis) j["axis"] = vector(r.hearing.axis);
        if (r.hearing.deal == SoundDeal::attribute) j["attribute"] = r.hearing.attribute;
    }
    return j;
}

LevelRule read_level(const JsonPart& p) {
    LevelRule r;
    r.kind = p.word("by", level_words, LevelKind::zones);
    if (const Json* zones = p.get("zones")) {
        if (!zones->is_array()) p.complain("zones", "a list of zones");
        for (const Json& one : *zones) {
            if (!one.is_number_unsigned() || one.get<std::uint64_t>() == 0)
                p.complain("zones", "a list of whole numbers above 0");
            r.zones.push_back(ZoneId(one.get<std::uint64_t>()));
        }
    }
    r.join = p.word("join", zone_join_words, ZoneJoin::highest);
    if (const Json* wave = p.get("pulse")) r.wave = read_wave(JsonPart(*wave, "\"pulse\" of " + p.where));
    if (p.get("sound")) r.hearing.sound = SoundId(p.id("sound"));
    r.hearing.deal = p.word("bands_by", deal_words, SoundDeal::order);
    r.hearing.axis = p.place("axis", V3d(1, 0, 0));
    r.hearing.attribute = p.text("attribute", "");
    return r;
}

Json write(const Play& p) {
    const Play usual;
    Json j{{"by", word_of(play_words, p.by)}, {"level", write(p.level)}};
    add_unless_usual(j, "response", p.response, usual.response, write(p.response));
    add_unless_usual(j, "from", p.from, usual.from, number(p.from));
    add_unless_usual(j, "to", p.to, usual.to, number(p.to));
    add_unless_usual(j, "threshold", p.threshold, usual.threshold, number(p.threshold));
    add_unless_usual(j, "leaving", p.leaving, usual.leaving, word_of(leaving_words, p.leaving));
    add_unless_usual(j, "leaving_frames", p.leaving_frames, usual.leaving_frames, number(p.leaving_frames));
    add_unless_usual(j, "start_again", p.start_again, false, p.start_again);
    add_unless_usual(j, "hidden_before", p.hidden_before, false, p.hidden_before);
    add_unless_usual(j, "shortest", p.shortest, usual.shortest, number(p.shortest));
    add_unless_usual(j, "speed", p.speed, usual.speed, number(p.speed));
    return j;
}

Play read_play(const JsonPart& p) {
    const Play usual;
    Play out;
    out.by = p.word("by", play_words, usual.by);
    if (const Json* level = p.get("level")) out.level = read_level(JsonPart(*level, "\"level\" of " + p.where));
    out.response = read_curve(p, "response");
    out.from = p.real("from", usual.from);
    out.to = p.real("to", usual.to);
    out.threshold = p.real("threshold", usual.threshold);
    out.leaving = p.word("leaving", leaving_words, usual.leaving);
    out.leaving_frames = p.real("leaving_frames", usual.leaving_frames);
    out.start_again = p.flag("start_again", false);
    out.hidden_before = p.flag("hidden_before", false);
    out.shortest = p.real("shortest", usual.shortest);
    out.speed = p.real("speed", usual.speed);
    return out;
}

} // namespace garland
