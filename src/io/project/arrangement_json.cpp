#include "io/project/arrangement_json.h"

#include "io/project/drive_json.h"
#include "io/project/source_json.h"
#include "io/project/timing_json.h"

#include <algorithm>

namespace garland {

namespace {

constexpr std::int64_t seed_limit = INT64_C(9007199254740991); // whole numbers that JSON's readers all keep
constexpr std::int64_t most = 1'000'000'000;

Json write(const std::vector<CopyId>& ids) {
    Json list = Json::array();
    for (CopyId id : ids) list.push_back(id.value);
    return list;
}

std::vector<CopyId> read_ids(const JsonPart& p, const char* key) {
    std::vector<CopyId> ids;
    const Json* j = p.get(key);
    if (!j) return ids;
    if (!j->is_array()) p.complain(key, "a list of copies");
    for (const Json& one : *j) {
        if (!one.is_number_unsigned()) p.complain(key, "a list of whole numbers from 0 on");
        ids.push_back(CopyId(one.get<std::uint64_t>()));
    }
    std::sort(ids.begin(), ids.end());
    return ids;
}

// What is as usual is not written.
template <class T>
void add(Json& j, const char* key, const T& value, const T& usual, const Json& text) {
    if (!(value == usual)) j[key] = text;
}

Json write(const Spread& s) {
    const Spread usual;
    Json j{{"id", s.id.value},
           {"on", s.on},
           {"target", word_of(target_words, s.target)},
           {"driver", word_of(driver_words, s.driver)},
           {"from", number(s.from)},
           {"to", number(s.to)},
           {"whole_frames", s.whole_frames},
           {"seed", s.seed}};
    add(j, "share", s.share, usual.share, number(s.share));
    add(j, "amount", s.amount, usual.amount, write(s.amount));
    if (s.meets) j["meets"] = number(s.meets->value);
    add(j, "curve", s.curve, usual.curve, write(s.curve));
    add(j, "after_start", s.after_start, false, s.after_start);
    add(j, "bell", s.bell, false, s.bell);
    add(j, "patch", s.patch, usual.patch, number(s.patch));
    add(j, "detail", s.detail, usual.detail, s.detail);
    add(j, "drift", s.drift, usual.drift, vector(s.drift));
    add(j, "axis", s.axis, usual.axis, vector(s.axis));
    add(j, "along_path", s.along_path, false, s.along_path);
    add(j, "centre", s.centre, usual.centre, vector(s.centre));
    add(j, "reach", s.reach, usual.reach, number(s.reach));
    add(j, "attribute", s.attribute, usual.attribute, s.attribute);
    add(j, "as_it_is", s.as_it_is, false, s.as_it_is);
    add(j, "changes", s.changes, usual.changes, number(s.changes));
    add(j, "level", s.level, usual.level, write(s.level));
    return with_extra(std::move(j), s.extra);
}

Spread read_spread(const JsonPart& p) {
    const Spread usual;
    Spread s;
    s.id = SpreadId(p.id("id"));
    s.on = p.flag("on", true);
    s.target = p.word("target", target_words, Target::delay);
    s.driver = p.word("driver", driver_words, Driver::chance);
    s.from = p.real("from", 0);
    s.to = p.real("to", 24);
    s.whole_frames = p.flag("whole_frames", true);
    s.seed = static_cast<std::uint64_t>(p.whole("seed", 1, 0, seed_limit));
    s.share = p.real("share", usual.share);
    s.amount = read_curve(p, "amount");
    if (p.get("meets")) s.meets = OutputFrame(p.real("meets", 0));
    s.curve = read_curve(p, "curve");
    s.after_start = p.flag("after_start", false);
    s.bell = p.flag("bell", false);
    s.patch = p.real("patch", usual.patch);
    s.detail = static_cast<int>(p.whole("detail", usual.detail, 0, 1000));
    s.drift = p.place("drift", usual.drift);
    s.axis = p.place("axis", usual.axis);
    s.along_path = p.flag("along_path", false);
    s.centre = p.place("centre", usual.centre);
    s.reach = p.real("reach", usual.reach);
    s.attribute = p.text("attribute", "");
    s.as_it_is = p.flag("as_it_is", false);
    s.changes = p.real("changes", usual.changes);
    if (const Json* level = p.get("level")) s.level = read_level(JsonPart(*level, "\"level\" of " + p.where));
    s.extra = extra_of(p.json, write(s));
    return s;
}

Json write(const CopyOrder& o) {
    Json j{{"by", word_of(order_words, o.by)}, {"reversed", o.reversed}};
    if (o.by == OrderBy::distance) j["from"] = vector(o.from);
    if (o.by == OrderBy::random) j["seed"] = o.seed;
    if (o.by == OrderBy::attribute) j["attribute"] = o.attribute;
    return j;
}

Json write(const Jitter& jitter) {
    return {{"position", vector(jitter.position)},
            {"turn", number(jitter.turn)},
            {"size", number(jitter.size)},
            {"seed", jitter.seed}};
}

// Where copies stand, beyond what every arrangement says.
void write_places(Json& j, const Arrangement& a, const Arrangement& usual) {
    add(j, "layers", a.layers, usual.layers, a.layers);
    add(j, "layer_spacing", a.layer_spacing, usual.layer_spacing, number(a.layer_spacing));
    if (!a.path.empty()) {
        Json path = Json::array();
        for (const V3d& p : a.path) path.push_back(vector(p));
        j["path"] = {{"points", std::move(path)},
                     {"closed", a.path_closed},
                     {"smooth", a.path_smooth},
                     {"side", number(a.path_side)}};
    }
    if (a.carrier) j["carrier"] = a.carrier.value;
    if (a.carrier_timing) j["carrier_timing"] = a.carrier_timing.value;
    add(j, "least_apart", a.least_apart, usual.least_apart, number(a.least_apart));
    add(j, "seed", a.seed, usual.seed, a.seed);
    if (!a.targets.empty()) {
        Json targets = Json::array();
        for (const TargetKey& k : a.targets)
            targets.push_back(
                {{"at", number(k.at.value)}, {"place", vector(k.place)}, {"toward", word_of(toward_words, k.toward)}});
        j["targets"] = std::move(targets);
    }
    add(j, "width", a.width, usual.width, write(a.width));
    add(j, "height", a.height, usual.height, write(a.height));
    add(j, "jitter", a.jitter, usual.jitter, write(a.jitter));
    add(j, "order", a.order, usual.order, write(a.order));
}

void read_places(const JsonPart& p, Arrangement& a) {
    a.layers = static_cast<int>(p.whole("layers", 1, 0, most));
    a.layer_spacing = p.real("layer_spacing", 1);
    if (const Json* j = p.get("path")) {
        const JsonPart path(*j, "\"path\" of " + p.where);
        if (const Json* points = path.get("points")) {
            if (!points->is_array()) path.complain("points", "a list of places");
            for (const Json& one : *points) {
                if (!one.is_array() || one.size() != 3 || !one[0].is_number() || !one[1].is_number() ||
                    !one[2].is_number())
                    path.complain("points", "a list of places, three numbers each");
                a.path.emplace_back(one[0].get<double>(), one[1].get<double>(), one[2].get<double>());
            }
        }
        a.path_closed = path.flag("closed", false);
        a.path_smooth = path.flag("smooth", true);
        a.path_side = path.real("side", 0);
    }
    if (p.get("carrier")) a.carrier = SourceId(p.id("carrier"));
    if (p.get("carrier_timing")) a.carrier_timing = TimingId(p.id("carrier_timing"));
    a.least_apart = p.real("least_apart", 0);
    a.seed = static_cast<std::uint64_t>(p.whole("seed", 1, 0, seed_limit));
    p.each("targets", p.where + ", target key", [&](const JsonPart& k) {
        a.targets.push_back(
            {OutputFrame(k.real("at", 0)), k.place("place", V3d(0)), k.word("toward", toward_words, Toward::linear)});
    });
    a.width = read_curve(p, "width");
    a.height = read_curve(p, "height");
    if (const Json* j = p.get("jitter")) {
        const JsonPart jitter(*j, "\"jitter\" of " + p.where);
        a.jitter = {jitter.place("position", V3d(0)), jitter.real("turn", 0), jitter.real("size", 0),
                    static_cast<std::uint64_t>(jitter.whole("seed", 1, 0, seed_limit))};
    }
    if (const Json* j = p.get("order")) {
        const JsonPart order(*j, "\"order\" of " + p.where);
        a.order.by = order.word("by", order_words, OrderBy::along);
        a.order.reversed = order.flag("reversed", false);
        a.order.from = order.place("from", V3d(0));
        a.order.seed = static_cast<std::uint64_t>(order.whole("seed", 1, 0, seed_limit));
        a.order.attribute = order.text("attribute", "");
    }
}

// Which sources the copies show, and when they begin.
void write_what_and_when(Json& j, const Arrangement& a, const Arrangement& usual) {
    add(j, "hidden", a.hidden, false, a.hidden);
    if (!a.variants.empty()) {
        Json variants = Json::array();
        for (const Variant& v : a.variants)
            variants.push_back({{"source", v.source.value}, {"weight", number(v.weight)}});
        j["variants"] = std::move(variants);
        j["own_weight"] = number(a.own_weight);
        j["in_turn"] = a.in_turn;
        j["variant_seed"] = a.variant_seed;
    }
    if (a.single_out) {
        Json out{{"from", a.single_out->from.value}};
        if (!a.single_out->copies.empty()) out["copies"] = write(a.single_out->copies);
        if (!a.single_out->part.empty()) out["part"] = a.single_out->part;
        j["single_out"] = std::move(out);
    }
    if (!a.hidden_copies.empty()) j["hidden_copies"] = write(a.hidden_copies);
    add(j, "start", a.start, usual.start, word_of(start_words, a.start));
    add(j, "start_frame", a.start_frame, usual.start_frame, number(a.start_frame.value));
    add(j, "passes", a.passes, usual.passes, a.passes);
    add(j, "hidden_until_start", a.hidden_until_start, false, a.hidden_until_start);
    add(j, "nudge_amount", a.nudge_amount, usual.nudge_amount, write(a.nudge_amount));
    add(j, "upright", a.upright, true, a.upright);
    add(j, "bank", a.bank, 0.0, number(a.bank));
    if (!a.place_keys.empty()) j["place_keys"] = write(a.place_keys);
    if (!(a.wobble == Wobble{})) j["wobble"] = write(a.wobble);
    if (!(a.play == Play{})) j["play"] = write(a.play);
    if (!a.pulses.empty()) {
        Json pulses = Json::array();
        for (const Pulse& pulse : a.pulses) pulses.push_back(write(pulse));
        j["pulses"] = std::move(pulses);
    }
}

void read_what_and_when(const JsonPart& p, Arrangement& a) {
    a.hidden = p.flag("hidden", false);
    p.each("variants", p.where + ", variant", [&](const JsonPart& v) {
        a.variants.push_back({SourceId(v.id("source")), v.real("weight", 1)});
    });
    a.own_weight = p.real("own_weight", 1);
    a.in_turn = p.flag("in_turn", false);
    a.variant_seed = static_cast<std::uint64_t>(p.whole("variant_seed", 1, 0, seed_limit));
    if (const Json* j = p.get("single_out")) {
        const JsonPart out(*j, "\"single_out\" of " + p.where);
        a.single_out = SingleOut{ArrangementId(out.id("from")), read_ids(out, "copies"), out.text("part", "")};
    }
    a.hidden_copies = read_ids(p, "hidden_copies");
    a.start = p.word("start", start_words, StartKind::with_shot);
    a.start_frame = OutputFrame(p.real("start_frame", 1));
    a.passes = static_cast<int>(p.whole("passes", 0, 0, most));
    a.hidden_until_start = p.flag("hidden_until_start", false);
    a.nudge_amount = read_curve(p, "nudge_amount");
    a.upright = p.flag("upright", true);
    a.bank = p.real("bank", 0);
    a.place_keys = read_place_keys(p, "place_keys");
    if (const Json* j = p.get("wobble")) a.wobble = read_wobble(JsonPart(*j, "\"wobble\" of " + p.where));
    if (const Json* j = p.get("play")) a.play = read_play(JsonPart(*j, "\"play\" of " + p.where));
    p.each("pulses", p.where + ", pulse", [&](const JsonPart& pulse) { a.pulses.push_back(read_pulse(pulse)); });
}

} // namespace

Json arrangement_json(const Arrangement& a) {
    const Arrangement usual;
    Json spreads = Json::array(), nudges = Json::array();
    for (const Spread& s : a.spreads) spreads.push_back(write(s));
    for (const Nudge& n : a.nudges) nudges.push_back({{"copy", n.copy.value}, {"later", number(n.frames)}});
    Json j{{"id", a.id.value},
           {"name", a.name},
           {"source", a.source.value},
           {"timing", a.timing.value},
           {"kind", word_of(kind_words, a.kind)},
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
           {"facing", word_of(facing_words, a.facing)},
           {"turn", number(a.turn)},
           {"size", number(a.size)},
           {"spreads", std::move(spreads)},
           {"nudges", std::move(nudges)}};
    write_places(j, a, usual);
    write_what_and_when(j, a, usual);
    return with_extra(std::move(j), a.extra);
}

Arrangement read_arrangement(const JsonPart& p) {
    Arrangement a;
    a.id = ArrangementId(p.id("id"));
    a.name = p.text("name", "copies");
    a.source = SourceId(p.id("source"));
    a.timing = TimingId(p.id("timing"));
    a.kind = p.word("kind", kind_words, ArrangementKind::line);
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
    a.facing = p.word("facing", facing_words, Facing::fixed);
    a.turn = p.real("turn", 0);
    a.size = p.real("size", 1);
    read_places(p, a);
    p.each("spreads", p.where + ", spread", [&](const JsonPart& s) { a.spreads.push_back(read_spread(s)); });
    p.each("nudges", p.where + ", nudge", [&](const JsonPart& n) {
        const auto copy = n.whole("copy", 0, 0, seed_limit);
        a.nudges.push_back({CopyId(static_cast<std::uint64_t>(copy)), n.real("later", 0)});
    });
    std::sort(a.nudges.begin(), a.nudges.end(), [](const Nudge& x, const Nudge& y) { return x.copy < y.copy; });
    read_what_and_when(p, a);
    a.extra = extra_of(p.json, arrangement_json(a));
    return a;
}

} // namespace garland
