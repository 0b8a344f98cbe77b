// The time map's geometry, without a window: pixels to output frames across and source frames up.
#pragma once

#include "app/time_axis/time_axis.h"

#include <QPointF>
#include <QRectF>

namespace garland {

struct MapAxes {
    QRectF plot; // pixels
    double out_low = 1, out_high = 240;
    double source_low = 0, source_high = 100;

    TimeAxis across() const { return {plot.left(), plot.width(), out_low, out_high}; }
    void show(const TimeAxis& axis) { out_low = axis.low, out_high = axis.high; }
    double x(OutputFrame t) const { return across().x(t.value); }
    double y(SourceFrame s) const {
        return plot.bottom() - (s.value - source_low) / (source_high - source_low) * plot.height();
    }
    QPointF at(OutputFrame t, SourceFrame s) const { return {x(t), y(s)}; }
    OutputFrame out(double px) const { return OutputFrame(across().frame(px)); }
    SourceFrame source(double py) const {
        return SourceFrame(source_low + (plot.bottom() - py) / plot.height() * (source_high - source_low));
    }
    void zoom(double factor, double px) {
        TimeAxis axis = across();
        axis.zoom(factor, px);
        show(axis);
    }
    void pan(double pixels) {
        TimeAxis axis = across();
        axis.pan(pixels);
        show(axis);
    }
};

} // namespace garland
