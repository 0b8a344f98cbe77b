// The time map's geometry, without a window: pixels to output frames across and source frames up.
#pragma once

#include "core/time/frames.h"

#include <QPointF>
#include <QRectF>

namespace garland {

struct MapAxes {
    QRectF plot; // pixels
    double out_low = 1, out_high = 240;
    double source_low = 0, source_high = 100;

    double x(OutputFrame t) const { return plot.left() + (t.value - out_low) / (out_high - out_low) * plot.width(); }
    double y(SourceFrame s) const {
        return plot.bottom() - (s.value - source_low) / (source_high - source_low) * plot.height();
    }
    QPointF at(OutputFrame t, SourceFrame s) const { return {x(t), y(s)}; }
    OutputFrame out(double px) const {
        return OutputFrame(out_low + (px - plot.left()) / plot.width() * (out_high - out_low));
    }
    SourceFrame source(double py) const {
        return SourceFrame(source_low + (plot.bottom() - py) / plot.height() * (source_high - source_low));
    }
    // Zooms across by a factor (below 1: closer) around a pixel; at least two frames stay in view.
    void zoom(double factor, double px) {
        const double around = out(px).value;
        const double span = (out_high - out_low) * factor;
        if (span < 2 || span > 1e8) return;
        out_low = around + (out_low - around) * factor;
        out_high = out_low + span;
    }
    void pan(double pixels) {
        const double by = -pixels / plot.width() * (out_high - out_low);
        out_low += by;
        out_high += by;
    }
};

// A step of 1, 2 or 5 times a power of ten (or of 12, 24 … for frames) so that `span` has at most `most` of them.
double nice_step(double span, int most);

} // namespace garland
