#include "app/time_axis/time_axis_paint.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"

namespace garland {

void paint_frame_numbers(QPainter& p, const TimeAxis& axis, const std::vector<double>& frames, const QRectF& row) {
    p.setPen(tokens().muted);
    for (const double f : frames) {
        p.drawText(QRectF(axis.x(f) - 40, row.top(), 80, row.height()), Qt::AlignCenter, number_text(f));
    }
}

void paint_markers(QPainter& p, const TimeAxis& axis, const std::vector<Marker>& markers, double top, double bottom) {
    const Tokens& c = tokens();
    double free_from = -1e9;
    for (const Marker& m : markers) {
        if (!axis.shows(m.at.value)) continue;
        const double x = axis.x(m.at.value);
        p.setPen(QPen(c.ok, 1, Qt::DashDotLine));
        p.drawLine(QPointF(x, top + 4), QPointF(x, bottom));
        p.setPen(Qt::NoPen);
        p.setBrush(c.ok);
        p.drawPolygon(QPolygonF({QPointF(x, top), QPointF(x + 7.5, top + 3.5), QPointF(x, top + 7)}));
        const QString name = QString::fromStdString(m.name);
        if (name.isEmpty() || x + 9 < free_from) continue;
        p.setPen(c.text);
        p.drawText(QPointF(x + 9, top + 7), name);
        free_from = x + 13 + p.fontMetrics().horizontalAdvance(name);
    }
}

} // namespace garland
