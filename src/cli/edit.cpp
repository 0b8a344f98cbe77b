#include "cli/edit.h"

#include "core/base/numbers.h"
#include "core/project/timings.h"
#include "core/time/conversions.h"
#include "core/time/map_edits.h"
#include "core/time/operations.h"
#include "core/time/time_words.h"
#include "io/curve_file.h"
#include "io/open_project.h"
#include "io/otio.h"
#include "io/project_file.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <fmt/format.h>
#include <memory>
#include <nlohmann/json.hpp>
#include <sstream>

namespace garland {

namespace {

using Json = nlohmann::ordered_json;

struct Done { // what a change did, in words
    std::string words, note{};
};
using Change = std::function<Result<Done>(Project&)>;

// What the command line gives, for all changes together; each uses its own part.
struct Words {
    std::string project, timing, arrangement, source, out, range, source_range, toward = "linear", form, before, after,
        name, file, master, target;
    double at = 1, frames = 12, speed = 1, to = 1, source_frame = 0, ramps = 0, start = 1, bpm = 120, offset = 1;
    double leave = 0, arrive = 0;
    std::vector<std::string> phrases;
    int phrase = 1, beats_per_bar = 4;
    bool absorb = false, dry_run = false, off = false, remove = false, replace = false;
    std::string last_is_first, turn_twice;
    CameraMove move;
    Camera camera;
    Wobble wobble;
    std::string end = "never", settle, rate, join, between, gaps, up;
    double scale = 1;
};

tl::unexpected<Error> wrong(std::string what, std::string advice = {}) {
    return fail(Error{ErrorCode::invalid, std::move(what)}.advise(std::move(advice)));
}

// "P:Q", two numbers.
Result<std::pair<double, double>> two(const std::string& text, const char* what) {
    const auto colon = text.find(':');
    const auto a = parse_number(text.substr(0, colon));
    const auto b = colon == text.npos ? std::nullopt : parse_number(text.substr(colon + 1));
    if (!a || !b) return wrong(fmt::format("\"{}\" is not {}", text, what), "write two numbers, as in 20:90");
    return std::pair{*a, *b};
}

Result<V3d> place(const std::string& text) {
    std::istringstream words(text);
    V3d v;
    std::string cell;
    for (int k = 0; k < 3; ++k) {
        const auto number = std::getline(words, cell, ',') ? parse_number(cell) : std::nullopt;
        if (!number) return wrong(fmt::format("\"{}\" is not a place", text), "write three numbers, as in 0,1.5,-2");
        v[k] = *number;
    }
    return v;
}

template <class E>
Result<E> word(const std::string& text, std::initializer_list<E> all, const char* what) {
    std::string choices;
    for (E e : all) {
        if (text == to_text(e)) return e;
        choices += fmt::format("{}\"{}\"", choices.empty() ? "" : ", ", to_text(e));
    }
    return wrong(fmt::format("\"{}\" is not {}", text, what), "write one of " + choices);
}
Result<Toward> toward_of(const std::string& text) {
    return word(text, {Toward::step, Toward::linear, Toward::smooth, Toward::free}, "a way towards the next key");
}
Result<bool> on_off(const std::string& text) {
    if (text == "on") return true;
    if (text == "off") return false;
    return wrong(fmt::format("\"{}\" is neither on nor off", text));
}

template <class List>
Result<std::size_t> find(const List& list, const std::string& asked, const char* what) {
    std::string names;
    std::size_t found = list.size();
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (asked == list[i].name || asked == std::to_string(list[i].id.value)) {
            if (found < list.size() && list[found].name == list[i].name) {
                return wrong(fmt::format("several {}s are called \"{}\"", what, asked), "give the id instead");
            }
            found = i;
        }
        names += fmt::format("{}\"{}\" ({})", names.empty() ? "" : ", ", list[i].name, list[i].id.value);
    }
    if (found < list.size()) return found;
    if (asked.empty() && list.size() == 1) return std::size_t(0);
    if (asked.empty()) return wrong(fmt::format("which {}? There are {}", what, names), fmt::format("give --{}", what));
    return fail(Error{ErrorCode::not_found, fmt::format("there is no {} \"{}\"", what, asked)}.advise("there are " + names));
}
Result<TimingId> timing_of(const Project& p, const Words& w) {
    GARLAND_TRY(i, find(p.timings, w.timing, "timing"));
    return p.timings[i].id;
}

// "first:last", then words: backward, there-and-back, passes N, speed V, fade N.
Result<Phrase> parse_phrase(const std::string& text) {
    std::istringstream words(text);
    std::string range, next;
    words >> range;
    GARLAND_TRY(ends, two(range, "a phrase's range of source frames"));
    Phrase p;
    p.direction = ends.first > ends.second ? Direction::backward : Direction::forward;
    p.first = SourceFrame(std::min(ends.first, ends.second));
    p.last = SourceFrame(std::max(ends.first, ends.second));
    while (words >> next) {
        if (next == "backward" || next == "forward" || next == "there-and-back") {
            p.direction = *word(next, {Direction::forward, Direction::backward, Direction::there_and_back}, "");
            continue;
        }
        std::string value;
        words >> value;
        const auto number = parse_number(value);
        if (!number) return wrong(fmt::format("\"{}\" of the phrase \"{}\" needs a number", next, text));
        if (next == "passes") {
            if (*number != std::floor(*number) || std::abs(*number) > 1e12) return wrong("passes are whole numbers");
            p.passes = static_cast<std::int64_t>(*number);
        } else if (next == "speed") {
            p.speed = *number;
        } else if (next == "fade") {
            p.fade = *number;
        } else {
            return wrong(fmt::format("\"{}\" of the phrase \"{}\" is not known", next, text),
                         "after the range write backward, there-and-back, passes N, speed V or fade N");
        }
    }
    return p;
}

// "1:0 50:100": keys of a master slider.
Result<TimeMap> parse_master(const std::string& text, Toward toward) {
    TimeMap map;
    std::istringstream words(text);
    for (std::string one; words >> one;) {
        GARLAND_TRY(key, two(one, "a key of the slider, output frame:per cent"));
        map.keys.push_back({OutputFrame(key.first), SourceFrame(key.second), toward});
    }
    return map;
}

Result<Outside> parse_outside(const std::string& text) {
    const auto colon = text.find(':');
    GARLAND_TRY(mode, word(text.substr(0, colon),
                           {OutsideMode::hold, OutsideMode::repeat, OutsideMode::there_and_back, OutsideMode::run_on,
                            OutsideMode::absent},
                           "what comes before or after"));
    Outside o{mode, 0};
    if (colon == text.npos) return o;
    const auto count = parse_number(text.substr(colon + 1));
    if (!count || *count < 0 || *count > 1e9 || *count != std::floor(*count)) {
        return wrong(fmt::format("\"{}\" is not a count of further passes", text.substr(colon + 1)), "write 0 for endless");
    }
    o.count = static_cast<int>(*count);
    return o;
}

// ---- the changes ---------------------------------------------------------------------------------------------------

// A change of one timing.
Change on_timing(const Words& w, std::function<Result<Done>(Timing&, const Project&)> change) {
    return [&w, change](Project& p) -> Result<Done> {
        GARLAND_TRY(id, timing_of(p, w));
        Timing changed = *p.timing(id);
        GARLAND_TRY(done, change(changed, p));
        GARLAND_CHECK(validate(changed));
        *p.timing(id) = changed;
        done.words = fmt::format("{} (timing \"{}\")", done.words, changed.name);
        return done;
    };
}

Result<OutputSpan> span_of(const std::string& text) {
    GARLAND_TRY(ends, two(text, "a range of output frames"));
    return OutputSpan{OutputFrame(ends.first), OutputFrame(ends.second)};
}

Change operation(const Words& w, OperationKind kind) {
    return on_timing(w, [&w, kind](Timing& t, const Project&) -> Result<Done> {
        Operation o;
        o.kind = kind;
        o.at = OutputFrame(w.at);
        o.frames = kind == OperationKind::slow ? w.ramps : w.frames;
        o.absorb = w.absorb;
        o.speed = kind == OperationKind::ramp ? w.to : w.speed;
        if (!w.range.empty()) {
            GARLAND_TRY(range, span_of(w.range));
            o.range = range;
        }
        if (kind == OperationKind::fit) {
            GARLAND_TRY(ends, two(w.source_range, "a range of source frames"));
            o.source_first = SourceFrame(ends.first);
            o.source_last = SourceFrame(ends.second);
        }
        GARLAND_TRY(done, operate(t, o));
        t = done.timing;
        return Done{done.words, done.note};
    });
}

Result<Done> set_key(Timing& t, const Words& w, bool speed) {
    GARLAND_TRY(toward, toward_of(w.toward));
    const OutputFrame at(w.at);
    if (t.form == TimingForm::phrases) return wrong("phrases have no keys", "make it keys first: form --to positions");
    if (speed != (t.form == TimingForm::speeds)) {
        return wrong(speed ? "this timing has position keys, not speed keys" : "this timing has speed keys, not position keys",
                     "give --source for position keys and --speed for speed keys, or change its form");
    }
    if (speed) {
        SpeedKey key{at, w.speed, toward};
        auto& keys = t.speeds.keys;
        const auto place = std::lower_bound(keys.begin(), keys.end(), at, [](const SpeedKey& k, OutputFrame f) { return k.at < f; });
        if (place != keys.end() && place->at == at) {
            *place = key;
        } else {
            keys.insert(place, key);
        }
        return Done{fmt::format("Key speed {}× at output frame {}", short_number(w.speed), short_number(w.at))};
    }
    GARLAND_TRY(map, insert_key(t.map, {at, SourceFrame(w.source_frame), toward, w.leave, w.arrive}));
    t.map = map;
    return Done{fmt::format("Key source frame {} at output frame {}", short_number(w.source_frame), short_number(w.at))};
}

Result<Done> drop_key(Timing& t, const Words& w) {
    const OutputFrame at(w.at);
    const std::string words = fmt::format("Remove the key at output frame {}", short_number(w.at));
    if (t.form == TimingForm::speeds) {
        auto& keys = t.speeds.keys;
        const auto place = std::find_if(keys.begin(), keys.end(), [&](const SpeedKey& k) { return k.at == at; });
        if (place == keys.end() || keys.size() == 1) return wrong(fmt::format("there is no key to remove at output frame {}", short_number(w.at)));
        keys.erase(place);
        return Done{words};
    }
    for (std::size_t i = 0; i < t.map.keys.size(); ++i) {
        if (t.map.keys[i].at != at) continue;
        GARLAND_TRY(map, remove_key(t.map, i));
        t.map = map;
        return Done{words};
    }
    return wrong(fmt::format("there is no key at output frame {}", short_number(w.at)));
}

Result<Done> set_form(Timing& t, const Words& w) {
    GARLAND_TRY(form, word(w.form, {TimingForm::positions, TimingForm::speeds}, "a form to change into"));
    GARLAND_TRY(done, form == TimingForm::speeds ? to_speeds(t) : to_positions(t));
    t = done.timing;
    return Done{form == TimingForm::speeds ? "Keep the timing as speed keys" : "Keep the timing as position keys", done.words};
}

Result<Done> set_phrases(Timing& t, const Words& w) {
    PhraseList list;
    list.start = OutputFrame(w.start);
    for (const std::string& text : w.phrases) {
        GARLAND_TRY(phrase, parse_phrase(text));
        list.list.push_back(phrase);
    }
    t.form = TimingForm::phrases;
    t.map = {};
    t.speeds = {};
    t.phrases = list;
    GARLAND_CHECK(validate(t));
    return Done{fmt::format("Play {}", counted(static_cast<long long>(list.list.size()), "phrase", "phrases")),
                fmt::format("{} from output frame {}", counted_number(form_length(t), "frame", "frames"), short_number(w.start))};
}

Result<Done> to_the_beat(Timing& t, const Project& p, const Words& w) {
    if (t.form != TimingForm::phrases) return wrong("this timing has no phrases");
    if (w.phrase < 1) return wrong("phrases are counted from 1");
    GARLAND_TRY(list, stretched_to_beat(t.phrases, static_cast<std::size_t>(w.phrase) - 1, t.turn_twice, p.settings.tempo,
                                        p.settings.rate));
    t.phrases = list;
    return Done{fmt::format("Stretch phrase {} to the beat", w.phrase),
                fmt::format("it now ends at output frame {}",
                            short_number(boundaries(list, t.turn_twice)[static_cast<std::size_t>(w.phrase)].value))};
}

Result<Done> set_outside(Timing& t, const Words& w) {
    std::string words;
    if (!w.before.empty()) {
        GARLAND_TRY(o, parse_outside(w.before));
        t.before = o;
        words += "Before: " + w.before;
    }
    if (!w.after.empty()) {
        GARLAND_TRY(o, parse_outside(w.after));
        t.after = o;
        words += (words.empty() ? "After: " : ", after: ") + w.after;
    }
    if (!w.last_is_first.empty()) {
        GARLAND_TRY(on, on_off(w.last_is_first));
        t.last_is_first = on;
        words += (words.empty() ? "Last pose is the first: " : ", last pose is the first: ") + w.last_is_first;
    }
    if (!w.turn_twice.empty()) {
        GARLAND_TRY(on, on_off(w.turn_twice));
        t.turn_twice = on;
        words += (words.empty() ? "Turn frame shown twice: " : ", turn frame shown twice: ") + w.turn_twice;
    }
    if (words.empty()) return wrong("nothing to change", "give --before, --after, --last-is-first or --turn-twice");
    return Done{words};
}

Result<Done> set_master(Timing& t, const Words& w) {
    if (w.off) {
        t.master.reset();
        return Done{"Take the master slider off"};
    }
    if (w.master.empty()) return wrong("the slider needs keys", "give --keys \"1:0 100:100\", or --off");
    GARLAND_TRY(toward, toward_of(w.toward));
    GARLAND_TRY(keys, parse_master(w.master, toward));
    t.master = keys;
    return Done{fmt::format("Play it with a master slider of {}", counted(static_cast<long long>(keys.keys.size()), "key", "keys"))};
}

Result<Done> take_curve(Timing& t, const Words& w) {
    GARLAND_TRY(curve, read_curve(w.file));
    const TimingId id = t.id;
    const std::string name = t.name, extra = t.extra;
    const Outside before = t.before, after = t.after;
    const bool csv = extension(w.file) == ".csv"; // a CSV says nothing of before and after: they stay
    t = curve.timing;
    t.id = id;
    t.name = name;
    t.extra = extra;
    if (csv) {
        t.before = before;
        t.after = after;
    }
    return Done{fmt::format("Take the timing from {}", file_name(w.file)), curve.words};
}

Result<Done> set_tempo(Project& p, const Words& w) {
    Tempo& t = p.settings.tempo;
    t = {!w.off, w.off ? t.beats_per_minute : w.bpm, w.off ? t.offset : OutputFrame(w.offset),
         w.off ? t.beats_per_bar : w.beats_per_bar};
    GARLAND_CHECK(validate(t));
    if (w.off) return Done{"Tempo off"};
    return Done{fmt::format("Tempo {} beats a minute, first beat on output frame {}, {} to a bar", short_number(t.beats_per_minute),
                            short_number(t.offset.value), counted(t.beats_per_bar, "beat", "beats")),
                fmt::format("{} output frames a beat", short_number(frames_per_beat(t, p.settings.rate)))};
}

Result<Done> set_marker(Project& p, const Words& w) {
    auto& markers = p.settings.markers;
    const OutputFrame at(w.at);
    if (w.remove) {
        const auto before = markers.size();
        std::erase_if(markers, [&](const Marker& m) { return m.at == at && (w.name.empty() || m.name == w.name); });
        if (markers.size() == before) return wrong(fmt::format("there is no such marker at output frame {}", short_number(w.at)));
        return Done{fmt::format("Remove the marker at output frame {}", short_number(w.at))};
    }
    markers.push_back({at, w.name});
    std::stable_sort(markers.begin(), markers.end(), [](const Marker& a, const Marker& b) { return a.at < b.at; });
    return Done{fmt::format("Marker \"{}\" at output frame {}", w.name, short_number(w.at))};
}

Result<ArrangementId> arrangement_of(const Project& p, const Words& w) {
    GARLAND_TRY(i, find(p.arrangements, w.arrangement, "arrangement"));
    return p.arrangements[i].id;
}

Result<Done> share(Project& p, const Words& w) {
    GARLAND_TRY(a, arrangement_of(p, w));
    GARLAND_TRY(t, timing_of(p, w));
    GARLAND_CHECK(share_timing(p, a, t));
    return Done{fmt::format("\"{}\" follows the timing \"{}\"", p.arrangement(a)->name, p.timing(t)->name),
                fmt::format("{} now", counted(static_cast<long long>(users_of(p, t).size()), "user", "users"))};
}

Result<Done> separate(Project& p, const Words& w) {
    GARLAND_TRY(a, arrangement_of(p, w));
    GARLAND_TRY(t, separate_timing(p, a));
    return Done{fmt::format("\"{}\" gets a timing of its own, \"{}\"", p.arrangement(a)->name, p.timing(t)->name)};
}

Result<Done> camera_key(Project& p, const Words& w, const CLI::App& given) {
    auto& keys = p.settings.camera_keys;
    const OutputFrame at(w.at);
    if (w.remove) {
        if (std::erase_if(keys, [&](const CameraKey& k) { return k.at == at; }) == 0) {
            return wrong(fmt::format("there is no camera key at output frame {}", short_number(w.at)));
        }
        return Done{fmt::format("Remove the camera key at output frame {}", short_number(w.at))};
    }
    GARLAND_TRY(toward, toward_of(w.toward));
    Camera camera = CameraPlan(keys, p.settings.camera).at(at);
    if (given.count("--target")) {
        GARLAND_TRY(target, place(w.target));
        camera.target = target;
    }
    if (given.count("--distance")) camera.distance = w.camera.distance;
    if (given.count("--azimuth")) camera.azimuth = w.camera.azimuth;
    if (given.count("--elevation")) camera.elevation = w.camera.elevation;
    if (given.count("--lens")) camera.lens = w.camera.lens;
    keys = with_key(keys, {at, camera, toward});
    GARLAND_CHECK(validate(keys));
    return Done{fmt::format("Camera key at output frame {}", short_number(w.at))};
}

Result<Done> camera_move(Project& p, const Words& w) {
    GARLAND_TRY(range, span_of(w.range));
    GARLAND_TRY(toward, toward_of(w.toward));
    CameraMove move = w.move;
    move.toward = toward;
    if (!w.target.empty()) {
        GARLAND_TRY(shift, place(w.target));
        move.shift = shift;
    }
    GARLAND_TRY(keys, moved(p.settings.camera_keys, p.settings.camera, range.first, range.last, move));
    p.settings.camera_keys = keys;
    return Done{fmt::format("Move the camera between output frames {} and {}", short_number(range.first.value),
                            short_number(range.last.value))};
}

Result<Done> set_wobble(Project& p, const Words& w) {
    Wobble wobble = w.wobble;
    wobble.on = !w.off;
    GARLAND_TRY(end, word(w.end, {WobbleEnd::never, WobbleEnd::let_go, WobbleEnd::stay, WobbleEnd::settle}, "a way to end a wobble"));
    wobble.end = end;
    wobble.end_at = OutputFrame(w.at);
    if (!w.settle.empty()) {
        GARLAND_TRY(v, place(w.settle));
        wobble.settle_position = v;
    }
    GARLAND_CHECK(validate(wobble));
    std::string name;
    Wobble* to = nullptr;
    if (!w.source.empty()) {
        GARLAND_TRY(i, find(p.sources, w.source, "source"));
        to = &p.sources[i].wobble;
        name = p.sources[i].name;
    } else {
        GARLAND_TRY(a, arrangement_of(p, w));
        to = &p.arrangement(a)->wobble;
        name = p.arrangement(a)->name;
    }
    if (w.off) wobble = *to, wobble.on = false;
    *to = wobble;
    return Done{fmt::format("{} \"{}\"", w.off ? "Stop the wobble of" : "Wobble", name)};
}

Result<Done> take_source(Project& p, const Words& w, const CLI::App& given) {
    GARLAND_TRY(i, find(p.sources, w.source, "source"));
    SourceSpec& s = p.sources[i];
    std::vector<std::string> said;
    auto say = [&](const char* what, const std::string& value) { said.push_back(fmt::format("{} {}", what, value)); };
    if (given.count("--rate")) {
        GARLAND_TRY(rate, parse_rate(w.rate));
        s.rate = rate;
        say("rate", to_text(rate));
    }
    if (given.count("--join")) {
        if (w.join != "by clock" && w.join != "frame for frame") {
            return wrong(fmt::format("\"{}\" is not a way to join", w.join), "write \"by clock\" or \"frame for frame\"");
        }
        s.join = w.join == "by clock" ? Join::by_clock : Join::frame_for_frame;
        say("joined", w.join);
    }
    if (given.count("--first")) {
        s.first = static_cast<std::int64_t>(w.start);
        say("first frame", std::to_string(*s.first));
    }
    if (given.count("--between")) {
        GARLAND_TRY(how, word(w.between, {SubFrame::nearest, SubFrame::linear, SubFrame::smooth}, "a way between frames"));
        s.sub_frame = how;
        say("between frames", w.between);
    }
    if (given.count("--gaps")) {
        GARLAND_TRY(mend, word(w.gaps, {GapMend::hold, GapMend::blend}, "a way to bridge gaps"));
        s.gaps = mend;
        say("gaps", w.gaps);
    }
    if (given.count("--up")) {
        GARLAND_TRY(up, word(w.up, {UpAxis::y, UpAxis::z}, "an up axis"));
        s.up = up;
        say("up", w.up);
    }
    if (given.count("--scale")) {
        s.scale = w.scale;
        say("scale", short_number(w.scale, 9));
    }
    if (said.empty()) return wrong("nothing to change", "give --rate, --join, --first, --between, --gaps, --up or --scale");
    std::string words;
    for (const std::string& one : said) words += (words.empty() ? "" : ", ") + one;
    return Done{fmt::format("Take \"{}\" with {}", s.name, words)};
}

// ---- running -------------------------------------------------------------------------------------------------------

int run_edit(const Words& w, const Change& change, Output out) {
    auto project = load_project(w.project);
    if (!project) return report_error(project.error(), out);
    const Project before = *project;
    auto done = change(*project);
    if (done) {
        if (auto ok = validate(*project); !ok) done = tl::unexpected(ok.error());
    }
    if (!done) {
        Error error = done.error();
        if (error.kept.empty()) error.kept = "the project as it is";
        return report_error(error, out);
    }
    const bool same = *project == before;
    const std::string to = w.out.empty() ? w.project : w.out;
    if (!w.dry_run) {
        const bool over = w.out.empty() || w.replace;
        if (auto saved = save_project(to, *project, over ? Existing::replace : Existing::refuse); !saved) {
            return report_error(saved.error(), out);
        }
    }
    if (out.json) {
        Json j{{"done", done->words}, {"changed", !same}};
        if (!done->note.empty()) j["note"] = done->note;
        if (!w.dry_run) j["project"] = to;
        print_json(j);
    } else {
        fmt::print("{}{}{}\n", w.dry_run ? "would do: " : "", done->words, same ? "; nothing changed by it" : "");
        if (!done->note.empty()) fmt::print("{}\n", done->note);
    }
    return exit_fine;
}

int run_curve(const Words& w, Output out) {
    auto project = load_project(w.project);
    if (!project) return report_error(project.error(), out);
    auto id = timing_of(*project, w);
    if (!id) return report_error(id.error(), out);
    const Timing& t = *project->timing(*id);
    const Existing existing = w.replace ? Existing::replace : Existing::refuse;
    std::string note;
    if (extension(w.out) == ".otio") {
        OtioInfo info{project->settings.rate, {}, {}, {}, {}, project->settings.markers};
        for (const Arrangement& a : project->arrangements) {
            if (a.timing != *id) continue;
            info.source = project->source(a.source)->name;
            info.url = project->source(a.source)->path;
            break;
        }
        const auto span = source_span(t);
        info.first = span.low;
        info.last = span.high;
        auto text = otio_text(t, info);
        if (!text) return report_error(text.error(), out);
        note = counted(static_cast<long long>(text->clips), "clip", "clips") + (text->note.empty() ? "" : "; " + text->note);
        if (auto ok = write_file(w.out, text->text, existing); !ok) return report_error(ok.error(), out);
    } else if (auto ok = write_curve(w.out, t, project->settings.rate, existing); !ok) {
        return report_error(ok.error(), out);
    }
    if (out.json) {
        print_json({{"file", w.out}, {"timing", t.name}, {"note", note}});
    } else {
        fmt::print("the timing \"{}\" written to {}{}\n", t.name, w.out, note.empty() ? "" : ": " + note);
    }
    return exit_fine;
}

} // namespace

void add_edit_commands(CLI::App& app, Output& out, int& code) {
    auto w = std::make_shared<Words>(); // alive as long as the callbacks
    auto common = [&](CLI::App* sub) {
        sub->add_flag("--json", out.json, "Answer as one JSON object");
        sub->add_option("PROJECT", w->project, "A project file")->required();
        sub->add_option("--timing", w->timing, "Which timing, by name or id; not needed where there is only one");
        sub->add_flag("--replace", w->replace, "Replace the file written to if it is there already");
    };
    CLI::App* edit = app.add_subcommand("edit", "Change a project: retime, phrases, tempo, camera, wobble");
    common(edit);
    edit->add_option("--out", w->out, "Write the changed project here instead of back to its file");
    edit->add_flag("--dry-run", w->dry_run, "Only say what would be done");
    edit->require_subcommand(1);

    auto add = [&](const char* name, const char* what, Change change) {
        CLI::App* sub = edit->add_subcommand(name, what);
        sub->fallthrough();
        sub->callback([w, change, &out, &code] { code = run_edit(*w, change, out); });
        return sub;
    };
    auto at = [&](CLI::App* sub, const char* what = "The output frame") { return sub->add_option("--at", w->at, what)->required(); };
    auto range = [&](CLI::App* sub, const char* what) { return sub->add_option("--range", w->range, what); };
    auto toward = [&](CLI::App* sub) {
        return sub->add_option("--toward", w->toward, "step, linear, smooth or free: how it goes on to the next key");
    };
    using enum OperationKind;
    const Words& words = *w;

    CLI::App* sub = add("hold", "Hold the pose at an output frame", operation(words, hold));
    at(sub);
    sub->add_option("--frames", w->frames, "For how many output frames")->required();
    sub->add_flag("--absorb", w->absorb, "Keep the end where it is: the rest plays faster");
    at(add("freeze", "Hold the pose at an output frame from there on", operation(words, freeze)));
    range(add("reverse", "Play backward", operation(words, reverse)), "Output frames P:Q; the whole timing if not given");
    sub = add("fit", "Play source frames onto output frames at one speed", operation(words, fit));
    sub->add_option("--source", w->source_range, "Source frames A:B")->required();
    range(sub, "Output frames P:Q; the timing's own span if not given");
    sub = add("speed", "Play so many times as fast", operation(words, speed));
    sub->add_option("--by", w->speed, "1 is as it is, 0.5 half as fast")->required();
    range(sub, "Output frames P:Q; the whole timing if not given");
    sub = add("slow", "Another speed between two output frames, with ramps", operation(words, slow));
    sub->add_option("--by", w->speed, "The speed between them")->required();
    sub->add_option("--ramps", w->ramps, "Output frames that each ramp lasts")->capture_default_str();
    range(sub, "Output frames P:Q")->required();
    sub = add("ramp", "From full speed evenly to another one", operation(words, ramp));
    sub->add_option("--to", w->to, "The speed at the end; 0 comes to a stop")->required();
    range(sub, "Output frames P:Q")->required();
    at(add("start", "Hold the first pose until an output frame, then play", operation(words, start)));
    range(add("trim", "Keep only some output frames", operation(words, trim)), "Output frames P:Q")->required();

    // set_key needs to know which of the two was given.
    CLI::App* key = edit->add_subcommand("key", "Set or replace a key");
    key->fallthrough();
    at(key);
    auto* source_option = key->add_option("--source", w->source_frame, "The source frame, for position keys");
    auto* speed_option = key->add_option("--speed", w->speed, "Source frames an output frame, for speed keys");
    source_option->excludes(speed_option);
    key->add_option("--leave", w->leave, "The slope with which a free key is left");
    key->add_option("--arrive", w->arrive, "The slope with which a free stretch arrives at it");
    toward(key);
    key->callback([w, speed_option, source_option, &out, &code] {
        if (speed_option->count() + source_option->count() == 0) {
            report_error(Error{ErrorCode::invalid, "give --source or --speed"}, out);
            code = exit_usage;
            return;
        }
        const bool speed_key = speed_option->count() > 0;
        code = run_edit(*w, on_timing(*w, [&](Timing& t, const Project&) { return set_key(t, *w, speed_key); }), out);
    });
    at(add("remove-key", "Remove a key", on_timing(words, [&words](Timing& t, const Project&) { return drop_key(t, words); })));
    add("form", "Keep the timing as position keys or as speed keys",
        on_timing(words, [&words](Timing& t, const Project&) { return set_form(t, words); }))
        ->add_option("--to", w->form, "positions or speeds")
        ->required();
    sub = add("phrases", "Play a list of phrases",
              on_timing(words, [&words](Timing& t, const Project&) { return set_phrases(t, words); }));
    sub->add_option("--phrase", w->phrases,
                    "One phrase: \"first:last\", then backward, there-and-back, passes N, speed V, fade N; may be given again")
        ->required();
    sub->add_option("--start", w->start, "The output frame the list starts at")->capture_default_str();
    sub = add("to-beat", "Stretch a phrase so that it ends on a beat",
              on_timing(words, [&words](Timing& t, const Project& p) { return to_the_beat(t, p, words); }));
    sub->add_option("--phrase", w->phrase, "Which phrase, counted from 1")->required();
    sub = add("outside", "What comes before and after the timing",
              on_timing(words, [&words](Timing& t, const Project&) { return set_outside(t, words); }));
    sub->add_option("--before", w->before, "hold, repeat, there-and-back, \"run on\" or absent; :N for N further passes");
    sub->add_option("--after", w->after, "The same");
    sub->add_option("--last-is-first", w->last_is_first, "on or off: the last pose is the first one again");
    sub->add_option("--turn-twice", w->turn_twice, "on or off: turning frames are shown twice");
    sub = add("master", "Play the whole timing with a slider from 0 to 100 %",
              on_timing(words, [&words](Timing& t, const Project&) { return set_master(t, words); }));
    sub->add_option("--keys", w->master, "Output frame:per cent, as in \"1:0 50:100\"");
    sub->add_flag("--off", w->off, "Take it off");
    toward(sub);
    sub = add("curve", "Take a timing from a file (.csv, .json)",
              on_timing(words, [&words](Timing& t, const Project&) { return take_curve(t, words); }));
    sub->add_option("--from", w->file, "The file")->required();

    sub = add("tempo", "Set the tempo grid", [&words](Project& p) { return set_tempo(p, words); });
    sub->add_option("--bpm", w->bpm, "Beats a minute")->capture_default_str();
    sub->add_option("--offset", w->offset, "The output frame of the first beat")->capture_default_str();
    sub->add_option("--beats-per-bar", w->beats_per_bar, "Beats in a bar")->capture_default_str();
    sub->add_flag("--off", w->off, "Turn the grid off");
    sub = add("marker", "Set or remove a named marker", [&words](Project& p) { return set_marker(p, words); });
    at(sub);
    sub->add_option("--name", w->name, "Its name");
    sub->add_flag("--remove", w->remove, "Remove it");

    sub = add("share", "Let an arrangement follow a timing", [&words](Project& p) { return share(p, words); });
    sub->add_option("--arrangement", w->arrangement, "Which arrangement, by name or id");
    sub = add("separate", "Give an arrangement a copy of its timing to itself", [&words](Project& p) { return separate(p, words); });
    sub->add_option("--arrangement", w->arrangement, "Which arrangement, by name or id");
    sub = add("rename", "Name a timing", [&words](Project& p) -> Result<Done> {
        GARLAND_TRY(id, timing_of(p, words));
        GARLAND_CHECK(rename_timing(p, id, words.name));
        return Done{fmt::format("Name the timing \"{}\"", words.name)};
    });
    sub->add_option("--name", w->name, "Its new name")->required();
    add("remove-timing", "Remove a timing that nobody uses", [&words](Project& p) -> Result<Done> {
        GARLAND_TRY(id, timing_of(p, words));
        const std::string name = p.timing(id)->name;
        GARLAND_CHECK(remove_timing(p, id));
        return Done{fmt::format("Remove the timing \"{}\"", name)};
    });

    CLI::App* camera = edit->add_subcommand("camera-key", "Set or remove a key of the camera");
    camera->fallthrough();
    at(camera);
    camera->add_option("--target", w->target, "Where it looks: x,y,z");
    camera->add_option("--distance", w->camera.distance, "From the target; scene units");
    camera->add_option("--azimuth", w->camera.azimuth, "Degrees around the target");
    camera->add_option("--elevation", w->camera.elevation, "Degrees above the horizon");
    camera->add_option("--lens", w->camera.lens, "Vertical field of view in degrees");
    camera->add_flag("--remove", w->remove, "Remove it");
    toward(camera);
    camera->callback([w, camera, &out, &code] {
        code = run_edit(*w, [&](Project& p) { return camera_key(p, *w, *camera); }, out);
    });
    sub = add("camera-move", "Turn around the target, dolly, along an arc", [&words](Project& p) { return camera_move(p, words); });
    range(sub, "Output frames P:Q")->required();
    sub->add_option("--turn", w->move.turn, "Degrees around the target");
    sub->add_option("--rise", w->move.rise, "Degrees of elevation");
    sub->add_option("--dolly", w->move.dolly, "The distance at the end, over that at the start");
    sub->add_option("--shift", w->target, "How far the target moves: x,y,z");
    toward(sub);
    add("camera-clear", "Remove all keys of the camera", [](Project& p) -> Result<Done> {
        p.settings.camera_keys.clear();
        return Done{"Remove all camera keys"};
    });
    sub = add("wobble", "Seeded smooth noise on where copies stand", [&words](Project& p) { return set_wobble(p, words); });
    sub->add_option("--arrangement", w->arrangement, "Which arrangement, by name or id");
    sub->add_option("--source", w->source, "Or a source: all its copies");
    sub->add_option("--position", w->wobble.position, "Up to so far along each axis; scene units")->capture_default_str();
    sub->add_option("--turn", w->wobble.turn, "Up to so many degrees either way")->capture_default_str();
    sub->add_option("--size", w->wobble.size, "Up to this share larger or smaller")->capture_default_str();
    sub->add_option("--rate", w->wobble.rate, "Changes a second")->capture_default_str();
    sub->add_option("--seed", w->wobble.seed, "Another seed is another wobble")->capture_default_str();
    sub->add_flag("--together", w->wobble.together, "All copies move alike");
    sub->add_option("--end", w->end, "never, \"let go\", stay or settle")->capture_default_str();
    sub->add_option("--at", w->at, "The output frame at which it ends");
    sub->add_option("--ease", w->wobble.ease, "Output frames that letting go and settling take")->capture_default_str();
    sub->add_option("--settle", w->settle, "Where it settles, from the copy's own place: x,y,z");
    sub->add_option("--settle-turn", w->wobble.settle_turn, "The same in degrees");
    sub->add_option("--settle-size", w->wobble.settle_size, "The same as a share of the size");
    sub->add_flag("--off", w->off, "Turn it off");

    CLI::App* source = edit->add_subcommand("source", "How a source's files are taken");
    source->fallthrough();
    source->add_option("--source", w->source, "Which source, by name or id; not needed where there is only one");
    source->add_option("--rate", w->rate, "Frames a second in the files");
    source->add_option("--join", w->join, "\"by clock\" or \"frame for frame\"");
    source->add_option("--first", w->start, "What the first frame is called");
    source->add_option("--between", w->between, "Poses between frames: nearest, linear or smooth");
    source->add_option("--gaps", w->gaps, "Missing frames: hold the one before, or blend across");
    source->add_option("--up", w->up, "The files' up axis: y or z");
    source->add_option("--scale", w->scale, "Scene units in one unit of the files");
    source->callback([w, source, &out, &code] {
        code = run_edit(*w, [&](Project& p) { return take_source(p, *w, *source); }, out);
    });

    CLI::App* curve = app.add_subcommand("curve", "Write a timing as a curve: .csv, .json, or phrases as .otio");
    common(curve);
    curve->add_option("--out", w->out, "The file to write")->required();
    curve->callback([w, &out, &code] { code = run_curve(*w, out); });
}

} // namespace garland
