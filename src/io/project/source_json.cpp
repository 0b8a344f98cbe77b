#include "io/project/source_json.h"

#include "io/project/timing_json.h"

namespace garland {

namespace {

Json write(const Closing& c) {
    Json j{{"start", c.start},
           {"length", c.length},
           {"ends", word_of(closing_words, c.way)},
           {"overlap", c.overlap},
           {"layers", word_of(layer_mix_words, c.mix)},
           {"fade", word_of(fade_words, c.curve)},
           {"keep_contrast", c.keep_contrast}};
    if (!c.drawn_in.empty()) j["drawn_in"] = write(c.drawn_in);
    if (!c.drawn_out.empty()) j["drawn_out"] = write(c.drawn_out);
    return j;
}

Closing read_closing(const JsonPart& p) {
    const Closing usual;
    Closing c;
    c.start = p.whole("start", 0, -1'000'000'000, 1'000'000'000);
    c.length = p.whole("length", 1, 1, 10'000'000);
    c.way = p.word("ends", closing_words, usual.way);
    c.overlap = p.whole("overlap", usual.overlap, 1, 10'000'000);
    c.mix = p.word("layers", layer_mix_words, usual.mix);
    c.curve = p.word("fade", fade_words, usual.curve);
    c.keep_contrast = p.flag("keep_contrast", usual.keep_contrast);
    c.drawn_in = read_curve(p, "drawn_in");
    c.drawn_out = read_curve(p, "drawn_out");
    return c;
}

Json write(const WaterSpec& w) {
    return {{"wind_speed", number(w.wind)},
            {"wind_direction", number(w.direction)},
            {"wave_height", number(w.height)},
            {"choppiness", number(w.choppiness)},
            {"shown_area", number(w.size)},
            {"tile_length", number(w.patch)},
            {"shortest_wave", number(w.smallest)},
            {"damp_upwind_waves", number(w.against)},
            {"grid", w.resolution},
            {"layers", w.layers},
            {"frames", w.frames},
            {"loop_length", w.loop},
            {"seed", w.seed}};
}

WaterSpec read_water(const JsonPart& p) {
    WaterSpec w;
    w.wind = p.real("wind_speed", w.wind);
    w.direction = p.real("wind_direction", w.direction);
    w.height = p.real("wave_height", w.height);
    w.choppiness = p.real("choppiness", w.choppiness);
    w.size = p.real("shown_area", w.size);
    w.patch = p.real("tile_length", w.patch);
    w.smallest = p.real("shortest_wave", w.smallest);
    w.against = p.real("damp_upwind_waves", w.against);
    w.resolution = static_cast<int>(p.whole("grid", w.resolution, 0, 100'000));
    w.layers = static_cast<int>(p.whole("layers", w.layers, 0, 1000));
    w.frames = p.whole("frames", w.frames, 0, 1'000'000'000);
    w.loop = p.whole("loop_length", w.loop, 0, 1'000'000'000);
    w.seed = static_cast<std::uint64_t>(p.whole("seed", 1, 0, INT64_C(9007199254740991)));
    return w;
}

} // namespace

namespace {

// About the upright alone: one number; else about x, y and z.
Json turns(const V3d& v) {
    return v.x == 0 && v.z == 0 ? number(v.y) : vector(v);
}

// One number stands for itself times `axes`.
V3d alike_or_each(const JsonPart& p, const char* key, const V3d& usual, const V3d& axes) {
    const Json* j = p.get(key);
    if (j && j->is_array()) return p.place(key, usual);
    return j ? axes * p.real(key, 0) : usual;
}

} // namespace

Json write(const Wobble& w) {
    return {{"on", w.on},
            {"place", w.position == V3d(w.position.x) ? number(w.position.x) : vector(w.position)},
            {"turn", turns(w.turn)},
            {"size", number(w.size)},
            {"changes", number(w.rate)},
            {"seed", w.seed},
            {"all_alike", w.together},
            {"end", word_of(wobble_end_words, w.end)},
            {"end_at", number(w.end_at.value)},
            {"ease", number(w.ease)},
            {"settle_place", vector(w.settle_position)},
            {"settle_turn", turns(w.settle_turn)},
            {"settle_size", number(w.settle_size)}};
}

Wobble read_wobble(const JsonPart& p) {
    const Wobble usual;
    Wobble w;
    w.on = p.flag("on", true);
    w.position = alike_or_each(p, "place", usual.position, V3d(1));
    w.turn = alike_or_each(p, "turn", usual.turn, V3d(0, 1, 0));
    w.size = p.real("size", usual.size);
    w.rate = p.real("changes", usual.rate);
    w.seed = static_cast<std::uint64_t>(p.whole("seed", 1, 0, INT64_C(9007199254740991)));
    w.together = p.flag("all_alike", usual.together);
    w.end = p.word("end", wobble_end_words, usual.end);
    w.end_at = OutputFrame(p.real("end_at", usual.end_at.value));
    w.ease = p.real("ease", usual.ease);
    w.settle_position = p.place("settle_place", usual.settle_position);
    w.settle_turn = alike_or_each(p, "settle_turn", usual.settle_turn, V3d(0, 1, 0));
    w.settle_size = p.real("settle_size", usual.settle_size);
    return w;
}

Json write(const SourceSpec& s) {
    Json j{{"id", s.id.value},
           {"name", s.name},
           {"path", s.path},
           {"rate", to_text(s.rate)},
           {"match_by", word_of(join_words, s.join)},
           {"between_frames", word_of(sub_frame_words, s.import_settings.how)}};
    if (s.first) j["first_frame"] = *s.first;
    if (s.import_settings.gaps != GapFix::hold) j["missing_frames"] = word_of(gap_words, s.import_settings.gaps);
    if (s.import_settings.up != UpAxis::y) j["up_axis"] = word_of(up_words, s.import_settings.up);
    if (s.import_settings.scale != 1) j["scale"] = number(s.import_settings.scale);
    if (s.import_settings.root != RootMotion::along) j["root_motion"] = word_of(root_words, s.import_settings.root);
    if (s.import_settings.fresh_normals) j["normals"] = word_of(normals_words, true);
    if (s.import_settings.voxel != 0) j["voxel_size"] = number(s.import_settings.voxel);
    if (!s.choices.empty()) j["choices"] = s.choices;
    if (!s.import_settings.dropped.empty()) j["left_out"] = s.import_settings.dropped;
    if (s.changes_from) j["changes_from"] = *s.changes_from;
    if (s.water) j["water"] = write(*s.water);
    if (!s.shapes.empty()) {
        j["shapes"] = s.shapes;
        j["shape_frames"] = s.shape_frames;
    }
    if (s.closing) j["closing"] = write(*s.closing);
    if (!s.before_closing.empty()) {
        Json timings = Json::array();
        for (const Timing& t : s.before_closing) timings.push_back(timing_json(t));
        j["before_closing"] = std::move(timings);
    }
    if (!(s.wobble == Wobble{})) j["wobble"] = write(s.wobble);
    return with_extra(std::move(j), s.extra);
}

SourceSpec read_source(const JsonPart& p) {
    SourceSpec s;
    s.id = SourceId(p.id("id"));
    s.name = p.text("name", "source");
    s.path = p.text("path", "");
    s.rate = p.rate("rate", Rate{});
    s.join = p.word("match_by", join_words, Join::by_clock);
    s.import_settings.how = p.word("between_frames", sub_frame_words, SubFrame::linear);
    s.import_settings.gaps = p.word("missing_frames", gap_words, GapFix::hold);
    s.import_settings.up = p.word("up_axis", up_words, UpAxis::y);
    s.import_settings.scale = p.real("scale", 1);
    s.import_settings.root = p.word("root_motion", root_words, RootMotion::along);
    s.import_settings.fresh_normals = p.word("normals", normals_words, false);
    s.import_settings.voxel = p.real("voxel_size", 0);
    if (const Json* j = p.get("choices")) {
        if (!j->is_object()) p.complain("choices", "names with what is chosen");
        for (const auto& [name, chosen] : j->items()) {
            if (!chosen.is_string()) p.complain("choices", "names with what is chosen");
            s.choices[name] = chosen.get<std::string>();
        }
    }
    if (const Json* j = p.get("left_out")) {
        if (!j->is_array()) p.complain("left_out", "a list of frames");
        for (const Json& frame : *j) {
            if (!frame.is_number_integer()) p.complain("left_out", "a list of whole frames");
            s.import_settings.dropped.push_back(frame.get<std::int64_t>());
        }
    }
    if (p.get("changes_from")) s.changes_from = p.whole("changes_from", 0, -1'000'000'000, 1'000'000'000);
    if (const Json* j = p.get("water")) s.water = read_water(JsonPart(*j, "\"water\" of " + p.where));
    if (const Json* j = p.get("shapes")) {
        if (!j->is_array()) p.complain("shapes", "a list of paths");
        for (const Json& path : *j) {
            if (!path.is_string()) p.complain("shapes", "a list of paths");
            s.shapes.push_back(path.get<std::string>());
        }
    }
    s.shape_frames = p.whole("shape_frames", 12, 1, 100'000);
    if (p.get("first_frame")) s.first = p.whole("first_frame", 0, -1'000'000'000, 1'000'000'000);
    if (const Json* j = p.get("closing")) s.closing = read_closing(JsonPart(*j, "\"closing\" of " + p.where));
    p.each("before_closing", "timing before closing of " + p.where,
           [&](const JsonPart& part) { s.before_closing.push_back(read_timing(part)); });
    if (const Json* j = p.get("wobble")) s.wobble = read_wobble(JsonPart(*j, "\"wobble\" of " + p.where));
    s.extra = extra_of(p.json, write(s));
    return s;
}

} // namespace garland
