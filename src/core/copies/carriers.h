// What carries copies: the points of a source, whatever moves them, or the faces of its first pose.
#pragma once

#include "core/base/progress.h"
#include "core/copies/arrangement.h"
#include "core/source/sampler.h"

#include <memory>
#include <string>
#include <unordered_map>
#include <vector>

namespace garland {

// One value a carrier; NaN where a carrier has none.
struct CarrierValues {
    std::string name;
    std::vector<float> values;
};

// Everything that is known of a source's points over all its frames, without their places at every frame.
struct Carriers {
    struct Point {
        std::int64_t id = 0;         // the file's own, or the point's number from 0
        double birth = 0, death = 0; // it is there for birth ≤ source frame < death; ∓∞ at the source's ends
        V3f place{0, 0, 0};          // at its birth; scene units
        float heading = NAN;         // degrees, by its direction or normal; NaN without
        V3f way{0, 0, 0};            // its direction, else its normal; 0 without
        float size = 1;              // its attribute "size", where there is one
        Imath::Quatd orient;         // its attribute "orient", of unit length
    };
    std::vector<Point> points;             // by id, rising
    std::vector<CarrierValues> attributes; // at birth; in the order of `points`; a vector's length is its value
    std::size_t not_finite = 0;            // points left out, as their place was not a number
    bool own_ids = false, sizes = false;
    bool moves = false;      // there is more than one frame
    bool directions = false; // `way` is a direction to look at, not a normal to stand on
    bool orients = false;    // its points say how they are turned

    const CarrierValues* find(std::string_view name) const;
};
using CarriersPtr = std::shared_ptr<const Carriers>;

// Reads every frame of a source once. Errors: those of reading, with path and frame; too_large above copy_limit points;
// unsupported for a source without points (volumes); invalid without any usable point; cancelled.
Result<CarriersPtr> find_carriers(const Sampler& source, Progress& progress = Progress::none());

// The attribute that says how points are turned, or null.
const Attribute* find_orientations(const Pose& pose);
// One of its entries as a unit quaternion; the identity for one without length.
Imath::Quatd orientation_at(const Attribute& orient, std::size_t point);

// Where carriers are at one moment, by id.
class CarrierPose {
  public:
    explicit CarrierPose(const PosePtr& pose);
    // Null where it is not there at that moment.
    const V3f* find(std::int64_t id) const;

  private:
    PosePtr pose_;
    std::unordered_map<std::int64_t, std::uint32_t> places_; // of particles
};

// Copies on the points, in the order of `carriers`, where those are at their birth.
std::vector<Placement> on_points(const Arrangement& arrangement, const Carriers& carriers);

// Where a dart hit a surface: a triangle of the pose, and where in it.
struct SurfaceSpot {
    std::uint32_t a = 0, b = 0, c = 0; // points
    float u = 0, v = 0;                // a + u·(b − a) + v·(c − a)
};
struct Scattered {
    std::vector<Placement> places; // by id
    std::vector<SurfaceSpot> spots;
    std::int64_t wanted = 0; // more than there are places when no more fit so far apart
};
// Darts thrown at the faces, each as likely as any other of the same area (barycentric by Turk 1990), kept when no
// earlier one is nearer than least_apart; full when 5000 in a row were not. Dart k depends on the seed and k alone, so
// a higher count adds copies and moves none. Errors: invalid for a pose without faces, or with faces without area;
// cancelled.
Result<Scattered> on_surface(const Arrangement& arrangement, const Pose& pose, Progress& progress = Progress::none());

} // namespace garland
