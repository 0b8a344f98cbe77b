#include "core/drivers/noise_driver.h"

#include "core/base/noise.h"
#include "core/drivers/driver_kinds.h"

namespace garland {

namespace {

class NoiseOfPlaces : public DriverPattern {
  public:
    NoiseOfPlaces(const DriverRule& rule, std::uint64_t salt) : rule_(rule), salt_(salt) {}
    double at(const V3d& place, double seconds) const override { return noise_of(rule_, salt_, place, seconds).value; }

  private:
    DriverRule rule_;
    std::uint64_t salt_;
};

} // namespace

DriftingNoise noise_of(const DriverRule& r, std::uint64_t salt, const V3d& place, double seconds) {
    const V3d at = (place - r.noise.drift * seconds) / r.noise.patch;
    const NoiseSample n = noise_at({r.seed, salt, r.noise.detail}, at.x, at.y, at.z);
    const V3d& drift = r.noise.drift;
    return {n.value, -(n.slope[0] * drift.x + n.slope[1] * drift.y + n.slope[2] * drift.z) / r.noise.patch};
}

DriverKind noise_driver() {
    DriverKind k{Driver::noise, [](const DriverRule& r, std::uint64_t salt, const DrivenCopies& copies) {
                     return each_copy(
                         copies, [&](std::size_t i) { return noise_of(r, salt, copies.places[i].position, 0).value; });
                 }};
    k.changes = [](const DriverRule& r) { return r.noise.drift != V3d(0); };
    k.pattern = [](const DriverRule& r, std::uint64_t salt, std::span<const Placement>) -> DriverPatternPtr {
        return std::make_unique<NoiseOfPlaces>(r, salt);
    };
    return k;
}

} // namespace garland
