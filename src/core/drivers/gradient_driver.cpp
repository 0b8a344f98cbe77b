#include "core/drivers/driver_kinds.h"

#include <algorithm>
#include <limits>

namespace garland {

namespace {

class GradientOfPlaces : public DriverPattern {
  public:
    GradientOfPlaces(const V3d& axis, std::span<const Placement> places) : axis_(axis.normalized()) {
        for (const Placement& p : places) {
            low_ = std::min(low_, p.position.dot(axis_));
            high_ = std::max(high_, p.position.dot(axis_));
        }
    }
    double at(const V3d& place, double) const override {
        return high_ > low_ ? std::clamp((place.dot(axis_) - low_) / (high_ - low_), 0.0, 1.0) : 0.0;
    }

  private:
    V3d axis_;
    double low_ = std::numeric_limits<double>::infinity(), high_ = -low_;
};

} // namespace

DriverKind gradient_driver() {
    DriverKind k{Driver::gradient, [](const DriverRule& r, std::uint64_t, const DrivenCopies& copies) {
                     const V3d axis = r.gradient.axis.normalized();
                     DriverValues out = each_copy(copies, [&](std::size_t i) {
                         const Placement& p = copies.places[i];
                         return r.gradient.along_path ? static_cast<double>(p.along) : p.position.dot(axis);
                     });
                     stretch_to_one(out.values);
                     return out;
                 }};
    k.validate = [](const DriverRule& r) -> Result<void> {
        if (r.gradient.along_path || r.gradient.axis.length() >= 1e-9) return {};
        return fail(Error{ErrorCode::invalid, "a gradient needs a direction"}.advise(
            "give its axis, or let it follow the path"));
    };
    k.pattern = [](const DriverRule& r, std::uint64_t, std::span<const Placement> places) -> DriverPatternPtr {
        if (r.gradient.along_path) return nullptr;
        return std::make_unique<GradientOfPlaces>(r.gradient.axis, places);
    };
    return k;
}

} // namespace garland
