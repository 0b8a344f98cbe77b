// The copies of an arrangement as its rules make them, before any frame is asked about: where each stands, in order,
// and what every spread gives it.
#pragma once

#include "core/base/shared_list.h"
#include "core/copies/spread_values.h"

namespace garland {

// What an arrangement on a source stands on; null while it is not known yet.
struct CopyGroundwork {
    CarriersPtr carriers; // points
    PosePtr surface;      // scatter: the source's first pose
    bool operator==(const CopyGroundwork&) const = default;
};

struct GivenValues {
    Spread spread;
    SharedList<double> values; // one a copy
    std::string note;
};

struct CopySet {
    Arrangement spec; // what it was made from
    CopyGroundwork ground;
    SharedList<Placement> places;         // in order, jitter and stretch included, spreads not
    SharedList<std::uint32_t> carrier_of; // points: each copy's place among the carriers
    SharedList<SurfaceSpot> spots;        // scatter
    std::vector<GivenValues> given;       // one a spread, as they stand in the spec
    std::string problem;                  // why there are no copies
    std::string note;                     // "73 of 100 copies fit so far apart"
};

// before: an earlier set of the same arrangement; whatever its rules give alike is taken over instead of made again.
CopySet make_copies(const Arrangement& spec, const CopyGroundwork& ground, const CopySet* before = nullptr);

// By how much jitter moves a copy; scene units.
V3d jitter_of(const Jitter& jitter, CopyId copy);

// Which of the sources each copy shows: 0 the arrangement's own, then its variants in turn. By weight: the hash of the
// copy's id (or what spreads of the target variant give) says where it falls among the weights.
std::vector<std::uint32_t> variants_of(const CopySet& set);

} // namespace garland
