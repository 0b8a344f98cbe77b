// A small picture of a pose, drawn without OpenGL: lit triangles with a depth buffer.
#pragma once

#include "core/geometry/pose.h"

#include <QColor>
#include <QImage>

namespace garland {

struct PictureStyle {
    QColor paint{"#E8C277"}; // used where the pose has no colours
    bool use_colours = true;
    Imath::Box3f frame; // what fits into the picture; empty: the pose's own box
};

// width × height pixels on a transparent ground, seen from the front and a little from above. Safe on any thread.
QImage pose_picture(const Pose& pose, int width, int height, const PictureStyle& style);

} // namespace garland
