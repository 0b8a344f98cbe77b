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
Json write(const Spread& s) {
    const Spread usual;
    Json j{{"id", s.id.value},
           {"on", s.on},
           {"target", word_of(target_words, s.target)},
           {"driver", word_of(driver_words, s.by.kind)},
           {"from", number(s.from)},
           {"to", number(s.to)},
           {"whole_frames", s.whole_frames},
           {"seed", s.by.seed}};
    add_unless_usual(j, "strength", s.strength.share, usual.strength.share, number(s.strength.share));
    add_unless_usual(j, "strength_keys", s.strength.keys, usual.strength.keys, write(s.strength.keys));
    if (s.meets) j["meets"] = number(s.meets->value);
    add_unless_usual(j, "response", s.curve, usual.curve, write(s.curve));
    add_unless_usual(j, "after_start", s.after_start, false, s.after_start);
    add_unless_usual(j, "bell", s.by.bell, false, s.by.bell);
    add_unless_usual(j, "patch", s.by.noise.patch, usual.by.noise.patch, number(s.by.noise.patch));
    add_unless_usual(j, "octaves", s.by.noise.detail, usual.by.noise.detail, s.by.noise.detail);
    add_unless_usual(j, "drift", s.by.noise.drift, usual.by.noise.drift, vector(s.by.noise.drift));
    add_unless_usual(j, "axis", s.by.gradient.axis, usual.by.gradient.axis, vector(s.by.gradient.axis));
    add_unless_usual(j, "along_path", s.by.gradient.along_path, false, s.by.gradient.along_path);
    add_unless_usual(j, "centre", s.by.distance.centre, usual.by.distance.centre, vector(s.by.distance.centre));
    add_unless_usual(j, "reach", s.by.distance.reach, usual.by.distance.reach, number(s.by.distance.reach));
    add_unless_usual(j, "attribute", s.by.carrier.attribute, usual.by.carrier.attribute, s.by.carrier.attribute);
    add_unless_usual(j, "as_it_is", s.by.carrier.as_it_is, false, s.by.carrier.as_it_is);
    add_unless_usual(j, "changes", s.changes, usual.changes, number(s.changes));
    add_unless_usual(j, "level", s.by.level, usual.by.level, write(s.by.level));
    return with_extra(std::move(j), s.extra);
}

Spread read_spread(const JsonPart& p) {
    const Spread usual;
    Spread s;
    s.id = SpreadId(p.id("id"));
    s.on = p.flag("on", true);
    s.target = p.word("target", target_words, Target::delay);
    s.by.kind = p.word("driver", driver_words, Driver::chance);
    s.from = p.real("from", 0);
    s.to = p.real("to", 24);
    s.whole_frames = p.flag("whole_frames", true);
    s.by.seed = static_cast<std::uint64_t>(p.whole("seed", 1, 0, seed_limit));
    s.strength.share = p.real("strength", usual.strength.share);
    s.strength.keys = read_curve(p, "strength_keys");
    if (p.get("meets")) s.meets = OutputFrame(p.real("meets", 0));
    s.curve = read_curve(p, "response");
    s.after_start = p.flag("after_start", false);
    s.by.bell = p.flag("bell", false);
    s.by.noise.patch = p.real("patch", usual.by.noise.patch);
    s.by.noise.detail = static_cast<int>(p.whole("octaves", usual.by.noise.detail, 0, 1000));
    s.by.noise.drift = p.place("drift", usual.by.noise.drift);
    s.by.gradient.axis = p.place("axis", usual.by.gradient.axis);
    s.by.gradient.along_path = p.flag("along_path", false);
    s.by.distance.centre = p.place("centre", usual.by.distance.centre);
    s.by.distance.reach = p.real("reach", usual.by.distance.reach);
    s.by.carrier.attribute = p.text("attribute", "");
    s.by.carrier.as_it_is = p.flag("as_it_is", false);
    s.changes = p.real("changes", usual.changes);
    if (const Json* level = p.get("level")) s.by.level = read_level(JsonPart(*level, "\"level\" of " + p.where));
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
    return {{"place", vector(jitter.position)},
            {"turn", number(jitter.turn)},
            {"size", number(jitter.size)},
            {"seed", jitter.seed}};
}

// Where copies stand, beyond what every arrangement says.
void write_places(Json& j, const Arrangement& a, const Arrangement& usual) {
    add_unless_usual(j, "layers", a.layout.layers, usual.layout.layers, a.layout.layers);
    add_unless_usual(j, "layer_spacing", a.layout.layer_spacing, usual.layout.layer_spacing,
                     number(a.layout.layer_spacing));
    if (!a.layout.path.points.empty()) {
        Json path = Json::array();
        for (const V3d& p : a.layout.path.points) path.push_back(vector(p));
        j["path"] = {{"points", std::move(path)},
                     {"closed", a.layout.path.closed},
                     {"smooth", a.layout.path.smooth},
                     {"offset", number(a.layout.path.side)}};
    }
    if (a.layout.carried.source) j["carrier"] = a.layout.carried.source.value;
    if (a.layout.carried.timing) j["carrier_timing"] = a.layout.carried.timing.value;
    add_unless_usual(j, "minimum_distance", a.layout.carried.least_apart, usual.layout.carried.least_apart,
                     number(a.layout.carried.least_apart));
    add_unless_usual(j, "seed", a.layout.carried.seed, usual.layout.carried.seed, a.layout.carried.seed);
    if (!a.attitude.targets.empty()) {
        Json targets = Json::array();
        for (const TargetKey& k : a.attitude.targets)
            targets.push_back(
                {{"at", number(k.at.value)}, {"place", vector(k.place)}, {"toward", word_of(toward_words, k.toward)}});
        j["targets"] = std::move(targets);
    }
    add_unless_usual(j, "width", a.stretch.width, usual.stretch.width, write(a.stretch.width));
    add_unless_usual(j, "height", a.stretch.height, usual.stretch.height, write(a.stretch.height));
    add_unless_usual(j, "jitter", a.jitter, usual.jitter, write(a.jitter));
    add_unless_usual(j, "order", a.order, usual.order, write(a.order));
}

void read_places(const JsonPart& p, Arrangement& a) {
    a.layout.layers = static_cast<int>(p.whole("layers", 1, 0, most));
    a.layout.layer_spacing = p.real("layer_spacing", 1);
    if (const Json* j = p.get("path")) {
        const JsonPart path(*j, "\"path\" of " + p.where);
        if (const Json* points = path.get("points")) {
            if (!points->is_array()) path.complain("points", "a list of places");
            for (const Json& one : *points) {
                if (!one.is_array() || one.size() != 3 || !one[0].is_number() || !one[1].is_number() ||
                    !one[2].is_number())
                    path.complain("points", "a list of places, three numbers each");
                a.layout.path.points.emplace_back(one[0].get<double>(), one[1].get<double>(), one[2].get<double>());
            }
        }
        a.layout.path.closed = path.flag("closed", false);
        a.layout.path.smooth = path.flag("smooth", true);
        a.layout.path.side = path.real("offset", 0);
    }
    if (p.get("carrier")) a.layout.carried.source = SourceId(p.id("carrier"));
    if (p.get("carrier_timing")) a.layout.carried.timing = TimingId(p.id("carrier_timing"));
    a.layout.carried.least_apart = p.real("minimum_distance", 0);
    a.layout.carried.seed = static_cast<std::uint64_t>(p.whole("seed", 1, 0, seed_limit));
    p.each("targets", p.where + ", target key", [&](const JsonPart& k) {
        a.attitude.targets.push_back(
            {OutputFrame(k.real("at", 0)), k.place("place", V3d(0)), k.word("toward", toward_words, Toward::linear)});
    });
    a.stretch.width = read_curve(p, "width");
    a.stretch.height = read_curve(p, "height");
    if (const Json* j = p.get("jitter")) {
        const JsonPart jitter(*j, "\"jitter\" of " + p.where);
        a.jitter = {jitter.place("place", V3d(0)), jitter.real("turn", 0), jitter.real("size", 0),
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
    add_unless_usual(j, "hidden", a.hidden, false, a.hidden);
    if (!a.choice.variants.empty()) {
        Json variants = Json::array();
        for (const Variant& v : a.choice.variants)
            variants.push_back({{"source", v.source.value}, {"weight", number(v.weight)}});
        j["variants"] = std::move(variants);
        j["own_weight"] = number(a.choice.own_weight);
        j["in_turn"] = a.choice.in_turn;
        j["variant_seed"] = a.choice.seed;
    }
    if (a.single_out) {
        Json out{{"from", a.single_out->from.value}};
        if (!a.single_out->copies.empty()) out["copies"] = write(a.single_out->copies);
        if (!a.single_out->part.empty()) out["part"] = a.single_out->part;
        j["single_out"] = std::move(out);
    }
    if (!a.hidden_copies.empty()) j["hidden_copies"] = write(a.hidden_copies);
    add_unless_usual(j, "start", a.begins.kind, usual.begins.kind, word_of(start_words, a.begins.kind));
    add_unless_usual(j, "start_frame", a.begins.frame, usual.begins.frame, number(a.begins.frame.value));
    add_unless_usual(j, "total_passes", a.begins.passes, usual.begins.passes, a.begins.passes);
    add_unless_usual(j, "hidden_until_start", a.begins.hidden_before, false, a.begins.hidden_before);
    add_unless_usual(j, "nudge_strength", a.by_hand.amount, usual.by_hand.amount, write(a.by_hand.amount));
    add_unless_usual(j, "upright", a.attitude.upright, true, a.attitude.upright);
    add_unless_usual(j, "bank", a.attitude.bank, 0.0, number(a.attitude.bank));
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
        a.choice.variants.push_back({SourceId(v.id("source")), v.real("weight", 1)});
    });
    a.choice.own_weight = p.real("own_weight", 1);
    a.choice.in_turn = p.flag("in_turn", false);
    a.choice.seed = static_cast<std::uint64_t>(p.whole("variant_seed", 1, 0, seed_limit));
    if (const Json* j = p.get("single_out")) {
        const JsonPart out(*j, "\"single_out\" of " + p.where);
        a.single_out = SingleOut{ArrangementId(out.id("from")), read_ids(out, "copies"), out.text("part", "")};
    }
    a.hidden_copies = read_ids(p, "hidden_copies");
    a.begins.kind = p.word("start", start_words, StartKind::with_shot);
    a.begins.frame = OutputFrame(p.real("start_frame", 1));
    a.begins.passes = static_cast<int>(p.whole("total_passes", 0, 0, most));
    a.begins.hidden_before = p.flag("hidden_until_start", false);
    a.by_hand.amount = read_curve(p, "nudge_strength");
    a.attitude.upright = p.flag("upright", true);
    a.attitude.bank = p.real("bank", 0);
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
    for (const Nudge& n : a.by_hand.nudges) nudges.push_back({{"copy", n.copy.value}, {"later", number(n.frames)}});
    Json j{{"id", a.id.value},
           {"name", a.name},
           {"source", a.source.value},
           {"timing", a.timing.value},
           {"kind", word_of(kind_words, a.layout.kind)},
           {"count", a.layout.count},
           {"columns", a.layout.columns},
           {"rows", a.layout.rows},
           {"spacing", number(a.layout.spacing)},
           {"row_spacing", number(a.layout.row_spacing)},
           {"radius", number(a.layout.radius)},
           {"centre", vector(a.layout.origin)},
           {"heading", number(a.layout.heading)},
           {"sag", number(a.layout.swag.sag)},
           {"between_posts", a.layout.swag.every},
           {"facing", word_of(facing_words, a.attitude.facing)},
           {"turn", number(a.attitude.turn)},
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
    a.layout.kind = p.word("kind", kind_words, ArrangementKind::line);
    a.layout.count = static_cast<int>(p.whole("count", 1, 0, most));
    a.layout.columns = static_cast<int>(p.whole("columns", 1, 0, most));
    a.layout.rows = static_cast<int>(p.whole("rows", 1, 0, most));
    a.layout.spacing = p.real("spacing", 1);
    a.layout.row_spacing = p.real("row_spacing", 1);
    a.layout.radius = p.real("radius", 1);
    a.layout.origin = p.place("centre", V3d(0));
    a.layout.heading = p.real("heading", 0);
    a.layout.swag.sag = p.real("sag", 0);
    a.layout.swag.every = static_cast<int>(p.whole("between_posts", 0, 0, most));
    a.attitude.facing = p.word("facing", facing_words, Facing::fixed);
    a.attitude.turn = p.real("turn", 0);
    a.size = p.real("size", 1);
    read_places(p, a);
    p.each("spreads", p.where + ", spread", [&](const JsonPart& s) { a.spreads.push_back(read_spread(s)); });
    p.each("nudges", p.where + ", nudge", [&](const JsonPart& n) {
        const auto copy = n.whole("copy", 0, 0, seed_limit);
        a.by_hand.nudges.push_back({CopyId(static_cast<std::uint64_t>(copy)), n.real("later", 0)});
    });
    std::sort(a.by_hand.nudges.begin(), a.by_hand.nudges.end(),
              [](const Nudge& x, const Nudge& y) { return x.copy < y.copy; });
    read_what_and_when(p, a);
    a.extra = extra_of(p.json, arrangement_json(a));
    return a;
}

} // namespace garland
