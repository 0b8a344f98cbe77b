// Where copies stand at an output frame: carried, keyed, wobbled, pulsed.
#pragma once

#include "core/scene/arrangement_show.h"

namespace garland {

// Where the copies of an arrangement are at an output frame, wobbles included; how they move (per output frame), and
// which have nothing to carry them, where asked for. Errors: those of reading what carries them; cancelled.
struct Standing {
    std::vector<Placement> places;
    std::vector<CopyMotion> motion;
    std::vector<std::uint8_t> gone; // 1: nothing carries it; empty: all are there
};
Result<Standing> places_at(const ArrangementShow& arrangement, OutputFrame t, std::span<const CopyMoment> moments,
                           bool motion = false, Progress& progress = Progress::none());
// The same where its moments are not known yet.
Result<Standing> places_at(const ArrangementShow& arrangement, OutputFrame t, bool motion = false,
                           Progress& progress = Progress::none());
// The same without wobbles and pulses: where copies are sensed.
Result<std::vector<Placement>> sensed_places_at(const ArrangementShow& arrangement, OutputFrame t,
                                                Progress& progress = Progress::none());

} // namespace garland
