// Values that are directions: what turns points turns them.
#pragma once

#include "core/geometry/pose.h"

#include <algorithm>

namespace garland {

inline bool is_direction(const Attribute& a) {
    return a.vector && a.width == 3 && a.whole.empty();
}
inline bool has_directions(const std::vector<Attribute>& list) {
    return std::any_of(list.begin(), list.end(), is_direction);
}
inline bool has_directions(const Faces& faces) {
    return has_directions(faces.attributes) || has_directions(faces.corner_attributes);
}

// turn(V3f) of those that belong to the points, faces or corners [first, last).
template <class Turn>
void turn_directions(std::vector<Attribute>& list, std::size_t first, std::size_t last, const Turn& turn) {
    for (Attribute& a : list) {
        if (!is_direction(a)) continue;
        for (std::size_t i = first * 3; i < last * 3 && i + 2 < a.values.size(); i += 3) {
            const V3f v = turn(V3f(a.values[i], a.values[i + 1], a.values[i + 2]));
            a.values[i] = v.x, a.values[i + 1] = v.y, a.values[i + 2] = v.z;
        }
    }
}

// The faces with those of their values turned; the same ones where no value is a direction.
template <class Turn>
std::shared_ptr<const Faces> turned_faces(const std::shared_ptr<const Faces>& from, const Turn& turn) {
    if (!has_directions(*from)) return from;
    auto faces = std::make_shared<Faces>(*from);
    turn_directions(faces->attributes, 0, faces->count(), turn);
    turn_directions(faces->corner_attributes, 0, faces->corners.size(), turn);
    return faces;
}

} // namespace garland
