// Sentences of zones, pulses, sounds and of what plays copies, with their main words bold.
#pragma once

#include "core/project/show.h"

#include <QString>

namespace garland {

// "Breeze, a ball 4 m wide with a soft edge of 1.5 m".
QString zone_words(const Zone& zone);
// "Breeze slows pinwheels to 0.2× of their speed"; what an arrangement's copies are played by.
QString how_played(const Arrangement& arrangement, const Project& project);
// "plays at 0.4× to 1.8× of its speed", "18 of 20 copies are reached"; what comes of it over the output range.
QString played_words(const Show& show, ArrangementId arrangement);
QString pulse_words(const Pulse& pulse);
// "tune, 8 bands from 60 to 8000 Hz".
QString sound_words(const SoundSpec& sound);

} // namespace garland
