// A tempo grid over output frames, named markers, and whether phrase boundaries meet their beats.
#pragma once

#include "core/time/phrases.h"
#include "core/time/rate.h"

#include <optional>
#include <span>
#include <string>

namespace garland {

struct Tempo {
    bool on = false;
    double beats_per_minute = 120;
    OutputFrame offset{1}; // where bar 1 beat 1 falls
    int beats_per_bar = 4;
    bool operator==(const Tempo&) const = default;
};

struct Marker {
    OutputFrame at;
    std::string name;
    bool operator==(const Marker&) const = default;
};

// Errors: invalid, for a tempo outside 1 … 1000 beats a minute, an offset that is not usable, bars outside 1 … 64
// beats.
Result<void> validate(const Tempo& tempo);

// Output frames in one beat: 60·rate/tempo.
double frames_per_beat(const Tempo& tempo, Rate rate);

// Beats from the offset (0 is bar 1 beat 1), fractional; and back.
double beat_at(const Tempo& tempo, Rate rate, OutputFrame t);
OutputFrame frame_of_beat(const Tempo& tempo, Rate rate, double beat);
OutputFrame nearest_beat(const Tempo& tempo, Rate rate, OutputFrame t);

std::string bar_words(const Tempo& tempo, Rate rate, OutputFrame t); // "bar 3 beat 2", "bar 3 beat 2 + 0.4"

// Sets a marker "beat 1", "beat 2" … at each beat heard in the range, counted from the first beat of all; none where
// one stands within half an output frame already. Times are rounded to hundredths of a frame. Returns how many were
// set.
std::int64_t mark_beats(std::vector<Marker>& markers, std::span<const OutputFrame> heard, FrameRange range);

// A boundary of a phrase list that misses its beat.
struct OffBeat {
    std::size_t phrase = 0;                   // the one that ends there
    OutputFrame at;                           // where it ends
    OutputFrame beat;                         // the nearest beat
    double late() const { return at - beat; } // output frames; negative: early
};
// All ends of phrases, the list's own end included, that are more than `tolerance` output frames off.
std::vector<OffBeat> off_beats(const PhraseList& phrases, bool turn_twice, const Tempo& tempo, Rate rate,
                               double tolerance = 0.05);

// The mend: phrase `index` is played so much faster or slower that it ends on the beat nearest to where it ends now
// (the first one after its start, if that is later). Errors: invalid, for a phrase that is not there or a speed that
// would leave its range.
Result<PhraseList> stretched_to_beat(const PhraseList& phrases, std::size_t index, bool turn_twice, const Tempo& tempo,
                                     Rate rate);

// Where a dragged key settles: the nearest whole frame, marker or beat within `reach` output frames; markers and beats
// before frames.
OutputFrame snapped(OutputFrame t, double reach, std::span<const Marker> markers, const Tempo& tempo, Rate rate);

} // namespace garland
