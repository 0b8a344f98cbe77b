#include "cli/edit_drive.h"

#include "cli/drive_options.h"
#include "cli/option_fields.h"
#include "core/base/numbers.h"
#include "core/project/show.h"
#include "io/files/find_beats.h"
#include "io/files/sound_file.h"
#include "io/project/drive_json.h"
#include "io/project/project_file.h"
#include "io/tables/path_file.h"

#include <algorithm>
#include <filesystem>
#include <memory>
#include <sstream>

namespace garland {

namespace {

// "1:0,0,0 48:10,0,0 smooth 96:0,0,0": output frame:place, with how it goes on to the next key.
Result<std::vector<PlaceKey>> place_keys_of(const std::string& text, const PlaceKey& like) {
    std::vector<PlaceKey> out;
    std::istringstream words(text);
    for (std::string one; words >> one;) {
        const auto colon = one.find(':');
        if (colon == one.npos) {
            if (out.empty())
                return wrong(fmt::format("\"{}\" is no key of a place", one),
                             "write \"1:0,0,0 48:10,0,0\": output frame:place");
            GARLAND_TRY(toward, toward_of(one));
            out.back().toward = toward;
            continue;
        }
        PlaceKey key = like;
        GARLAND_TRY(at, real(one.substr(0, colon)));
        GARLAND_TRY(here, place(one.substr(colon + 1)));
        key.at = OutputFrame(at), key.place = here, key.toward = Toward::linear;
        out.push_back(key);
    }
    return out;
}

// What stands in one key of a place.
struct KeyGiven {
    double at = 1, size = 1;
    std::string place, turn, toward, keys;
    bool has_at = false, has_size = false, drop = false;
};

// now: the place as it stands at --at.
Result<void> set_keys(std::vector<PlaceKey>& keys, PlaceKey now, const KeyGiven& given, const std::string& whose) {
    if (!given.keys.empty()) {
        GARLAND_TRY(all, place_keys_of(given.keys, keys.empty() ? PlaceKey{} : keys.front()));
        keys = std::move(all);
    }
    if (given.drop) {
        if (std::erase_if(keys, [&](const PlaceKey& k) { return k.at.value == given.at; }) == 0)
            return wrong(fmt::format("{} has no key at output frame {}", whose, short_number(given.at)),
                         "give --at of one of its keys");
        return {};
    }
    if (given.place.empty() && given.turn.empty() && given.toward.empty() && !given.has_size) return {};
    auto apply = [&](PlaceKey& key) -> Result<void> {
        if (!given.place.empty()) {
            GARLAND_TRY(v, place(given.place));
            key.place = v;
        }
        if (!given.turn.empty()) {
            GARLAND_TRY(v, place(given.turn));
            key.turn = v;
        }
        if (!given.toward.empty()) {
            GARLAND_TRY(v, toward_of(given.toward));
            key.toward = v;
        }
        if (given.has_size) key.size = given.size;
        return {};
    };
    if (!given.has_at && !keys.empty()) { // without a frame all keys
        for (PlaceKey& key : keys) GARLAND_CHECK(apply(key));
        return {};
    }
    for (const PlaceKey& k : keys) {
        if (k.at.value <= given.at) now.toward = k.toward;
    }
    now.at = OutputFrame(given.at);
    GARLAND_CHECK(apply(now));
    keys = with_key(keys, now);
    return {};
}

Result<Done> set_place(Project& p, const Words& w, bool clear, const KeyGiven& given) {
    GARLAND_TRY(id, arrangement_called(p, w));
    Arrangement& a = *p.arrangement(id);
    if (clear) {
        a.place_keys.clear();
        return Done{fmt::format("Remove the keys of place of \"{}\"", a.name)};
    }
    GARLAND_CHECK(set_keys(a.place_keys, PlaceCurve(a.place_keys).at(given.at), given, fmt::format("\"{}\"", a.name)));
    GARLAND_CHECK(validate(a));
    return Done{fmt::format("Key the place of \"{}\"", a.name),
                a.place_keys.empty() ? "it stands still" : counted(a.place_keys.size(), "key", "keys")};
}

Result<Done> set_zone(Project& p, const std::string& called, const std::string& add, bool remove, const Given& given,
                      const KeyGiven& key) {
    std::string words;
    if (!add.empty()) {
        Zone z;
        z.id = ZoneId(p.next_id++);
        z.name = add;
        z.keys.front().at = OutputFrame(static_cast<double>(p.settings.range.first));
        z.ride_first = OutputFrame(static_cast<double>(p.settings.range.first));
        z.ride_last = OutputFrame(static_cast<double>(p.settings.range.last));
        p.zones.push_back(z);
        words = fmt::format("Add the zone \"{}\"", add);
    }
    GARLAND_TRY(i, find_named(p.zones, add.empty() ? called : add, "zone"));
    Zone& z = p.zones[i];
    if (remove) {
        const std::string name = z.name;
        remove_zone(p, z.id);
        return Done{fmt::format("Remove the zone \"{}\"", name)};
    }
    if (words.empty()) words = fmt::format("Zone \"{}\"", z.name);
    GARLAND_TRY(what, set_given(z, p, zone_options(), given));
    GARLAND_CHECK(set_keys(z.keys, ZonePlan(z).pose_at(key.at), key, fmt::format("the zone \"{}\"", z.name)));
    GARLAND_CHECK(validate(z));
    if (!what.empty()) words += ": " + what;
    return Done{words, fmt::format("{}, {}", to_text(z.shape), counted(z.keys.size(), "key", "keys"))};
}

Result<Done> set_play(Project& p, const Words& w, const Given& given) {
    GARLAND_TRY(id, arrangement_called(p, w));
    Arrangement& a = *p.arrangement(id);
    GARLAND_TRY(what, set_given(a.play, p, play_options(), given));
    GARLAND_CHECK(validate(a.play));
    if (a.play.by != PlayBy::clock && a.play.level.kind == LevelKind::zones && p.zones.empty())
        return wrong("there is no zone that could play the copies", "add one with edit zone --add");
    if (a.play.by != PlayBy::clock && a.play.level.kind == LevelKind::sound && !a.play.level.hearing.sound)
        return wrong("there is no sound that could play the copies",
                     "add one with edit sound --add, then give --sound");
    return Done{fmt::format("\"{}\" plays by {}{}", a.name, to_text(a.play.by), what.empty() ? "" : ": " + what)};
}

Result<Done> set_pulse(Project& p, const Words& w, const Given& given, int number, bool add, bool remove) {
    GARLAND_TRY(id, arrangement_called(p, w));
    Arrangement& a = *p.arrangement(id);
    if (add) {
        Pulse pulse;
        pulse.id = SpreadId(p.next_id++);
        pulse.wave.start = OutputFrame(static_cast<double>(p.settings.range.first));
        a.pulses.push_back(pulse);
        number = static_cast<int>(a.pulses.size());
    }
    if (number == 0 && a.pulses.size() == 1) number = 1;
    if (number < 1 || static_cast<std::size_t>(number) > a.pulses.size()) {
        return wrong(a.pulses.empty()
                         ? "the arrangement has no pulse"
                         : fmt::format("there is no pulse {}: they are counted from 1 to {}", number, a.pulses.size()),
                     "give --number, or --add for a new one");
    }
    if (remove) {
        a.pulses.erase(a.pulses.begin() + (number - 1));
        return Done{fmt::format("Remove pulse {} of \"{}\"", number, a.name)};
    }
    Pulse& pulse = a.pulses[static_cast<std::size_t>(number) - 1];
    GARLAND_TRY(what, set_given(pulse, p, pulse_options(), given));
    GARLAND_CHECK(validate(pulse));
    return Done{fmt::format("{} of \"{}\"{}",
                            add ? fmt::format("Add pulse {}", number) : fmt::format("Pulse {}", number), a.name,
                            what.empty() ? "" : ": " + what)};
}

Result<Done> tempo_of_sound(Project& p, const SoundSpec& s, const SoundSamples& samples) {
    GARLAND_TRY(found, find_beats(samples, s.start, p.settings.rate));
    found.tempo.beats_per_bar = p.settings.tempo.beats_per_bar;
    p.settings.tempo = found.tempo;
    return Done{fmt::format("Find beats of \"{}\": {} per minute, one at output frame {}", s.name,
                            short_number(found.tempo.beats_per_minute, 2), short_number(found.tempo.offset.value, 2)),
                fmt::format("{} heard, {} % of them within half a frame of the grid",
                            counted(found.heard.size(), "beat", "beats"), short_number(found.sure * 100, 0))};
}

Result<Done> markers_of_sound(Project& p, const SoundSpec& s, const SoundSamples& samples) {
    GARLAND_TRY(found, find_beats(samples, s.start, p.settings.rate));
    const std::int64_t set = mark_beats(p.settings.markers, found.heard, p.settings.range);
    return Done{fmt::format("Mark beats of \"{}\": {}", s.name, counted(set, "marker", "markers")),
                fmt::format("{} heard", counted(found.heard.size(), "beat", "beats"))};
}

Result<Done> set_sound(Project& p, const Words& w, const std::string& called, const std::string& add,
                       const std::string& file, bool remove, bool beats, bool mark, const Given& given) {
    if (!add.empty()) {
        if (file.empty()) return wrong("which file is the sound?", "give --file");
        SoundSpec s;
        s.id = SoundId(p.next_id++);
        s.name = add;
        s.start = OutputFrame(static_cast<double>(p.settings.range.first));
        p.sounds.push_back(s);
    }
    GARLAND_TRY(i, find_named(p.sounds, add.empty() ? called : add, "sound"));
    SoundSpec& s = p.sounds[i];
    if (remove) {
        const std::string name = s.name;
        remove_sound(p, s.id);
        return Done{fmt::format("Remove the sound \"{}\"", name)};
    }
    GARLAND_TRY(what, set_given(s, p, sound_options(), given));
    if (!file.empty()) {
        const std::string absolute = std::filesystem::absolute(file).string();
        s.path = w.project == "-" ? absolute : relative_path(absolute, std::filesystem::absolute(w.project).string());
    }
    GARLAND_CHECK(validate(s));
    const std::string path = w.project == "-" ? s.path : absolute_path(s.path, w.project);
    GARLAND_TRY(samples, read_sound_file(path, s.channel));
    if (beats && mark) GARLAND_CHECK(tempo_of_sound(p, s, *samples));
    if (mark) return markers_of_sound(p, s, *samples);
    if (beats) return tempo_of_sound(p, s, *samples);
    GARLAND_TRY(facts, sound_facts(path));
    const double frames = facts.seconds() * p.settings.rate.per_second();
    return Done{
        fmt::format("{} \"{}\"{}", add.empty() ? "Sound" : "Add the sound", s.name, what.empty() ? "" : ": " + what),
        fmt::format("{}, {} at {} Hz, {} s: output frames {} to {}; {}", facts.format,
                    counted(facts.channels, "channel", "channels"), short_number(facts.rate),
                    short_number(facts.seconds(), 2), short_number(s.start.value, 2),
                    short_number(s.start.value + frames, 2),
                    counted(static_cast<long long>(bands_of(s.bands).size()), "band", "bands"))};
}

constexpr const char* which_arrangement = "Which arrangement, by name or id; not needed where there is only one";

// The subcommands and what they are given; kept alive by their callbacks.
struct DriveCommands : std::enable_shared_from_this<DriveCommands> {
    CLI::App& edit;
    std::shared_ptr<Words> w;
    RunChange run;
    Given given{};
    std::string called{}, add{}, file{};
    int number = 0;
    bool adds = false, remove = false, clear = false, beats = false, marks = false;
    KeyGiven key{};

    DriveCommands(CLI::App& e, std::shared_ptr<Words> words, RunChange r)
        : edit(e), w(std::move(words)), run(std::move(r)) {}

    CLI::App* sub_of(const char* name, const char* help) {
        CLI::App* sub = edit.add_subcommand(name, help);
        sub->fallthrough();
        return sub;
    }
    void add_keys(CLI::App* sub, const char* whose) {
        sub->add_option("--keys", key.keys, "All keys of its place, \"1:0,0,0 48:10,0,0\": output frame:x,y,z");
        sub->add_option("--at", key.at, "The output frame of one key; without it, all keys are changed");
        sub->add_option("--place", key.place, whose);
        sub->add_option("--turn", key.turn, "Its turn about x,y,z in degrees");
        sub->add_option("--scale", key.size, "Times its own size");
        sub->add_option("--toward", key.toward, "step, linear or smooth: how it goes on to the next key");
        sub->add_flag("--remove-key", key.drop, "Remove the key at --at");
    }
    const KeyGiven& keys_of(CLI::App* sub) {
        key.has_at = sub->count("--at") > 0, key.has_size = sub->count("--scale") > 0;
        return key;
    }

    void add_zone() {
        CLI::App* z =
            sub_of("zone", "A shape in space that drives time for the copies in it: add, change, key or remove one");
        z->add_option("--zone", called, "Which zone, by name or id; not needed where there is only one");
        z->add_option("--add", add, "A new zone of this name");
        z->add_flag("--remove", remove, "Remove it");
        add_options(*z, zone_options(), given);
        add_keys(z, "Its place, x,y,z in metres");
        z->callback([self = shared_from_this(), z] {
            self->run([&s = *self, z](Project& p) {
                return set_zone(p, s.called, s.add, s.remove, only_written(s.given), s.keys_of(z));
            });
        });
    }
    void add_place() {
        CLI::App* c =
            sub_of("place", "Keys of place, turn and size of an arrangement as a whole; of a single-out, of each "
                            "copy about its own place");
        c->add_option("--arrangement", w->arrangement, which_arrangement);
        c->add_flag("--clear", clear, "Remove all keys");
        add_keys(c, "How far it is moved, x,y,z in metres");
        c->callback([self = shared_from_this(), c] {
            self->run([&s = *self, c](Project& p) { return set_place(p, *s.w, s.clear, s.keys_of(c)); });
        });
    }
    void add_play() {
        CLI::App* l = sub_of("play", "What plays copies besides their own clock: zones, a pulse or a sound");
        l->add_option("--arrangement", w->arrangement, which_arrangement);
        add_options(*l, play_options(), given);
        l->callback([self = shared_from_this()] {
            self->run([&s = *self](Project& p) { return set_play(p, *s.w, only_written(s.given)); });
        });
    }
    void add_pulse() {
        CLI::App* u =
            sub_of("pulse", "A rise and fall that travels over copies by their delays: add, change or remove one");
        u->add_option("--arrangement", w->arrangement, which_arrangement);
        u->add_option("--number", number, "Which pulse of the arrangement, from 1");
        u->add_flag("--add", adds, "A new one");
        u->add_flag("--remove", remove, "Remove it");
        add_options(*u, pulse_options(), given);
        u->callback([self = shared_from_this()] {
            self->run([&s = *self](Project& p) {
                return set_pulse(p, *s.w, only_written(s.given), s.number, s.adds, s.remove);
            });
        });
    }
    void add_sound() {
        CLI::App* c = sub_of("sound", "A sound that copies hear: add, change or remove one");
        c->add_option("--sound", called, "Which sound, by name or id; not needed where there is only one");
        c->add_option("--add", add, "A new sound of this name");
        c->add_option("--file", file, "Its file: WAV, FLAC, Ogg, MP3 or AIFF");
        c->add_flag("--remove", remove, "Remove it");
        c->add_flag("--find-beats", beats, "Set the tempo grid by the beats that are heard in it");
        c->add_flag("--mark-beats", marks, "Set a marker at each beat that is heard within the output range");
        add_options(*c, sound_options(), given);
        c->callback([self = shared_from_this()] {
            self->run([&s = *self](Project& p) {
                return set_sound(p, *s.w, s.called, s.add, s.file, s.remove, s.beats, s.marks, only_written(s.given));
            });
        });
    }
};

} // namespace

void add_drive_commands(CLI::App& edit, const std::shared_ptr<Words>& w, const RunChange& run) {
    const auto all = std::make_shared<DriveCommands>(edit, w, run);
    all->add_zone();
    all->add_place();
    all->add_play();
    all->add_pulse();
    all->add_sound();
}

} // namespace garland
