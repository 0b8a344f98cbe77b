// Options of garland-cli edit zone, play, pulse and sound: each with its name, what it is for, and what it does.
#pragma once

#include "cli/copy_options.h"

namespace garland {

const std::vector<Option<Zone>>& zone_options();
const std::vector<Option<Play>>& play_options();
const std::vector<Option<Pulse>>& pulse_options();
const std::vector<Option<SoundSpec>>& sound_options();

} // namespace garland
