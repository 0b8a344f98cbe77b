// The boxes of clouds in a tree of their own, for finding those that a way goes through.
#pragma once

#include "render/trace_inside.h"

namespace garland {

// The list must stay where it is for as long as the tree is asked.
EmbreeScene boxes_of(RTCDevice device, const std::vector<TraceScene::Cloud>& clouds);

} // namespace garland
