// Where an arrangement's copies are at an output frame: carried, turned toward a target, sized and turned by spreads
// whose amount changes. Wobble comes on top (wobble.h).
#pragma once

#include "core/copies/spread_in_time.h"
#include "core/time/rate.h"

#include <array>
#include <optional>
#include <span>
#include <vector>

namespace garland {

// The poses of what carries copies: at the moment; a moment later (where velocities are faced); a whole output frame
// before and after (where copies bank). Null where they are not needed.
struct CarrierPoses {
    PosePtr now, later, frame_before, frame_after;
};

class CopyPlaces {
  public:
    CopyPlaces() = default;
    CopyPlaces(const CopySet& set, Rate rate, const SpreadLevels& levels = {});
    CopyPlaces part(std::span<const std::uint32_t> which) const;

    // As the rules say, with all amounts whole; carried ones where they are born.
    const SharedList<Placement>& still() const { return still_; }
    // What stands still is all there is to know.
    bool moves() const {
        return carried_ || !changing_.empty() || target_.has_value() || spec_facing_ == Facing::velocity ||
               curve_.keyed();
    }
    bool carried() const { return carried_; } // the poses of what carries them are needed
    bool faces_velocity() const { return carried_ && spec_facing_ == Facing::velocity; }
    bool banks() const { return faces_velocity() && !spec_->attitude.upright && spec_->attitude.bank > 0; }
    bool leans() const {
        return spec_ && (!spec_->attitude.upright || leaning(spec_->place_keys));
    } // copies may be tilted
    static bool leaning(std::span<const PlaceKey> keys);

    // gone: where asked for, 1 for copies whose carrier is not there.
    std::vector<Placement> at(double t, const CarrierPoses& carrier, std::vector<std::uint8_t>* gone = nullptr) const;

    // The output frames at which places jump: where keys of places or targets are steps.
    const std::vector<double>& jumps() const { return jumps_; }

    // Each copy's share of the wobble at an output frame; empty: all of it.
    std::vector<float> wobble_amounts(double t) const;

  private:
    struct Share {
        Spread spread;
        CurvePlan amount;
        SharedList<double> values;
        std::optional<SpreadInTime> in_time{};
    };
    double value_at(const Share& s, std::size_t copy, double t) const;
    void carry(std::vector<Placement>& places, const CarrierPoses& carrier, std::vector<std::uint8_t>* gone) const;
    void move_whole(std::vector<Placement>& places, double t) const;
    SharedList<Placement> still_;
    std::vector<Share> changing_, wobbles_;
    SharedList<SurfaceSpot> spots_;
    std::shared_ptr<const Arrangement> spec_;
    Facing spec_facing_ = Facing::fixed;
    std::optional<std::array<CurvePlan, 3>> target_;
    PlaceCurve curve_; // of the arrangement as a whole
    std::vector<double> jumps_;
    bool carried_ = false;
    bool on_points_ = false, on_directions_ = false;
    double seconds_a_frame_ = 1.0 / 24;
};

// The cords of a garland (see arrangement.h) at an output frame: moved as a whole with its copies.
std::vector<std::vector<V3d>> cords_at(const Arrangement& arrangement, double t);

} // namespace garland
