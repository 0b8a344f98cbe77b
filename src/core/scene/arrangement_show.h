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

// The copies of one arrangement that show one source, ready to be asked about any frame.
struct ArrangementShow {
    ArrangementId id;
    SourceId source;
    TimingPlan plan;
    TimingForm form = TimingForm::positions;
    std::string timing_name;
    std::vector<OffBeat> off_beats;         // while the tempo grid is on: ends of phrases that miss it
    std::vector<OutputFrame> phrase_starts; // of a list of phrases, closed by its end
    SourceClock clock;
    bool usable = false; // its source is open; otherwise there are clocks but nothing to see
    Sampler sampler;     // where it is usable
    // The numbers of its copies, counted over the whole project from 0; where an arrangement shows one source only they
    // follow each other.
    std::int64_t first_copy = 0;
    SharedList<std::int64_t> numbers;
    std::int64_t number(std::size_t i) const {
        return numbers.empty() ? first_copy + static_cast<std::int64_t>(i) : numbers[i];
    }

    CopyPlaces standing;
    SharedList<Placement> places;       // as its rules say, without wobble and before anything moves
    CopyClocks clocks;                  // by order, as places
    std::vector<Wobble> wobbles;        // those that are on: the source's, the arrangement's
    Rate rate;                          // output frames a second
    Arrangement spec;                   // the rules of its copies; of a single-out, the other's with its own
    std::shared_ptr<const CopySet> set; // all copies of the arrangement, whatever they show
    SharedList<std::uint32_t> in_set;   // where each of its copies is in there; empty: all of them in order
    std::size_t in_set_at(std::size_t i) const { return in_set.empty() ? i : in_set[i]; }
    CarrierTime carrier;
    Sampler carrier_sampler;   // where copies are carried
    std::vector<Pulse> pulses; // those that are on
    PlaceCurve own_place;      // of a single-out: each copy about its own place
    std::vector<PlaceKey> own_keys;
    bool moves() const { return !wobbles.empty() || !pulses.empty() || standing.moves() || own_place.keyed(); }
};

// Whether its timing repeats endlessly a range whose last pose is its first: nothing tells one end from the other.
inline bool seamless(const ArrangementShow& a) {
    return a.plan.loop() > 0 && !a.plan.there_and_back() && std::abs(a.plan.period() - a.plan.length()) < 1e-9;
}

} // namespace garland
