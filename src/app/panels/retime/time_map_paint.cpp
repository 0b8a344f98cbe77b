// How the time map is drawn.
#include "app/panels/retime/time_map_view.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"
#include "app/time_axis/time_axis_paint.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {
constexpr double key_radius = 5;
} // namespace

void TimeMapView::paintEvent(QPaintEvent*) {
    const Tokens& c = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(c.ground);
    p.drawRoundedRect(axes_.plot.adjusted(-2, -2, 2, 2), 4, 4);
    if (!timing()) {
        p.setPen(c.muted);
        p.drawText(rect(), Qt::AlignCenter, tr("Gather a source first: then its timing is drawn here."));
        return;
    }
    p.setFont(text_font(7.5));
    paint_grid(p);
    paint_poses(p);
    p.save();
    p.setClipRect(axes_.plot.adjusted(-1, -16, 1, 1));
    paint_beats(p);
    p.setClipRect(axes_.plot.adjusted(-1, -1, 1, 1));
    paint_phrases(p);
    paint_curve(p, shown_.plan, false);
    if (ghost_) paint_curve(p, ghost_plan_, true);
    paint_outside_words(p);
    paint_holds(p);
    paint_warnings(p);
    paint_keys(p);
    const double x = axes_.x(playhead());
    p.setPen(QPen(c.rose, 1.5));
    p.drawLine(QPointF(x, axes_.plot.top()), QPointF(x, axes_.plot.bottom()));
    if (!box_.isNull()) {
        QColor fill = c.rose;
        fill.setAlphaF(0.15f);
        p.setPen(QPen(c.rose, 1, Qt::DashLine));
        p.setBrush(fill);
        p.drawRect(box_);
    }
    p.restore();
    if (hasFocus()) {
        p.setPen(QPen(c.accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(axes_.plot.adjusted(-2, -2, 2, 2), 4, 4);
    }
}

void TimeMapView::paint_grid(QPainter& p) const {
    const Tokens& c = tokens();
    const std::vector<double> numbered = axes_.across().numbered(64);
    p.setPen(QPen(c.line, 1));
    for (const double f : numbered) {
        const double x = axes_.x(OutputFrame(f));
        p.drawLine(QPointF(x, axes_.plot.top()), QPointF(x, axes_.plot.bottom()));
    }
    paint_frame_numbers(p, axes_.across(), numbered, QRectF(0, axes_.plot.bottom() + 4, width(), 16));
    const bool frames = view_ == MapView::position;
    double step =
        nice_step(axes_.source_high - axes_.source_low, std::max(2, static_cast<int>(axes_.plot.height() / 34)));
    if (frames) step = std::max(1.0, step);
    const QString unit = frames ? QString() : view_ == MapView::speed ? QStringLiteral("×") : QStringLiteral(" %");
    for (double s = std::ceil(axes_.source_low / step) * step; s <= axes_.source_high; s += step) {
        const double y = axes_.y(SourceFrame(s));
        p.setPen(QPen(c.line, std::abs(s) < step / 2 && view_ == MapView::speed ? 2 : 1));
        p.drawLine(QPointF(axes_.plot.left(), y), QPointF(axes_.plot.right(), y));
        p.setPen(c.muted);
        p.drawText(QRectF(0, y - 8, frames ? 26 : axes_.plot.left() - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                   number_text(s) + unit);
    }
}

// Beats as fine lines, bars stronger, markers as flags with their names.
void TimeMapView::paint_beats(QPainter& p) const {
    if (timing()->slider && view_ != MapView::slider) return; // not on the output clock
    const Tokens& c = tokens();
    const Settings& s = document_.project().settings;
    const QRectF& plot = axes_.plot;
    const TimeAxis axis = axes_.across();
    for (const BeatLine& beat : beat_lines(axis, s.tempo, s.rate)) {
        QColor colour = c.accent;
        colour.setAlphaF(beat.bar ? 0.55f : 0.25f);
        p.setPen(QPen(colour, 1));
        p.drawLine(QPointF(axis.x(beat.frame), plot.top()), QPointF(axis.x(beat.frame), plot.bottom()));
    }
    paint_markers(p, axis, s.markers, plot.top() - 12, plot.bottom());
}

// Poses along the source axis, so that the pose to hold can be picked by looking.
void TimeMapView::paint_poses(QPainter& p) {
    const SourceClock* clock = this->clock();
    if (!clock || view_ != MapView::position) return;
    const int count = std::clamp(static_cast<int>(axes_.plot.height() / 40), 2, 9);
    const double ratio = devicePixelRatioF();
    const auto& images = pictures_.get(viewing_.source(), count, QSize(38, 38) * ratio);
    for (int i = 0; i < static_cast<int>(images.size()); ++i) {
        QImage image = images[static_cast<std::size_t>(i)];
        if (image.isNull()) continue;
        image.setDevicePixelRatio(ratio);
        const double y = axes_.y(PosePictures::frame_of(*clock, i, count));
        p.drawImage(QPointF(31, std::clamp(y - 19, 0.0, height() - 38.0)), image);
    }
    // The source's own ends.
    p.setPen(QPen(tokens().muted, 1, Qt::DotLine));
    for (SourceFrame end : {clock->first, clock->last()}) {
        p.drawLine(QPointF(axes_.plot.left(), axes_.y(end)), QPointF(axes_.plot.right(), axes_.y(end)));
    }
}

// One sample a pixel column; outside the span it is drawn quieter, and passes are parted by dashes.
void TimeMapView::paint_curve(QPainter& p, const TimingPlan& plan, bool ghost) const {
    const Tokens& c = tokens();
    const QRectF& plot = axes_.plot;
    QPolygonF run;
    Part part = Part::span;
    std::int64_t pass = 0;
    auto flush = [&] {
        if (ghost) {
            p.setPen(QPen(c.ok, 2, Qt::DashLine));
        } else {
            p.setPen(QPen(part == Part::span ? c.text : c.muted, part == Part::span ? 2 : 1.5, Qt::SolidLine,
                          Qt::RoundCap, Qt::RoundJoin));
        }
        // In short pieces: one long wide line takes a time that grows with the square of its points.
        constexpr qsizetype piece = 12;
        for (qsizetype i = 0; i + 1 < run.size(); i += piece) {
            p.drawPolyline(run.constData() + i, static_cast<int>(std::min(piece + 1, run.size() - i)));
        }
        run.clear();
    };
    auto shown = [&](const TimingSample& s) {
        return view_ == MapView::position ? s.source : view_ == MapView::speed ? s.slope : plan.slider_at(s);
    };
    const double frames_a_pixel = (axes_.out_high - axes_.out_low) / plot.width();
    const double units_a_pixel = (axes_.source_high - axes_.source_low) / plot.height();
    double before = 0;
    for (double x = plot.left(); x <= plot.right(); x += 1) {
        const TimingSample s = plan.at(axes_.out(x));
        const double value = shown(s);
        const QPointF at(x, std::clamp(axes_.y(SourceFrame(value)), plot.top() - 50, plot.bottom() + 50));
        const bool jump = view_ == MapView::position && !run.isEmpty() &&
                          std::abs(value - before) > 4 * std::abs(s.slope) * frames_a_pixel + 1e-6 + 2 * units_a_pixel;
        if (s.part != part || s.absent || jump || s.pass != pass) {
            if (s.pass != pass && s.part != Part::span && !jump) run << at;
            flush();
            if (!ghost && s.pass != pass && s.part != Part::span) {
                p.setPen(QPen(c.muted, 1, Qt::DashLine));
                p.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
            }
        }
        part = s.part;
        pass = s.pass;
        before = value;
        if (!s.absent) run << at;
    }
    flush();
}

void TimeMapView::paint_outside_words(QPainter& p) const {
    auto words = [](const Outside& o) {
        QString all = QString::fromUtf8(to_text(o.mode));
        if (o.mode == OutsideMode::repeat || o.mode == OutsideMode::there_and_back) {
            all += o.count ? tr(", %1×").arg(o.count) : tr(", endless");
        }
        return all;
    };
    const QRectF& plot = axes_.plot;
    p.setPen(tokens().muted);
    const double start = axes_.x(span_first(shown_.timing)),
                 end = axes_.x(span_first(shown_.timing) + span_length(shown_.timing));
    if (plot.right() - end > 40) {
        p.drawText(QRectF(end + 4, plot.bottom() - 20, plot.right() - end - 6, 16), Qt::AlignLeft,
                   words(shown_.timing.after));
    }
    if (start - plot.left() > 40) {
        p.drawText(QRectF(plot.left() + 4, plot.bottom() - 20, start - plot.left() - 8, 16), Qt::AlignRight,
                   words(shown_.timing.before));
    }
}

// Holds: a strong bar and how long they last.
void TimeMapView::paint_holds(QPainter& p) const {
    if (view_ != MapView::position) return;
    const Tokens& c = tokens();
    const auto& keys = shown_.keys.keys;
    const auto [from, to] = keys_in_view();
    for (std::size_t i = from > 0 ? from - 1 : 0; i < to && i + 1 < keys.size(); ++i) {
        if (keys[i].toward != Toward::step && keys[i].source != keys[i + 1].source) continue;
        if (keys[i].toward == Toward::free && (keys[i].leave != 0 || keys[i + 1].arrive != 0)) continue;
        const QPointF a = axes_.at(keys[i].at, keys[i].source), b(axes_.x(keys[i + 1].at), a.y());
        if (b.x() - a.x() < 3) continue;
        p.setPen(QPen(c.accent, 3, Qt::SolidLine, Qt::RoundCap));
        p.drawLine(a, b);
        if (b.x() - a.x() < 40) continue;
        const QString words =
            tr("held %1").arg(QString::fromStdString(counted_number(keys[i + 1].at - keys[i].at, "frame", "frames")));
        const double wide = p.fontMetrics().horizontalAdvance(words) + 12;
        if (wide > b.x() - a.x() + 60) continue;
        const QRectF tag((a.x() + b.x() - wide) / 2, a.y() - 22, wide, 16);
        p.setPen(Qt::NoPen);
        p.setBrush(c.raised);
        p.drawRoundedRect(tag, 4, 4);
        p.setPen(c.text);
        p.drawText(tag, Qt::AlignCenter, words);
    }
}

// Phrases: where each begins, its number, and a mark at ends that miss their beat.
void TimeMapView::paint_phrases(QPainter& p) const {
    if (shown_.phrase_starts.empty() || view_ == MapView::slider) return;
    const Tokens& c = tokens();
    const QRectF& plot = axes_.plot;
    const Settings& s = document_.project().settings;
    std::vector<OffBeat> off;
    if (s.tempo.on && !timing()->slider)
        off = off_beats(shown_.timing.phrases, shown_.timing.turn_twice, s.tempo, s.rate);
    for (std::size_t i = 0; i < shown_.phrase_starts.size(); ++i) {
        const double x = axes_.x(shown_.phrase_starts[i]);
        const bool last = i + 1 == shown_.phrase_starts.size();
        if (!last) {
            const double next = axes_.x(shown_.phrase_starts[i + 1]);
            if (i % 2 == 1) {
                QColor band = c.raised;
                band.setAlphaF(0.45f);
                p.fillRect(QRectF(x, plot.top(), next - x, plot.height()), band);
            }
            if (next - x > 12) {
                p.setPen(c.muted);
                p.drawText(QRectF(x + 3, plot.top() + 2, next - x - 4, 14), Qt::AlignLeft, QString::number(i + 1));
            }
        }
        p.setPen(QPen(c.muted, 1));
        p.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
    }
    for (const OffBeat& o : off) {
        const double x = axes_.x(o.at), b = axes_.x(o.beat);
        p.setPen(QPen(c.alert, 2));
        p.drawLine(QPointF(std::min(x, b), plot.bottom() - 3), QPointF(std::max(x, b), plot.bottom() - 3));
        p.setBrush(c.alert);
        p.setPen(Qt::NoPen);
        p.drawEllipse(QPointF(x, plot.bottom() - 3), 3, 3);
    }
}

// Never by colour alone: clamps are dotted bars at the source's end, ways backward carry slanted strokes, jumps a bolt.
void TimeMapView::paint_warnings(QPainter& p) const {
    if (view_ != MapView::position) return;
    const Tokens& c = tokens();
    const QRectF& plot = axes_.plot;
    const SourceClock* clock = this->clock();
    std::size_t drawn = 0;
    for (const MapWarning& w : shown_.warnings) {
        const double a = std::max(axes_.x(w.first), plot.left()), b = std::min(axes_.x(w.last), plot.right());
        if (b < plot.left() || a > plot.right() || ++drawn > 400) continue;
        switch (w.kind) {
        case WarningKind::clamped: {
            const double shown = value_at(w.first);
            const double y =
                clock ? axes_.y(shown > clock->last().value ? clock->last() : clock->first) : plot.top() + 4;
            p.setPen(QPen(c.alert, 3, Qt::DotLine, Qt::RoundCap));
            p.drawLine(QPointF(a, y), QPointF(std::max(b, a + 4), y));
            break;
        }
        case WarningKind::backward:
            p.setPen(QPen(c.alert, 2));
            for (double x = a; x <= b; x += 6) {
                const double y = axes_.y(SourceFrame(value_at(axes_.out(x))));
                p.drawLine(QPointF(x - 3, y - 10), QPointF(x + 3, y - 4));
            }
            // Short ways are found by their arrow at the top.
            p.setPen(Qt::NoPen);
            p.setBrush(c.alert);
            p.drawPolygon(QPolygonF({QPointF((a + b) / 2 - 6, plot.top() + 6), QPointF((a + b) / 2 + 4, plot.top() + 1),
                                     QPointF((a + b) / 2 + 4, plot.top() + 11)}));
            break;
        case WarningKind::jump: {
            const double high = axes_.y(SourceFrame(value_at(w.first))), low = axes_.y(SourceFrame(value_at(w.last)));
            const double middle = (high + low) / 2;
            QPainterPath bolt;
            bolt.moveTo(b, high);
            bolt.lineTo(b - 5, middle + 2);
            bolt.lineTo(b + 5, middle - 2);
            bolt.lineTo(b, low);
            p.setBrush(Qt::NoBrush);
            p.setPen(QPen(c.alert, 2.5));
            p.drawPath(bolt);
            break;
        }
        }
    }
}

void TimeMapView::paint_keys(QPainter& p) const {
    const Tokens& c = tokens();
    const auto& keys = shown_.keys.keys;
    const auto [from, to] = keys_in_view();
    if (to - from > static_cast<std::size_t>(axes_.plot.width() / 4)) { // too dense for rings: one tick a pixel column
        double column = -1e9;
        for (std::size_t i = from; i < to; ++i) {
            const QPointF at = axes_.at(keys[i].at, keys[i].source);
            const bool picked = std::binary_search(picked_.begin(), picked_.end(), i);
            if (at.x() - column < 1 && !picked) continue;
            column = at.x();
            p.fillRect(QRectF(at.x() - 1, at.y() - 2, 2, 4), picked ? c.rose : c.accent);
        }
        return;
    }
    for (std::size_t i = from; i < to; ++i) {
        const QPointF at = axes_.at(keys[i].at, keys[i].source);
        const bool picked = std::binary_search(picked_.begin(), picked_.end(), i);
        for (bool leave : {true, false}) {
            if (!has_handle(i, leave)) continue;
            p.setPen(QPen(c.rose, 1));
            p.drawLine(at, handle(i, leave));
            p.setBrush(c.ground);
            p.drawRect(QRectF(handle(i, leave) - QPointF(3.5, 3.5), QSizeF(7, 7)));
        }
        p.setPen(QPen(picked ? c.rose : c.accent, 2, shown_.own ? Qt::SolidLine : Qt::DotLine));
        p.setBrush(picked ? c.rose : c.ground);
        const double radius = picked ? key_radius + 1 : key_radius;
        p.drawEllipse(at, radius, radius);
    }
}

} // namespace garland
