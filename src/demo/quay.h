// The second demo: what else moves at the festival, one source of every kind. Seeded and deterministic.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/geometry/keyed_model.h"
#include "core/geometry/volume.h"
#include "core/project/project.h"

#include <string>
#include <vector>

namespace garland {

// A clay jar that drops from a cart onto the quay and breaks: 46 shards as rigid bodies (Bullet), a node each, keys on
// all 96 frames at 24 a second. Metres; the quay is y = 0. Errors: cancelled.
Result<KeyedModel> break_jar(Progress& progress = Progress::none());

// A paper pinwheel on a stick: the wheel turns by straight keys, its head sways by a cubic spline, a ribbon flips in
// steps; four seconds that loop.
KeyedModel pinwheel();

// Syrup poured onto a plate at a sweet stall: the surface of blobs that fall, gather and spread; faces change every
// frame. Frame 0 … 71, with velocities.
PosePtr pour_syrup(int frame);
inline constexpr int syrup_frames = 72;

// Cherry petals blown off a tree along the canal: ids, velocities, age and life in seconds, size; born and dying
// between frames. Frame 0 … 119.
PosePtr drift_petals(int frame);
inline constexpr int petal_frames = 120;

// Incense smoke: a small solver of moving air (J. Stam, "Stable fluids", 1999) with density, temperature and velocity.
// 60 frames, half floats. Errors: cancelled.
Result<std::vector<VolumePtr>> burn_incense(Progress& progress = Progress::none());

// A paper fan, opened by hand to five widths: meshes of equal points.
std::vector<PosePtr> fan_shapes();

// Single sources of it, into a folder that is there; files of their names are replaced.
Result<void> write_pinwheel(const std::string& folder);
Result<void> write_petals(const std::string& folder, Progress& progress = Progress::none());

// All of it in one project; paths as write_quay writes them.
Project quay_project();

// Writes all files and quay.garland into `folder`, replacing files of these names. Returns the project's path.
Result<std::string> write_quay(const std::string& folder, Progress& progress = Progress::none());

} // namespace garland
