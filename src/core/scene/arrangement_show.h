// An arrangement at work: its copies placed, its timing prepared, its source open; the same for every frame.
#pragma once

#include "core/copies/picks.h"
#include "core/copies/places.h"
#include "core/copies/wobble.h"
#include "core/source/sampler.h"
#include "core/time/beats.h"

#include <cmath>
#include <memory>
#include <string>
#include <vector>

namespace garland {

// What is told of the timing that its copies follow.
struct TimingFacts {
    TimingForm form = TimingForm::positions;
    std::string name;
    std::vector<OffBeat> off_beats;         // while the tempo grid is on: ends of phrases that miss it
    std::vector<OutputFrame> phrase_starts; // of a list of phrases, closed by its end
};

// Which copies of the arrangement are shown here, and their numbers, counted over the whole project from 0; where an
// arrangement shows one source only they follow each other.
struct ShownCopies {
    std::int64_t first = 0;
    SharedList<std::int64_t> numbers;   // empty: they follow each other from `first`
    std::shared_ptr<const CopySet> set; // all copies of the arrangement, whatever they show
    SharedList<std::uint32_t> in_set;   // where each shown one is in there; empty: all of them in order
};

// What moves its copies about the places that its rules give them.
struct MovedAbout {
    std::vector<Wobble> wobbles;    // those that are on: the source's, the arrangement's
    std::vector<Pulse> pulses;      // those that are on
    std::vector<PlaceKey> own_keys; // of a single-out: each copy about its own place
    PlaceCurve own_place;           // these keys, prepared
};

// What carries them, and on which clock; without carriers neither is used.
struct CarriedBy {
    CarrierTime time;
    Sampler sampler;
};

// The copies of one arrangement that show one source, ready to be asked about any frame.
struct ArrangementShow {
    ArrangementId id;
    Arrangement spec; // the rules of its copies; of a single-out, the other's with its own
    Rate rate;        // output frames a second

    SourceId source;
    SourceClock clock;
    bool usable = false; // its source is open; otherwise there are clocks but nothing to see
    Sampler sampler;     // where it is usable

    TimingPlan plan;
    TimingFacts timing;

    ShownCopies shown;
    CopyPlaces standing;
    SharedList<Placement> places; // as its rules say, without wobble and before anything moves
    CopyClocks clocks;            // by order, as places
    MovedAbout about;
    CarriedBy carried;

    // The number of copy i (from 0) over the project, and where it is among all copies of the arrangement.
    std::int64_t number(std::size_t i) const {
        return shown.numbers.empty() ? shown.first + static_cast<std::int64_t>(i) : shown.numbers[i];
    }
    std::size_t in_set_at(std::size_t i) const { return shown.in_set.empty() ? i : shown.in_set[i]; }
    bool moves() const {
        return !about.wobbles.empty() || !about.pulses.empty() || standing.moves() || about.own_place.keyed();
    }
};

// Whether its timing repeats endlessly a range whose last pose is its first: nothing tells one end from the other.
inline bool seamless(const ArrangementShow& a) {
    return a.plan.loop() > 0 && !a.plan.there_and_back() && std::abs(a.plan.period() - a.plan.length()) < 1e-9;
}

} // namespace garland
