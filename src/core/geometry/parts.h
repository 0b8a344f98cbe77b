// Parts of a pose: the points of some nodes or pieces, with the faces between them.
#pragma once

#include "core/geometry/pose.h"

#include <memory>
#include <mutex>
#include <vector>

namespace garland {

// The number of the part that each point belongs to: its attribute "part" or "piece", or the "group" of its faces;
// empty where there are no parts.
std::vector<std::int32_t> part_numbers(const Pose& pose);

// Takes the same parts out of pose after pose: faces that do not change stay shared. Safe on several threads.
class PartTaker {
  public:
    // parts: rising. keep: those parts; otherwise everything but them.
    PartTaker(std::vector<std::int32_t> parts, bool keep) : parts_(std::move(parts)), keep_(keep) {}
    const std::vector<std::int32_t>& parts() const { return parts_; }
    bool keeps() const { return keep_; }
    PosePtr take(const PosePtr& pose) const; // a pose without parts has none of them

  private:
    struct Choice {
        std::weak_ptr<const Faces> from;
        std::vector<std::uint32_t> points, corners; // kept ones
        std::shared_ptr<const Faces> faces;
    };
    std::shared_ptr<const Choice> choice(const Pose& pose) const;
    std::vector<std::int32_t> parts_;
    bool keep_;
    mutable std::mutex mutex_;
    mutable std::shared_ptr<const Choice> last_;
};

} // namespace garland
