// One copy's geometry where it stands.
#pragma once

#include "core/project/show.h"

#include <vector>

namespace garland {

struct PlacedCopy {
    std::vector<V3f> points, normals, velocities; // as the pose has them; velocities in scene units a second of output
    std::vector<Attribute> turned; // the pose's attributes, where one of them is a direction; otherwise empty

    const std::vector<Attribute>& attributes(const Pose& pose) const {
        return turned.empty() ? pose.attributes : turned;
    }
};

// Points, normals and velocities of copy `i`, which must show a pose: stretched, sized, turned and moved; velocities
// are the source's times the local speed, and a wobble's own.
void place_copy(const Posed& posed, std::size_t i, const Show& show, PlacedCopy& out);

// What a source velocity is times in the result: source units a second of the source's clock become units a second of
// output, at the copy's local speed.
double velocity_factor(const Posed& posed, std::size_t copy, const Show& show);

} // namespace garland
