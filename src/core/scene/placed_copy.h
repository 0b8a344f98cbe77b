// One copy's geometry where it stands: the only place where a pose meets a place.
#pragma once

#include "core/geometry/volume.h"
#include "core/scene/posed.h"
#include "core/scene/written_as.h"

#include <vector>

namespace garland {

struct PlacedCopy {
    WrittenAs as{}; // in which space, and whether velocities and attributes are kept
    std::vector<V3f> points{}, normals{}, corner_normals{},
        velocities{};                     // as the pose has them; velocities in scene units a second of output
    std::vector<Attribute> turned{};      // the pose's attributes, where one of them is a direction; otherwise empty
    std::shared_ptr<const Faces> faces{}; // the pose's, or where one of their values is a direction others like them

    const std::vector<Attribute>& attributes(const Pose& pose) const {
        static const std::vector<Attribute> none;
        if (!as.attributes) return none;
        return turned.empty() ? pose.attributes : turned;
    }
};

// Points, normals and velocities of copy `i`, which must show a pose: stretched, sized, turned and moved; velocities
// are the source's times the local speed, and a wobble's own. All of it in the space of `out.as`.
void place_copy(const Posed& posed, std::size_t i, PlacedCopy& out);

// Its points alone, to the bit the same; out: room for as many as the pose has.
void place_points(const Posed& posed, std::size_t i, const WrittenAs& as, V3f* out);

// Its faces: the pose's, where none of their values is a direction or no values are kept.
std::shared_ptr<const Faces> placed_faces(const Posed& posed, std::size_t i, const WrittenAs& as);

// What a source velocity is times in the result: source units a second of the source's clock become units a second of
// output, at the copy's local speed.
double velocity_factor(const Posed& posed, std::size_t copy);

// Where a copy's volume stands, in the space that is written.
VolumePlace volume_place(const Placement& place, const WrittenAs& as);

} // namespace garland
