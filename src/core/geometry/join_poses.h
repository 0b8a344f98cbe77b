// Several meshes in one pose, one after another.
#pragma once

#include "core/geometry/pose.h"

namespace garland {

// Collects poses and puts them together: points, faces and everything that is kept for them. What only some of them
// have is filled up: velocities and numbers by 0, colours by 1, texture coordinates by 0, materials by the name "".
// Normals are kept where all have them: of corners, as soon as one has those. Attributes of one name but another width
// or kind get the first one's form: numbers are converted, other widths left out.
class PoseJoiner {
  public:
    void add(const Pose& one, std::int32_t part); // part: the value of the attribute `part` at its points
    std::size_t count() const { return added_; }
    // The joined pose; `parts`: with the attribute `part` behind all others, where no pose has one of its own.
    Pose take(bool parts);

  private:
    void add_normals(const Pose& one);
    std::size_t added_ = 0;
    bool normals_ = true;
    Pose all_;
    Faces faces_;
    Attribute part_{"part", 1};
};

} // namespace garland
