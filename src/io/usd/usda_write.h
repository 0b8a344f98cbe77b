// USD text written from a keyed model.
#pragma once

#include "core/geometry/keyed_model.h"
#include "core/time/rate.h"
#include "io/files/file.h"

namespace garland {

// Nodes as nested Xforms with translate, orient and scale; linear keys at their times, others sampled at every time
// code; meshes with normals, texture coordinates and colours. Metres, y up, `rate` time codes a second. Errors: exists,
// disk_full …; unsupported for morph targets and skins.
Result<void> write_usda(const std::string& path, const KeyedModel& model, Rate rate, Existing existing);

} // namespace garland
