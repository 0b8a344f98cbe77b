// Zones, sounds, pulses and what plays copies, as the project file has them.
#pragma once

#include "core/drivers/playing.h"
#include "core/drivers/pulse.h"
#include "io/files/json_part.h"

namespace garland {

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
