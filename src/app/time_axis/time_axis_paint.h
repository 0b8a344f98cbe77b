// What every view over time draws of it in the same way.
#pragma once

#include "app/time_axis/time_axis.h"

#include <QPainter>

namespace garland {

// Frame numbers, centred under their frames, in the current font.
void paint_frame_numbers(QPainter& p, const TimeAxis& axis, const std::vector<double>& frames, const QRectF& row);
// Markers as flags with their names, from a flag that stands at `top` down to `bottom`; names don't run into each
// other.
void paint_markers(QPainter& p, const TimeAxis& axis, const std::vector<Marker>& markers, double top, double bottom);

} // namespace garland
