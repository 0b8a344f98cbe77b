// Where the beats of a sound are.
#pragma once

#include "core/base/progress.h"
#include "core/drivers/sound.h"
#include "core/time/beats.h"

#include <vector>

namespace garland {

struct FoundBeats {
    Tempo tempo;     // beats per minute, and an output frame on which one falls
    double sure = 0; // the share of beats heard that lie within half an output frame of that grid, 0 … 1
    std::vector<OutputFrame> heard; // every beat, as heard
};

// Beats by aubio's tracker (P. Brossier, "Automatic annotation of musical audio for interactive applications", 2006),
// and the even grid that fits them best in the least-squares sense. start: the output frame at which the sound begins.
// Errors: invalid where fewer than four beats are heard; cancelled.
Result<FoundBeats> find_beats(const SoundSamples& samples, OutputFrame start, Rate rate,
                              Progress& progress = Progress::none());

} // namespace garland
