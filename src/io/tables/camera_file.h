// The project's camera as a file of its own: USD text, glTF, or a table.
#pragma once

#include "core/base/progress.h"
#include "core/project/project.h"
#include "core/scene/written_as.h"
#include "io/files/file.h"

#include <string>

namespace garland {

struct CameraOrder {
    std::string path; // .usda, .gltf or .csv says which
    FrameSteps frames;
    double aspect = 16.0 / 9.0; // width over height of the picture
    Existing existing = Existing::refuse;
    WrittenAs as{}; // of USD
};

// USD: a Camera with a matrix, a focal length and apertures for every frame asked for, time codes being output frames
// (vertical field of view = 2·atan(vertical aperture / 2 focal length): UsdGeomCamera). glTF 2.0: a node with
// translations and rotations, seconds from the first frame on; it has one field of view, so a camera whose field of
// view changes is refused. CSV: a row a frame, as the command camera prints it. All keys are taken at whole output
// frames; between them readers go straight. Errors: invalid for an ending that is none of these, an empty range or an
// aspect of 0; unsupported as said; those of writing.
Result<void> write_camera(const Project& project, const CameraOrder& order);

// A row of the table, and its heading.
std::string camera_table_header();
std::string camera_table_row(double frame, const Camera& camera);

} // namespace garland
