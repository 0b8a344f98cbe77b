// How far a source reaches over its whole motion, not just in its first pose.
#pragma once

#include "core/source/sampler.h"

namespace garland {

struct MotionBox {
    Imath::Box3f box;        // scene units, as the sampler takes the source; empty where no pose has a point
    std::int64_t frames = 0; // how many were looked at
    bool all = false;        // every frame was
};

// Over every frame where a source has at most `most` of them, otherwise over that many, evenly spread, the first and
// the last among them. Frames that cannot be read are left out. Errors: cancelled.
Result<MotionBox> motion_box(const Sampler& sampler, std::int64_t most, Progress& progress = Progress::none());

// The distance between neighbours at which copies of something so large stand apart in every pose: a plain number, a
// tenth or more above the longer horizontal side; 1 for something without an extent.
double usual_spacing(const Imath::Box3f& box);
// The same of a box in the files' own units. z_up: the files' z is up; scale: scene units in one of theirs.
double usual_spacing(const Imath::Box3f& box, bool z_up, double scale);

} // namespace garland
