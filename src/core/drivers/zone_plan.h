// A zone prepared for evaluation: its level at any place and output frame, how fast that changes, and when it crosses a
// distance. The distances of ball, box, cylinder, plane and line segment are exact (I. Quilez, "Distance functions",
// 2008, from memory).
#pragma once

#include "core/drivers/distance_grid.h"
#include "core/drivers/zone.h"
#include "core/geometry/path.h"

#include <array>
#include <span>

namespace garland {

// How a place moves: still, or given at whole output frames from `first` on and straight between them; still before and
// after.
class PlaceTrack {
  public:
    PlaceTrack() = default;
    explicit PlaceTrack(const V3d& still) : still_(still) {}
    PlaceTrack(std::int64_t first, std::vector<V3f> places) : first_(first), places_(std::move(places)) {}
    bool moves() const { return places_.size() > 1; }
    double first() const { return static_cast<double>(first_); }
    double last() const { return static_cast<double>(first_) + static_cast<double>(places_.size()) - 1; }
    struct At {
        V3d place{0, 0, 0}, rate{0, 0, 0}; // rate: scene units per output frame
    };
    At at(double t) const;
    double fastest(double from, double to) const; // the most |rate| between two output frames

  private:
    V3d still_{0, 0, 0};
    std::int64_t first_ = 0;
    std::vector<V3f> places_;
};

// What carries a zone, at whole output frames from `first` on: added to the place of its keys; straight between them.
struct ZoneCarriage {
    std::int64_t first = 0;
    std::vector<V3d> places;
    bool operator==(const ZoneCarriage&) const = default;
};

class ZonePlan {
  public:
    ZonePlan() = default;
    // The zone must be valid. grid: of shape mesh; without it the zone reaches nothing.
    ZonePlan(const Zone& zone, DistanceGridPtr grid = {}, const ZoneCarriage& carriage = {});
    const Zone& zone() const { return zone_; }
    bool made_of(const Zone& zone, const DistanceGridPtr& grid, const ZoneCarriage& carriage) const {
        return grid_ == grid && zone_ == zone && carriage_ == carriage;
    }

    // The zone's own place, turn and size at an output frame.
    ZoneKey pose_at(double t) const;

    struct Motion {
        V3d place{0, 0, 0}, turn{0, 0, 0}, place_rate{0, 0, 0}, turn_rate{0, 0, 0}; // degrees
        double size = 1, size_rate = 0;
    };
    // How it stands and moves at one output frame: the same for every copy.
    struct Moment {
        Motion motion;
        Axes axes;
        V3d spin{0, 0, 0}; // radians per output frame, about the axes of the scene
    };
    Moment moment(double t) const;

    struct Distance {
        double value = 0, rate = 0;     // from its surface, scene units, negative inside; per output frame
        double size = 1, size_rate = 0; // of the zone: its edge shrinks and grows with it
    };
    Distance distance(const Moment& moment, const PlaceTrack::At& copy) const;
    Distance distance(double t, const PlaceTrack::At& copy) const { return distance(moment(t), copy); }

    struct Level {
        double value = 0, rate = 0; // 0 … 1; per output frame
    };
    Level level(const Distance& distance) const;
    Level level(double t, const PlaceTrack::At& copy) const { return level(distance(t, copy)); }
    // The same about a moment; copies clear of a ball's edge, which most are, by their squared distance, without roots
    // and gradients.
    Level level(const Moment& moment, const PlaceTrack::At& copy) const;

    // Where its motion begins, bends and ends: output frames, rising; empty for a zone that stands still.
    std::span<const double> bends() const { return bends_; }
    // |d distance/dt| + |ring| · |d size/dt| between two output frames, at most, for a copy on its track. No bend may
    // lie between them.
    double steepest(double from, double to, const PlaceTrack& copy, double ring) const;
    // The distances, at size 1, at which its level bends: outer, keys of its response, inner. Falling.
    std::span<const double> rings() const { return rings_; }
    // The distances, at size 1, at which its level is `level`; none where it only jumps across it.
    std::vector<double> rings_at(double level) const;

  private:
    struct Segment {
        double from = 0, wide = 1;
        std::array<std::array<double, 4>, 7> c{}; // place, turn (degrees), size: powers of t − from
    };
    Motion motion(double t) const;
    double shape(const V3d& local, V3d& gradient) const;
    const Segment* segment_at(double t) const;

    Zone zone_;
    DistanceGridPtr grid_;
    ZoneCarriage carriage_;
    std::vector<V3d> line_; // tube
    CurvePlan response_{0.0};
    std::vector<Segment> segments_;
    Motion before_, after_;
    std::vector<double> bends_, rings_;
    double radius_ = 0; // of a ball about its own place that holds it, at size 1; a wall: 0
};

} // namespace garland
