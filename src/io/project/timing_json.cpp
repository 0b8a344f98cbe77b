#include "io/project/timing_json.h"

namespace garland {

namespace {

Json write(const Outside& o) {
    return {{"mode", word_of(outside_words, o.mode)}, {"more_passes", o.count}};
}

Outside read_outside(const JsonPart& p) {
    return {p.word("mode", outside_words, OutsideMode::hold),
            static_cast<int>(p.whole("more_passes", 0, 0, 1'000'000'000))};
}

// `source`: what a key's place on the vertical axis is called.
Json write(const TimeMap& map, const char* source) {
    Json keys = Json::array();
    for (const Key& k : map.keys) {
        Json key{
            {"at", number(k.at.value)}, {source, number(k.source.value)}, {"toward", word_of(toward_words, k.toward)}};
        if (k.leave != 0) key["leave"] = number(k.leave);
        if (k.arrive != 0) key["arrive"] = number(k.arrive);
        keys.push_back(std::move(key));
    }
    return keys;
}

TimeMap read_map(const JsonPart& p, const char* list, const char* source) {
    TimeMap map;
    p.each(list, p.where + ", key", [&](const JsonPart& k) {
        Key key;
        key.at = OutputFrame(k.real("at", 0));
        key.source = SourceFrame(k.real(source, 0));
        key.toward = k.word("toward", toward_words, Toward::linear);
        key.leave = k.real("leave", 0);
        key.arrive = k.real("arrive", 0);
        map.keys.push_back(key);
    });
    return map;
}

Json write(const SpeedMap& map) {
    Json keys = Json::array();
    for (const SpeedKey& k : map.keys) {
        keys.push_back(
            {{"at", number(k.at.value)}, {"speed", number(k.speed)}, {"toward", word_of(toward_words, k.toward)}});
    }
    return {{"from", number(map.from.value)}, {"keys", std::move(keys)}};
}

SpeedMap read_speeds(const JsonPart& p) {
    SpeedMap map;
    map.from = SourceFrame(p.real("from", 0));
    p.each("keys", p.where + ", key", [&](const JsonPart& k) {
        map.keys.push_back(
            {OutputFrame(k.real("at", 0)), k.real("speed", 1), k.word("toward", toward_words, Toward::linear)});
    });
    return map;
}

Json write(const PhraseList& phrases) {
    Json list = Json::array();
    for (const Phrase& p : phrases.list) {
        Json j{{"first", number(p.first.value)},
               {"last", number(p.last.value)},
               {"direction", word_of(direction_words, p.direction)},
               {"times", p.passes},
               {"speed", number(p.speed)}};
        if (p.fade != 0) j["fade"] = number(p.fade);
        list.push_back(std::move(j));
    }
    return {{"start", number(phrases.start.value)}, {"list", std::move(list)}};
}

PhraseList read_phrases(const JsonPart& p) {
    PhraseList phrases;
    phrases.start = OutputFrame(p.real("start", 1));
    p.each("list", p.where + ", phrase", [&](const JsonPart& j) {
        Phrase phrase;
        phrase.first = SourceFrame(j.real("first", 0));
        phrase.last = SourceFrame(j.real("last", 0));
        phrase.direction = j.word("direction", direction_words, Direction::forward);
        phrase.passes = j.whole("times", 1, -1'000'000'000'000, 1'000'000'000'000);
        phrase.speed = j.real("speed", 1);
        phrase.fade = j.real("fade", 0);
        phrases.list.push_back(phrase);
    });
    return phrases;
}

} // namespace

Json timing_json(const Timing& t) {
    Json j{{"id", t.id.value}, {"name", t.name}};
    if (t.form != TimingForm::positions) j["form"] = word_of(form_words, t.form);
    if (!t.map.keys.empty()) j["keys"] = write(t.map, "source");
    if (!(t.speeds == SpeedMap{})) j["speeds"] = write(t.speeds);
    if (!(t.phrases == PhraseList{})) j["phrases"] = write(t.phrases);
    if (t.slider) j["slider"] = write(*t.slider, "percent");
    j["before"] = write(t.before);
    j["after"] = write(t.after);
    j["last_is_first"] = t.last_is_first;
    j["turn_twice"] = t.turn_twice;
    return with_extra(std::move(j), t.extra);
}

Timing read_timing(const JsonPart& p, bool with_id) {
    Timing t;
    if (with_id || p.get("id")) t.id = TimingId(p.id("id"));
    t.name = p.text("name", "timing");
    t.form = p.word("form", form_words, TimingForm::positions);
    t.map = read_map(p, "keys", "source");
    if (const Json* j = p.get("speeds")) t.speeds = read_speeds(JsonPart(*j, "\"speeds\" of " + p.where));
    if (const Json* j = p.get("phrases")) t.phrases = read_phrases(JsonPart(*j, "\"phrases\" of " + p.where));
    if (p.get("slider")) t.slider = read_map(p, "slider", "percent");
    if (const Json* j = p.get("before")) t.before = read_outside(JsonPart(*j, "\"before\" of " + p.where));
    if (const Json* j = p.get("after")) t.after = read_outside(JsonPart(*j, "\"after\" of " + p.where));
    t.last_is_first = p.flag("last_is_first", false);
    t.turn_twice = p.flag("turn_twice", false);
    t.extra = extra_of(p.json, timing_json(t));
    return t;
}

Json write(const KeyedCurve& curve) {
    Json keys = Json::array();
    for (const CurveKey& k : curve) {
        Json key{{"at", number(k.at)}, {"value", number(k.value)}};
        if (k.toward != Toward::linear) key["toward"] = word_of(toward_words, k.toward);
        keys.push_back(std::move(key));
    }
    return keys;
}

KeyedCurve read_curve(const JsonPart& p, const char* key) {
    KeyedCurve curve;
    p.each(key, fmt::format("{}, key of {}", p.where, key), [&](const JsonPart& k) {
        curve.push_back({k.real("at", 0), k.real("value", 0), k.word("toward", toward_words, Toward::linear)});
    });
    return curve;
}

} // namespace garland
