#include "cli/drive_options.h"

#include "cli/option_fields.h"
#include "io/project/drive_json.h"

#include <sstream>

namespace garland {

namespace {

Result<std::string> any_text(const std::string& text) {
    return text;
}

Result<std::vector<V3d>> path_of(const std::string& text) {
    std::vector<V3d> out;
    std::istringstream words(text);
    for (std::string one; words >> one;) {
        GARLAND_TRY(here, place(one));
        out.push_back(here);
    }
    return out;
}

Option<Zone> zone_source(const char* name, const char* help, SourceId Zone::*member) {
    return {name, help, [member](Zone& z, const Project& p, const std::string& t) -> Result<void> {
                GARLAND_TRY(id, source_called(p, t));
                z.*member = id;
                return {};
            }};
}

Option<Zone> zone_frame(const char* name, const char* help, OutputFrame Zone::*member) {
    return {name, help, [member](Zone& z, const Project&, const std::string& t) -> Result<void> {
                GARLAND_TRY(v, real(t));
                z.*member = OutputFrame(v);
                return {};
            }};
}

} // namespace

const std::vector<Option<Zone>>& zone_options() {
    using Z = Zone;
    static const std::vector<Option<Z>> all{
        field("name", "What it is called", &Z::name, any_text),
        field("shape", "ball, box, cylinder, wall, tube or mesh", &Z::shape,
              [](const std::string& t) { return of(zone_shape_words, t, "a shape of a zone"); }),
        field("size", "Width, height and depth in metres, x,y,z; a ball and a tube: its diameter is x", &Z::size,
              place),
        zone_source("mesh", "Shape mesh: the source whose closed surface it is", &Z::mesh),
        field("path", "Shape tube, or riding along a path: its points, \"0,0,0 5,0,2 …\"", &Z::path, path_of),
        field("path-closed", "The path's end joins its start, on or off", &Z::path_closed, on_off),
        field("inner", "Metres from its surface up to which its level is 1; below 0: inside", &Z::inner, real),
        field("outer", "Metres from its surface from which its level is 0", &Z::outer, real),
        field("response", "How the level rises from the outer to the inner distance, \"0:0 smooth 1:1\"", &Z::response,
              curve_of),
        field("inverted", "1 outside and 0 inside, on or off", &Z::inverted, on_off),
        field("on", "Whether it counts, on or off", &Z::on, on_off),
        field("ride", "What takes it along: nothing, part, particle or path", &Z::ride,
              [](const std::string& t) { return of(zone_ride_words, t, "something a zone rides on"); }),
        zone_source("ride-source", "The source it rides on", &Z::ride_source),
        field("ride-part", "The part it rides on, by name", &Z::ride_part, any_text),
        field("ride-particle", "The particle it rides on, by id", &Z::ride_particle, whole),
        zone_frame("ride-first", "The output frame at which it starts along its path", &Z::ride_first),
        zone_frame("ride-last", "The output frame at which it reaches the path's end", &Z::ride_last),
    };
    return all;
}

namespace {

Option<Play> wave_option(const char* name, const char* help,
                         std::function<Result<void>(Wave&, const std::string&)> set) {
    return {name, help, [set](Play& play, const Project&, const std::string& t) -> Result<void> {
                return set(play.level.wave, t);
            }};
}

Result<void> set_start(Wave& w, const std::string& t) {
    GARLAND_TRY(v, real(t));
    w.start = OutputFrame(v);
    return {};
}
Result<void> set_frames(Wave& w, const std::string& t) {
    GARLAND_TRY(v, real(t));
    w.frames = v;
    return {};
}
Result<void> set_after(Wave& w, const std::string& t) {
    GARLAND_TRY(v, of(wave_words, t, "what follows a rise"));
    w.after = v;
    return {};
}
Result<void> set_passes(Wave& w, const std::string& t) {
    GARLAND_TRY(v, count_of(t));
    w.passes = v;
    return {};
}

} // namespace

const std::vector<Option<Play>>& play_options() {
    using P = Play;
    static const std::vector<Option<P>> all{
        field("by", "own-clock, level, furthest, starts or speed", &P::by,
              [](const std::string& t) { return of(play_words, t, "what plays copies"); }),
        {"level", "Where the level comes from: zones, pulse or sound",
         [](P& play, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(v, of(level_words, t, "where a level comes from"));
             play.level.kind = v;
             return {};
         }},
        {"zones", "Which zones, by name or id, as in Breeze,Glow; all: every zone that is on",
         [](P& play, const Project& p, const std::string& t) -> Result<void> {
             play.level.zones.clear();
             if (t == "all") return {};
             std::istringstream words(t);
             for (std::string one; std::getline(words, one, ',');) {
                 GARLAND_TRY(i, find_named(p.zones, one, "zone"));
                 play.level.zones.push_back(p.zones[i].id);
             }
             return {};
         }},
        {"join", "Several zones: highest, sum or product",
         [](P& play, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(v, of(zone_join_words, t, "how zones join"));
             play.level.join = v;
             return {};
         }},
        {"sound", "Which sound, by name or id",
         [](P& play, const Project& p, const std::string& t) -> Result<void> {
             GARLAND_TRY(i, find_named(p.sounds, t, "sound"));
             play.level.hearing.sound = p.sounds[i].id;
             play.level.kind = LevelKind::sound;
             return {};
         }},
        {"bands-by", "Which band a copy hears, by order, axis or attribute; together: all of them",
         [](P& play, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(v, of(deal_words, t, "how bands are dealt"));
             play.level.hearing.deal = v;
             return {};
         }},
        {"axis", "Bands by axis: its direction, x,y,z",
         [](P& play, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(v, place(t));
             play.level.hearing.axis = v;
             return {};
         }},
        {"attribute", "Bands by attribute: its name",
         [](P& play, const Project&, const std::string& t) -> Result<void> {
             play.level.hearing.attribute = t;
             return {};
         }},
        field("response", "How the level counts, \"0:0 smooth 0.5:1 1:0\"", &P::response, curve_of),
        field("from", "Level: the part of the motion at level 0, 0 to 1", &P::from, real),
        field("to", "Level: the part of the motion at level 1, 0 to 1", &P::to, real),
        field("threshold", "Starts: the level above which a copy starts, 0 to 1", &P::threshold, real),
        field("leaving", "Starts: stop, back-to-start, go-on, finish-pass or fade-out", &P::leaving,
              [](const std::string& t) { return of(leaving_words, t, "what happens on leaving"); }),
        field("leaving-frames", "Starts: output frames for back-to-start and fade-out", &P::leaving_frames, real),
        field("start-again", "Starts: entering again starts from the first pose, on or off", &P::start_again, on_off),
        field("hidden-before", "Starts: hidden before the first entry, on or off", &P::hidden_before, on_off),
        field("shortest", "Starts: least output frames between two starts", &P::shortest, real),
        field("speed", "Speed: what is left of a copy's speed at level 1, −1 to 10", &P::speed, real),
        wave_option("start", "Pulse: the output frame at which it begins", set_start),
        wave_option("frames", "Pulse: output frames of one rise", set_frames),
        wave_option("after", "Pulse: hold, repeat or there-and-back", set_after),
        wave_option("passes", "Pulse: total passes; 0: endless", set_passes),
    };
    return all;
}

namespace {

Option<Pulse> pulse_wave(const char* name, const char* help,
                         std::function<Result<void>(Wave&, const std::string&)> set) {
    return {name, help,
            [set](Pulse& pulse, const Project&, const std::string& t) -> Result<void> { return set(pulse.wave, t); }};
}

} // namespace

const std::vector<Option<Pulse>>& pulse_options() {
    using P = Pulse;
    static const std::vector<Option<P>> all{
        pulse_wave("start", "The output frame at which it begins", set_start),
        pulse_wave("frames", "Output frames of one rise", set_frames),
        pulse_wave("after", "hold, repeat or there-and-back", set_after),
        pulse_wave("passes", "Total passes; 0: endless", set_passes),
        pulse_wave("response", "How it rises, \"0:0 smooth 1:1\"",
                   [](Wave& wave, const std::string& t) -> Result<void> {
                       GARLAND_TRY(v, curve_of(t));
                       wave.response = v;
                       return {};
                   }),
        field("lift", "Metres at full level, x,y,z", &P::lift, place),
        field("turn", "Degrees about the vertical at full level", &P::turn, real),
        field("size", "Times its own size at full level", &P::size, real),
        field("hides", "Copies are shown only while it is above 0, on or off", &P::hides, on_off),
        field("on", "Whether it counts, on or off", &P::on, on_off),
    };
    return all;
}

namespace {

template <class V, class Parse>
Option<SoundSpec> band_field(const char* name, const char* help, V SoundBands::*member, Parse parse) {
    return {name, help, [member, parse](SoundSpec& s, const Project&, const std::string& t) -> Result<void> {
                auto v = parse(t);
                if (!v) return tl::unexpected(v.error());
                s.bands.*member = static_cast<V>(*v);
                return {};
            }};
}

} // namespace

const std::vector<Option<SoundSpec>>& sound_options() {
    using S = SoundSpec;
    using B = SoundBands;
    static const std::vector<Option<S>> all{
        field("name", "What it is called", &S::name, any_text),
        {"start", "The output frame at which it begins",
         [](S& s, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(v, real(t));
             s.start = OutputFrame(v);
             return {};
         }},
        field("channel", "Which channel, from 1; 0: all averaged", &S::channel, count_of),
        band_field("bands", "How many bands, even in octaves", &B::count, count_of),
        band_field("third-octaves", "The one-third-octave bands instead, on or off", &B::third_octaves, on_off),
        band_field("low", "The lowest frequency, Hz", &B::low, real),
        band_field("high", "The highest frequency, Hz", &B::high, real),
        band_field("floor", "dB at which the level is 0", &B::floor, real),
        band_field("ceiling", "dB at which the level is 1", &B::ceiling, real),
        band_field("attack", "Output frames of a rise", &B::attack, real),
        band_field("release", "Output frames of a fall", &B::release, real),
    };
    return all;
}

} // namespace garland
