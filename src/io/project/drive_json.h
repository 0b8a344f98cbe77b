// Zones, sounds, pulses and what plays copies, as the project file has them.
#pragma once

#include "core/drivers/playing.h"
#include "core/drivers/pulse.h"
#include "io/files/json_part.h"

namespace garland {

inline const Word<ZoneShape> zone_shape_words[] = {{"ball", ZoneShape::ball},         {"box", ZoneShape::box},
                                                   {"cylinder", ZoneShape::cylinder}, {"wall", ZoneShape::wall},
                                                   {"tube", ZoneShape::tube},         {"mesh", ZoneShape::mesh}};
inline const Word<ZoneRide> zone_ride_words[] = {
    {"nothing", ZoneRide::none}, {"part", ZoneRide::part}, {"particle", ZoneRide::particle}, {"path", ZoneRide::path}};
inline const Word<LevelKind> level_words[] = {
    {"zones", LevelKind::zones}, {"pulse", LevelKind::pulse}, {"sound", LevelKind::sound}};
inline const Word<ZoneJoin> join_words[] = {
    {"highest", ZoneJoin::highest}, {"sum", ZoneJoin::sum}, {"product", ZoneJoin::product}};
inline const Word<SoundDeal> deal_words[] = {{"order", SoundDeal::order},
                                             {"axis", SoundDeal::axis},
                                             {"attribute", SoundDeal::attribute},
                                             {"together", SoundDeal::together}};
inline const Word<PlayBy> play_words[] = {{"own_clock", PlayBy::clock},
                                          {"level", PlayBy::level},
                                          {"furthest", PlayBy::furthest},
                                          {"starts", PlayBy::starts},
                                          {"speed", PlayBy::speed}};
inline const Word<Leaving> leaving_words[] = {{"stop", Leaving::stop},
                                              {"back_to_start", Leaving::back_to_start},
                                              {"go_on", Leaving::go_on},
                                              {"finish_pass", Leaving::finish_pass},
                                              {"fade_out", Leaving::fade_out}};
inline const Word<WaveAfter> wave_words[] = {
    {"hold", WaveAfter::hold}, {"repeat", WaveAfter::repeat}, {"there_and_back", WaveAfter::there_and_back}};

Json write(const Zone& zone);
Zone read_zone(const JsonPart& part); // these throw BadJson
Json write(const std::vector<PlaceKey>& keys);
std::vector<PlaceKey> read_place_keys(const JsonPart& part, const char* key); // none: empty
Json write(const SoundSpec& sound);
SoundSpec read_sound(const JsonPart& part);
Json write(const Pulse& pulse);
Pulse read_pulse(const JsonPart& part);
Json write(const LevelRule& rule);
LevelRule read_level(const JsonPart& part);
Json write(const Play& play);
Play read_play(const JsonPart& part);

} // namespace garland
