// What can move a copy through its motion besides its own clock: a level that changes in time, and what it does.
#pragma once

#include "core/base/words.h"
#include "core/drivers/sound.h"
#include "core/drivers/wave.h"
#include "core/drivers/zone.h"

#include <string>
#include <vector>

namespace garland {

enum class LevelKind { zones, pulse, sound };
inline constexpr Word<LevelKind> level_words[] = {
    {"zones", LevelKind::zones}, {"pulse", LevelKind::pulse}, {"sound", LevelKind::sound}};
enum class ZoneJoin { highest, sum, product };
inline constexpr Word<ZoneJoin> zone_join_words[] = {
    {"highest", ZoneJoin::highest}, {"sum", ZoneJoin::sum}, {"product", ZoneJoin::product}};
enum class SoundDeal {
    order,     // copy k of n hears band ⌊k · bands / n⌋
    axis,      // by where it stands along an axis, lowest band first
    attribute, // by what carries it: its smallest value hears the lowest band
    together,  // all hear everything: the loudest band
};
inline constexpr Word<SoundDeal> deal_words[] = {{"order", SoundDeal::order},
                                                 {"axis", SoundDeal::axis},
                                                 {"attribute", SoundDeal::attribute},
                                                 {"together", SoundDeal::together}};

struct Hearing {
    SoundId sound{};
    SoundDeal deal = SoundDeal::order;
    V3d axis{1, 0, 0};
    std::string attribute{};
    bool operator==(const Hearing&) const = default;
};

// A level 0 … 1 for every copy and output frame.
struct LevelRule {
    LevelKind kind = LevelKind::zones;
    std::vector<ZoneId> zones{}; // empty: all that are on
    ZoneJoin join = ZoneJoin::highest;
    Wave wave{};       // pulse
    Hearing hearing{}; // sound
    bool operator==(const LevelRule&) const = default;
};

enum class PlayBy {
    clock,    // its own clock
    level,    // 0 shows the start of the timing's span, 1 its end
    furthest, // the highest level so far; never goes back
    starts,   // its clock starts when the level first exceeds the threshold
    speed,    // its clock runs at 1 + level · (speed − 1) of its rate
};
inline constexpr Word<PlayBy> play_words[] = {
    {"own clock", PlayBy::clock},   {"level", PlayBy::level},
    {"furthest", PlayBy::furthest}, {"starts", PlayBy::starts},
    {"speed", PlayBy::speed},       {"own_clock", PlayBy::clock}}; // the later ones as earlier files have them
enum class Leaving {
    stop,          // time runs only inside
    back_to_start, // over `leaving_frames`; 0: at once
    go_on,
    finish_pass, // to the end of the pass, then rest
    fade_out,    // its speed goes evenly to 0 over `leaving_frames`
};
inline constexpr Word<Leaving> leaving_words[] = {
    {"stop", Leaving::stop},         {"back to start", Leaving::back_to_start},
    {"go on", Leaving::go_on},       {"finish pass", Leaving::finish_pass},
    {"fade out", Leaving::fade_out}, {"back_to_start", Leaving::back_to_start},
    {"go_on", Leaving::go_on},       {"finish_pass", Leaving::finish_pass},
    {"fade_out", Leaving::fade_out}}; // the later ones as earlier files have them

// What plays the copies of an arrangement.
struct Play {
    PlayBy by = PlayBy::clock;
    LevelRule level{};
    KeyedCurve response{};   // of the level; empty: straight
    double from = 0, to = 1; // level: the part of the timing's span that is used
    double threshold = 0;    // starts: 0 … 1
    Leaving leaving = Leaving::go_on;
    double leaving_frames = 12; // output frames
    bool start_again = false;   // entering again: from the start; else it goes on from there
    bool hidden_before = false; // before the first entry: hidden; else the first pose
    double shortest = 0;        // starts: at least so many output frames between two starts
    double speed = 0;           // speed: what is left of a copy's speed at level 1; −1 … 10
    bool operator==(const Play&) const = default;
};

// Errors: invalid, naming the field.
Result<void> validate(const Play& play);
Result<void> validate(const LevelRule& rule);

const char* to_text(LevelKind kind);
const char* to_text(ZoneJoin join);
const char* to_text(SoundDeal deal);
const char* to_text(PlayBy by);
const char* to_text(Leaving leaving);

} // namespace garland
