#include "core/drivers/driver_kinds.h"

#include <algorithm>

namespace garland {

namespace {

double reach_of(const DistanceFrom& d, std::span<const Placement> places) {
    if (d.reach > 0) return d.reach;
    double farthest = 0;
    for (const Placement& p : places) farthest = std::max(farthest, (p.position - d.centre).length());
    return farthest;
}

double share(const V3d& place, const V3d& centre, double reach) {
    return reach > 0 ? std::min((place - centre).length() / reach, 1.0) : 0;
}

class DistanceOfPlaces : public DriverPattern {
  public:
    DistanceOfPlaces(const DistanceFrom& d, std::span<const Placement> places)
        : centre_(d.centre), reach_(reach_of(d, places)) {}
    double at(const V3d& place, double) const override { return share(place, centre_, reach_); }

  private:
    V3d centre_;
    double reach_;
};

} // namespace

DriverKind distance_driver() {
    DriverKind k{Driver::distance, [](const DriverRule& r, std::uint64_t, const DrivenCopies& copies) {
                     const double reach = reach_of(r.distance, copies.places);
                     return each_copy(copies, [&](std::size_t i) {
                         return share(copies.places[i].position, r.distance.centre, reach);
                     });
                 }};
    k.pattern = [](const DriverRule& r, std::uint64_t, std::span<const Placement> places) -> DriverPatternPtr {
        return std::make_unique<DistanceOfPlaces>(r.distance, places);
    };
    return k;
}

} // namespace garland
