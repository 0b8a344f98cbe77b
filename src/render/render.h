// Traces one output frame of a show into a picture.
#pragma once

#include "render/picture.h"
#include "render/trace_scene.h"

#include <optional>

namespace garland {

// Through the project's camera at t, or another one that stands still. Each sample takes one ray to the key light and
// one to the sky; its places in pixel, shutter, light and sky come from an additive recurrence in seven dimensions (M.
// Roberts, "The unreasonable effectiveness of quasirandom sequences", 2018), moved for every pixel by a hash of pixel
// and frame (R. Cranley and T. Patterson 1976). So a frame has the same bytes whatever the number of threads. Errors:
// invalid, of the look; those of reading; cancelled.
Result<Picture> render_frame(const Show& show, const Project& project, OutputFrame t, const PreviewLook& look,
                             Progress& progress = Progress::none(), const std::optional<Camera>& camera = {});

// With the colour twins and nothing marked: marks the copies that have a twin, by the project's rule, over its range.
// To be done once for all frames. Errors: cancelled.
Result<void> mark_twins(const Show& show, PreviewLook& look, Progress& progress = Progress::none());

// The spread that colour spread shows: the look's own, or the first there is; null: there is none.
const GivenValues* shown_spread(const Show& show, const Project& project, const PreviewLook& look,
                                ArrangementId* of = nullptr);

// The same of a scene that is ready, through any camera. later: the camera one output frame later, for the motion pass.
Result<Picture> render_scene(const TraceScene& scene, const Camera& camera, const Camera& later, OutputFrame t,
                             const PreviewLook& look, Progress& progress = Progress::none());

} // namespace garland
