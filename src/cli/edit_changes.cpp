#include "cli/edit_changes.h"

#include "cli/copy_options.h"
#include "cli/edit_words.h"
#include "core/base/numbers.h"
#include "core/project/timings.h"
#include "core/time/conversions.h"
#include "core/time/map_edits.h"
#include "io/project/open_project.h"
#include "io/tables/curve_file.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <utility>

namespace garland {

namespace {
// "name one that is there: 1, 12, 48", by output frames, for those who named another one.
template <class Things>
std::string standing_at(const Things& things) {
    if (things.empty()) return "add one first";
    constexpr std::size_t most = 12;
    std::string out = "name one that is there: ";
    for (std::size_t i = 0; i < things.size() && i <= most; ++i) {
        if (i > 0) out += ", ";
        out += i == most ? "…" : short_number(things[i].at.value);
    }
    return out;
}
} // namespace

Result<TimingId> timing_of(const Project& p, const Words& w) {
    GARLAND_TRY(i, find_named(p.timings, w.timing, "timing"));
    return p.timings[i].id;
}

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

Change operation(const Words& w, OperationKind kind) {
    return on_timing(w, [&w, kind](Timing& t, const Project& p) -> Result<Done> {
        Operation o;
        o.kind = kind;
        o.through = OutputFrame(static_cast<double>(p.settings.range.last));
        o.at = OutputFrame(w.at);
        o.frames = kind == OperationKind::slow ? w.ramps : w.frames;
        o.absorb = w.absorb;
        o.speed = kind == OperationKind::ramp ? w.to : w.speed;
        o.from_speed = w.from_speed;
        if (!w.range.empty()) {
            GARLAND_TRY(range, span_of(w.range));
            o.range = range;
        }
        if (kind == OperationKind::fit) {
            GARLAND_TRY(ends, two(w.source_range, "a range of source frames"));
            o.source_first = SourceFrame(ends.first);
            o.source_last = SourceFrame(ends.second);
        }
        const SourceSpan before = source_span(t);
        GARLAND_TRY(done, operate(t, o));
        t = done.timing;
        const SourceSpan after = source_span(t);
        const double unseen = std::floor(std::max(before.high - after.high, 0.0) + 1e-9) +
                              std::floor(std::max(after.low - before.low, 0.0) + 1e-9);
        if (unseen >= 1 && kind != OperationKind::trim && kind != OperationKind::freeze && kind != OperationKind::fit &&
            kind != OperationKind::lengthen) {
            if (!done.note.empty()) done.note += "; ";
            done.note += fmt::format(
                "{} never shown now: lengthen the timing (edit lengthen), or fit the source onto a longer range",
                unseen == 1 ? "1 frame of the source is" : fmt::format("{:.0f} frames of the source are", unseen));
        }
        return Done{done.words, done.note};
    });
}

Change lengthen_to_source(const Words& w) {
    return on_timing(w, [&w](Timing& t, const Project& p) -> Result<Done> {
        std::vector<SourceId> followed;
        for (const Arrangement& a : p.arrangements) {
            if (a.timing == t.id && std::find(followed.begin(), followed.end(), a.source) == followed.end())
                followed.push_back(a.source);
        }
        if (followed.empty())
            return wrong(fmt::format("no source follows the timing \"{}\"", t.name), "use fit, or set keys");
        SourceId id = followed.front();
        if (!w.source.empty() || followed.size() > 1) {
            GARLAND_TRY(i, find_named(p.sources, w.source, "source"));
            id = p.sources[i].id;
        }
        const SourceSpec& spec = *p.source(id);
        GARLAND_TRY(source, open_spec(spec, std::filesystem::absolute(w.project).string()));
        const SourceClock clock = clock_of(spec, source->facts().first, source->facts().last, p.settings.rate);
        Operation o;
        o.kind = OperationKind::lengthen;
        o.source_first = clock.first;
        o.source_last = clock.last();
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
        return wrong(speed ? "this timing has position keys, not speed keys"
                           : "this timing has speed keys, not position keys",
                     "give --source-frame for position keys and --speed for speed keys, or change its form");
    }
    if (speed) {
        SpeedKey key{at, w.speed, toward};
        auto& keys = t.speeds.keys;
        const auto place =
            std::lower_bound(keys.begin(), keys.end(), at, [](const SpeedKey& k, OutputFrame f) { return k.at < f; });
        if (place != keys.end() && place->at == at) {
            *place = key;
        } else {
            keys.insert(place, key);
        }
        return Done{fmt::format("Key speed {}× at output frame {}", short_number(w.speed), short_number(w.at))};
    }
    GARLAND_TRY(map, insert_key(t.map, {at, SourceFrame(w.source_frame), toward, w.leave, w.arrive}));
    t.map = map;
    return Done{
        fmt::format("Key source frame {} at output frame {}", short_number(w.source_frame), short_number(w.at))};
}

Result<Done> drop_key(Timing& t, const Words& w) {
    const OutputFrame at(w.at);
    const std::string words = fmt::format("Remove the key at output frame {}", short_number(w.at));
    if (t.form == TimingForm::speeds) {
        auto& keys = t.speeds.keys;
        const auto place = std::find_if(keys.begin(), keys.end(), [&](const SpeedKey& k) { return k.at == at; });
        if (place == keys.end() || keys.size() == 1)
            return wrong(fmt::format("there is no key to remove at output frame {}", short_number(w.at)),
                         keys.size() == 1 ? "the last key stays" : standing_at(keys));
        keys.erase(place);
        return Done{words};
    }
    for (std::size_t i = 0; i < t.map.keys.size(); ++i) {
        if (t.map.keys[i].at != at) continue;
        GARLAND_TRY(map, remove_key(t.map, i));
        t.map = map;
        return Done{words};
    }
    return wrong(fmt::format("there is no key at output frame {}", short_number(w.at)), standing_at(t.map.keys));
}

Result<Done> set_form(Timing& t, const Words& w) {
    GARLAND_TRY(form, word(w.form, {TimingForm::positions, TimingForm::speeds}, "a form to change into"));
    GARLAND_TRY(done, form == TimingForm::speeds ? to_speeds(t) : to_positions(t));
    t = done.timing;
    return Done{form == TimingForm::speeds ? "Keep the timing as speed keys" : "Keep the timing as position keys",
                done.words};
}

namespace {
// Which ends of phrases miss their beat, while the grid is on.
std::string missed_beats(const PhraseList& list, bool turn_twice, const Project& p) {
    std::string words;
    if (!p.settings.tempo.on) return words;
    for (const OffBeat& off : off_beats(list, turn_twice, p.settings.tempo, p.settings.rate)) {
        words += fmt::format("; phrase {} ends at {}, {} {} its beat", off.phrase + 1, short_number(off.at.value, 2),
                             counted_number(std::round(std::abs(off.late()) * 100) / 100, "frame", "frames"),
                             off.late() > 0 ? "after" : "before");
    }
    return words;
}
} // namespace

Result<Done> set_phrases(Timing& t, const Project& p, const Words& w) {
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
    return Done{fmt::format("Play {}", counted(list.list.size(), "phrase", "phrases")),
                fmt::format("{} from output frame {}", counted_number(form_length(t), "frame", "frames"),
                            short_number(w.start)) +
                    missed_beats(list, t.turn_twice, p)};
}

Result<Done> to_the_beat(Timing& t, const Project& p, const Words& w) {
    if (t.form != TimingForm::phrases) return wrong("this timing has no phrases");
    if (w.phrase < 1) return wrong("phrases are counted from 1", "give --phrase 1 or more");
    GARLAND_TRY(list, stretched_to_beat(t.phrases, static_cast<std::size_t>(w.phrase) - 1, t.turn_twice,
                                        p.settings.tempo, p.settings.rate));
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

Result<Done> set_slider(Timing& t, const Words& w) {
    if (w.off) {
        t.slider.reset();
        return Done{"Remove the slider"};
    }
    if (w.slider.empty()) return wrong("the slider needs keys", "give --keys \"1:0 100:100\", or --off");
    GARLAND_TRY(toward, toward_of(w.toward));
    GARLAND_TRY(keys, parse_slider(w.slider, toward));
    t.slider = keys;
    return Done{fmt::format("Play it with a slider of {}", counted(keys.keys.size(), "key", "keys"))};
}

Result<Done> take_curve(Timing& t, const Words& w) {
    GARLAND_TRY(curve, read_curve(w.file));
    t = with_curve(t, curve);
    return Done{fmt::format("Take the timing from {}", file_name(w.file)), curve.words};
}

Result<Done> set_settings(Project& p, const Words& w, const CLI::App& given) {
    std::string words;
    auto say = [&](std::string what) { words += (words.empty() ? "" : ", ") + std::move(what); };
    Settings& s = p.settings;
    if (given.count("--name")) s.name = w.name, say(fmt::format("name \"{}\"", w.name));
    if (given.count("--rate")) {
        GARLAND_TRY(rate, parse_rate(w.rate));
        s.rate = rate;
        say(fmt::format("{} frames per second", to_text(rate)));
    }
    if (given.count("--range")) {
        GARLAND_TRY(ends, two(w.range, "a range of output frames"));
        if (ends.first != std::floor(ends.first) || ends.second != std::floor(ends.second) ||
            std::abs(ends.first) > frame_limit || std::abs(ends.second) > frame_limit) {
            return wrong(fmt::format("the range \"{}\" does not begin and end on whole frames", w.range),
                         "write two whole numbers, as in 1:240");
        }
        s.range = {static_cast<std::int64_t>(ends.first), static_cast<std::int64_t>(ends.second)};
        say(fmt::format("output frames {} to {}", s.range.first, s.range.last));
    }
    if (given.count("--alike-below"))
        s.alike_below = w.alike_below,
        say(fmt::format("twins alike below {} source frames", short_number(w.alike_below)));
    if (given.count("--twins-above"))
        s.twin_share = w.twin_share, say(fmt::format("twins above {} of the range", short_number(w.twin_share)));
    if (given.count("--only-moving")) {
        GARLAND_TRY(on, on_off(w.only_moving));
        s.twins_only_moving = on;
        say(on ? "twins only while they move" : "twins also while they stand");
    }
    if (words.empty())
        return wrong("nothing to change", "give one of the options that garland-cli edit settings --help lists");
    return Done{"Set " + words};
}

Result<Done> set_tempo(Project& p, const Words& w) {
    Tempo& t = p.settings.tempo;
    t = {!w.off, w.off ? t.beats_per_minute : w.bpm, w.off ? t.offset : OutputFrame(w.offset),
         w.off ? t.beats_per_bar : w.beats_per_bar};
    GARLAND_CHECK(validate(t));
    if (w.off) return Done{"Tempo off"};
    return Done{fmt::format("Tempo {} beats per minute, first beat on output frame {}, {} to a bar",
                            short_number(t.beats_per_minute), short_number(t.offset.value),
                            counted(t.beats_per_bar, "beat", "beats")),
                fmt::format("{} output frames a beat", short_number(frames_per_beat(t, p.settings.rate)))};
}

Result<Done> set_marker(Project& p, const Words& w) {
    auto& markers = p.settings.markers;
    const OutputFrame at(w.at);
    if (w.remove) {
        const auto before = markers.size();
        std::erase_if(markers, [&](const Marker& m) { return m.at == at && (w.name.empty() || m.name == w.name); });
        if (markers.size() == before)
            return wrong(fmt::format("there is no marker of that name at output frame {}", short_number(w.at)),
                         standing_at(markers));
        return Done{fmt::format("Remove the marker at output frame {}", short_number(w.at))};
    }
    for (Marker& m : markers) { // once more at the same frame: another name for it
        if (m.at != at) continue;
        const std::string old = std::exchange(m.name, w.name);
        return Done{fmt::format("Marker \"{}\" at output frame {}", w.name, short_number(w.at)),
                    old == w.name ? "it already existed" : fmt::format("it was called \"{}\"", old)};
    }
    markers.push_back({at, w.name});
    std::stable_sort(markers.begin(), markers.end(), [](const Marker& a, const Marker& b) { return a.at < b.at; });
    return Done{fmt::format("Marker \"{}\" at output frame {}", w.name, short_number(w.at))};
}

static Result<ArrangementId> arrangement_of(const Project& p, const Words& w) {
    GARLAND_TRY(i, find_named(p.arrangements, w.arrangement, "arrangement"));
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
            return wrong(fmt::format("there is no camera key at output frame {}", short_number(w.at)),
                         standing_at(keys));
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
    if (given.count("--field-of-view")) camera.field_of_view = w.camera.field_of_view;
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
    GARLAND_TRY(end, word(w.end, {WobbleEnd::never, WobbleEnd::let_go, WobbleEnd::stay, WobbleEnd::settle},
                          "a way to end a wobble"));
    wobble.end = end;
    wobble.end_at = OutputFrame(w.at);
    // One number, or one for each axis.
    auto axes = [](const std::string& text, const V3d& alone, V3d& out) -> Result<void> {
        if (text.empty()) return {};
        if (text.find(',') == text.npos) {
            GARLAND_TRY(v, real(text));
            out = alone * v;
            return {};
        }
        GARLAND_TRY(v, place(text));
        out = v;
        return {};
    };
    GARLAND_CHECK(axes(w.wobble_position, V3d(1), wobble.position));
    GARLAND_CHECK(axes(w.wobble_turn, V3d(0, 1, 0), wobble.turn));
    GARLAND_CHECK(axes(w.settle_turn, V3d(0, 1, 0), wobble.settle_turn));
    if (!w.settle.empty()) {
        GARLAND_TRY(v, place(w.settle));
        wobble.settle_position = v;
    }
    GARLAND_CHECK(validate(wobble));
    std::string name;
    Wobble* to = nullptr;
    if (!w.source.empty()) {
        GARLAND_TRY(i, find_named(p.sources, w.source, "source"));
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

} // namespace garland
