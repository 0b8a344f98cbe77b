// The fourth demo project: dusk on the canal. A lamplighter's glow wakes lanterns one after the other, a breeze slows
// pinwheels, a pulse lifts floating bowls, and a tune opens paper fans band by band.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/drivers/sound.h"
#include "core/project/project.h"

#include <string>

namespace garland {

Project dusk_project();

// Ten seconds of drum, flute and bells, a beat every half second; the same samples every time.
SoundSamples dusk_tune();

// Writes the sources, tune.wav and dusk.garland into a folder; the project's path. lantern_is_there: an earlier demo
// wrote it there. Errors: those of writing; cancelled.
Result<std::string> write_dusk(const std::string& folder, bool lantern_is_there = false,
                               Progress& progress = Progress::none());

} // namespace garland
