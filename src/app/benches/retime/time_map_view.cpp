#include "app/benches/retime/time_map_view.h"

#include "app/theme/tokens.h"
#include "core/base/numbers.h"
#include "core/time/map_edits.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {
constexpr int left_space = 74, right_space = 12, top_space = 14, bottom_space = 22;
constexpr double key_radius = 5;
QString text(double value, int decimals = 3) {
    return QString::fromStdString(short_number(value, decimals));
}
} // namespace

double nice_step(double span, int most) {
    double step = 1;
    for (double candidate :
         {1., 2., 5., 10., 12., 24., 48., 96., 120., 240., 480., 1000., 2000., 5000., 1e4, 1e5, 1e6, 1e7, 1e8}) {
        step = candidate;
        if (span / candidate <= most) break;
    }
    return step;
}

TimeMapView::TimeMapView(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing), pictures_(document) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Time map"));
    setMinimumHeight(150);
    setToolTip({});
    connect(&document_, &Document::changed, this, [this] {
        const Timing* t = timing();
        if (t && selected_ >= static_cast<int>(t->map.keys.size())) select(-1);
        place_axes();
        update();
    });
    connect(&viewing_, &Viewing::frame_changed, this, qOverload<>(&QWidget::update));
    connect(&viewing_, &Viewing::selection_changed, this, [this] {
        if (shown_ != viewing_.timing()) {
            own_view_ = false;
            select(-1);
        }
        place_axes();
        update();
    });
    connect(&document_, &Document::opened, this, &TimeMapView::show_all);
    connect(&pictures_, &PosePictures::ready, this, qOverload<>(&QWidget::update));
    place_axes();
}

const Timing* TimeMapView::timing() const {
    return document_.project().timing(viewing_.timing());
}

void TimeMapView::show_all() {
    own_view_ = false;
    place_axes();
    update();
}

void TimeMapView::place_axes() {
    axes_.plot = QRectF(left_space, top_space, std::max(20, width() - left_space - right_space),
                        std::max(20, height() - top_space - bottom_space));
    const Timing* t = timing();
    shown_ = viewing_.timing();
    if (!t) return;
    const FrameRange range = document_.project().settings.range;
    if (!own_view_) {
        axes_.out_low = std::min(static_cast<double>(range.first), t->map.first().value);
        axes_.out_high = std::max(static_cast<double>(range.last), t->map.last().value);
        if (axes_.out_high - axes_.out_low < 2) axes_.out_high = axes_.out_low + 2;
    }
    if (drag_ == Drag::key) return; // the source axis keeps still under a dragged key
    double low = 1e300, high = -1e300;
    for (const Key& k : t->map.keys) {
        low = std::min(low, k.source.value);
        high = std::max(high, k.source.value);
    }
    if (const auto s = document_.show()->samplers.find(viewing_.source()); s != document_.show()->samplers.end()) {
        low = std::min(low, s->second.clock().first.value);
        high = std::max(high, s->second.clock().last().value);
    }
    if (high - low < 1) high = low + 1;
    const double margin = (high - low) * 0.06;
    axes_.source_low = low - margin;
    axes_.source_high = high + margin;
}

void TimeMapView::resizeEvent(QResizeEvent*) {
    place_axes();
}

void TimeMapView::select(int key) {
    if (key == selected_) return;
    selected_ = key;
    emit key_selected(key);
    update();
}

int TimeMapView::key_at(QPointF pixel) const {
    const Timing* t = timing();
    if (!t) return -1;
    int best = -1;
    double nearest = key_radius + 4;
    for (std::size_t i = 0; i < t->map.keys.size(); ++i) {
        const QPointF d = axes_.at(t->map.keys[i].at, t->map.keys[i].source) - pixel;
        const double distance = std::hypot(d.x(), d.y());
        if (distance < nearest) nearest = distance, best = static_cast<int>(i);
    }
    return best;
}

void TimeMapView::paintEvent(QPaintEvent*) {
    const Tokens& c = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(c.ground);
    p.drawRoundedRect(axes_.plot.adjusted(-2, -2, 2, 2), 4, 4);
    const Timing* t = timing();
    if (!t) {
        p.setPen(c.muted);
        p.drawText(rect(), Qt::AlignCenter, tr("Gather a source first: then its timing is drawn here."));
        return;
    }
    // Grid and numbers.
    p.setFont(text_font(7.5));
    const double out_step =
        nice_step(axes_.out_high - axes_.out_low, std::max(2, static_cast<int>(axes_.plot.width() / 64)));
    for (double f = std::ceil(axes_.out_low / out_step) * out_step; f <= axes_.out_high; f += out_step) {
        const double x = axes_.x(OutputFrame(f));
        p.setPen(QPen(c.line, 1));
        p.drawLine(QPointF(x, axes_.plot.top()), QPointF(x, axes_.plot.bottom()));
        p.setPen(c.muted);
        p.drawText(QRectF(x - 30, axes_.plot.bottom() + 4, 60, 16), Qt::AlignCenter, text(f));
    }
    const double step =
        nice_step(axes_.source_high - axes_.source_low, std::max(2, static_cast<int>(axes_.plot.height() / 34)));
    for (double s = std::ceil(axes_.source_low / step) * step; s <= axes_.source_high; s += step) {
        const double y = axes_.y(SourceFrame(s));
        p.setPen(QPen(c.line, 1));
        p.drawLine(QPointF(axes_.plot.left(), y), QPointF(axes_.plot.right(), y));
        p.setPen(c.muted);
        p.drawText(QRectF(0, y - 8, 26, 16), Qt::AlignRight | Qt::AlignVCenter, text(s));
    }
    // Poses along the source axis, so that the pose to hold can be picked by looking.
    if (const auto s = document_.show()->samplers.find(viewing_.source()); s != document_.show()->samplers.end()) {
        const SourceClock& clock = s->second.clock();
        const int count = std::clamp(static_cast<int>(axes_.plot.height() / 40), 2, 9);
        const double ratio = devicePixelRatioF();
        const auto& images = pictures_.get(viewing_.source(), count, QSize(38, 38) * ratio);
        for (int i = 0; i < static_cast<int>(images.size()); ++i) {
            QImage image = images[static_cast<std::size_t>(i)];
            if (image.isNull()) continue;
            image.setDevicePixelRatio(ratio);
            const double y = axes_.y(PosePictures::frame_of(clock, i, count));
            p.drawImage(QPointF(31, std::clamp(y - 19, 0.0, height() - 38.0)), image);
        }
        // The source's own ends.
        p.setPen(QPen(c.muted, 1, Qt::DotLine));
        for (SourceFrame end : {clock.first, clock.last()}) {
            p.drawLine(QPointF(axes_.plot.left(), axes_.y(end)), QPointF(axes_.plot.right(), axes_.y(end)));
        }
    }

    p.save();
    p.setClipRect(axes_.plot.adjusted(-1, -1, 1, 1));
    // The curve, one sample a pixel column; outside the span it is drawn quieter, and passes are parted by dashes.
    const TimingPlan plan(*t);
    QPolygonF run;
    Part part = Part::span;
    std::int64_t pass = 0;
    auto flush = [&] {
        p.setPen(QPen(part == Part::span ? c.text : c.muted, part == Part::span ? 2 : 1.5));
        if (run.size() > 1) p.drawPolyline(run);
        run.clear();
    };
    double before = 0;
    for (double x = axes_.plot.left(); x <= axes_.plot.right(); x += 1) {
        const TimingSample s = plan.at(axes_.out(x));
        const QPointF at(x, axes_.y(SourceFrame(s.source)));
        const bool jump =
            !run.isEmpty() && std::abs(s.source - before) >
                                  4 * std::abs(s.slope) * (axes_.out_high - axes_.out_low) / axes_.plot.width() + 1e-6 +
                                      0.5 * (axes_.source_high - axes_.source_low) / axes_.plot.height() * 4;
        if (s.part != part || s.absent || jump || s.pass != pass) {
            if (s.pass != pass && s.part != Part::span && !jump) run << at;
            flush();
            if (s.pass != pass && s.part != Part::span) {
                p.setPen(QPen(c.muted, 1, Qt::DashLine));
                p.drawLine(QPointF(x, axes_.plot.top()), QPointF(x, axes_.plot.bottom()));
            }
        }
        part = s.part;
        pass = s.pass;
        before = s.source;
        if (!s.absent) run << at;
    }
    flush();
    auto outside_words = [](const Outside& o) {
        QString words = QString::fromUtf8(to_text(o.mode));
        if (o.mode == OutsideMode::repeat || o.mode == OutsideMode::there_and_back) {
            words += o.count ? tr(", %1×").arg(o.count) : tr(", endless");
        }
        return words;
    };
    p.setFont(text_font(7.5));
    p.setPen(c.muted);
    const double end = axes_.x(t->map.last()), start = axes_.x(t->map.first());
    if (axes_.plot.right() - end > 40) {
        p.drawText(QRectF(end + 4, axes_.plot.bottom() - 36, axes_.plot.right() - end - 6, 16), Qt::AlignLeft,
                   outside_words(t->after));
    }
    if (start - axes_.plot.left() > 40) {
        p.drawText(QRectF(axes_.plot.left() + 4, axes_.plot.bottom() - 36, start - axes_.plot.left() - 8, 16),
                   Qt::AlignRight, outside_words(t->before));
    }
    // Holds: a strong bar and how long they last.
    const auto& keys = t->map.keys;
    for (std::size_t i = 0; i + 1 < keys.size(); ++i) {
        if (keys[i].toward != Toward::step && keys[i].source != keys[i + 1].source) continue;
        if (keys[i].toward == Toward::free && (keys[i].leave != 0 || keys[i + 1].arrive != 0)) continue;
        const QPointF a = axes_.at(keys[i].at, keys[i].source), b(axes_.x(keys[i + 1].at), a.y());
        p.setPen(QPen(c.accent, 3, Qt::SolidLine, Qt::RoundCap));
        p.drawLine(a, b);
        if (b.x() - a.x() < 40) continue;
        const QString words = tr("held %1 frames").arg(text(keys[i + 1].at - keys[i].at));
        const double wide = p.fontMetrics().horizontalAdvance(words) + 12;
        const QRectF tag((a.x() + b.x() - wide) / 2, a.y() - 22, wide, 16);
        p.setPen(Qt::NoPen);
        p.setBrush(c.raised);
        p.drawRoundedRect(tag, 4, 4);
        p.setPen(c.text);
        p.drawText(tag, Qt::AlignCenter, words);
    }
    // Keys.
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const QPointF at = axes_.at(keys[i].at, keys[i].source);
        const bool picked = static_cast<int>(i) == selected_;
        p.setPen(QPen(picked ? c.rose : c.accent, 2));
        p.setBrush(picked ? c.rose : c.ground);
        p.drawEllipse(at, picked ? key_radius + 1 : key_radius, picked ? key_radius + 1 : key_radius);
    }
    // The playhead, and where the current copy stands on the map.
    const double x = axes_.x(viewing_.frame());
    p.setPen(QPen(c.rose, 1.5));
    p.drawLine(QPointF(x, axes_.plot.top()), QPointF(x, axes_.plot.bottom()));
    p.restore();
    if (hasFocus()) {
        p.setPen(QPen(c.accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(axes_.plot.adjusted(-2, -2, 2, 2), 4, 4);
    }
}

QString TimeMapView::words_for(const Key& key) const {
    const Timing* t = timing();
    const TimingSample s = TimingPlan(*t).at(key.at);
    const bool between = key.source.value != std::floor(key.source.value);
    return tr("output frame %1 shows source frame %2 · leaves at %3×%4")
        .arg(text(key.at.value), text(key.source.value), QString::number(s.slope, 'f', 2),
             between ? tr(" · a pose made between frames") : QString());
}

void TimeMapView::move_selected(OutputFrame at, SourceFrame source, bool merge) {
    const TimingId id = viewing_.timing();
    const Timing* t = timing();
    if (!t || selected_ < 0) return;
    const auto index = static_cast<std::size_t>(selected_);
    const auto& keys = t->map.keys;
    // A key stays between its neighbours, one frame away from each.
    double low = -frame_limit, high = frame_limit;
    if (index > 0) low = std::min(keys[index - 1].at.value + 1, keys[index].at.value);
    if (index + 1 < keys.size()) high = std::max(keys[index + 1].at.value - 1, keys[index].at.value);
    at = OutputFrame(std::clamp(at.value, low, high));
    document_.edit(
        tr("Move a key"),
        [&](Project& p) -> Result<void> {
            GARLAND_TRY(map, move_key(p.timing(id)->map, index, at, source));
            p.timing(id)->map = std::move(map);
            return {};
        },
        merge ? QStringLiteral("map-key") : QString());
    emit readout(words_for(timing()->map.keys[index]));
}

void TimeMapView::mousePressEvent(QMouseEvent* event) {
    last_ = event->position();
    if (event->button() == Qt::RightButton || event->button() == Qt::MiddleButton) {
        drag_ = Drag::pan;
        return;
    }
    const Timing* t = timing();
    if (!t) return;
    const int key = key_at(event->position());
    if (key >= 0) {
        select(key);
        drag_ = Drag::key;
        const Key& k = t->map.keys[static_cast<std::size_t>(key)];
        grip_ = event->position() - axes_.at(k.at, k.source);
        emit readout(words_for(k));
        return;
    }
    select(-1);
    drag_ = Drag::frame;
    viewing_.set_frame(std::round(axes_.out(event->position().x()).value));
}

void TimeMapView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    switch (drag_) {
    case Drag::key: {
        const bool fractions = event->modifiers() & Qt::ShiftModifier;
        auto snap = [&](double v) { return fractions ? std::round(v * 100) / 100 : std::round(v); };
        const QPointF to = at - grip_;
        move_selected(OutputFrame(snap(axes_.out(to.x()).value)), SourceFrame(snap(axes_.source(to.y()).value)), true);
        return;
    }
    case Drag::frame: viewing_.set_frame(std::round(axes_.out(at.x()).value)); return;
    case Drag::pan:
        axes_.pan(at.x() - last_.x());
        own_view_ = true;
        last_ = at;
        update();
        return;
    case Drag::none: break;
    }
    setCursor(key_at(at) >= 0 ? Qt::SizeAllCursor : Qt::ArrowCursor);
    const Timing* t = timing();
    if (!t || !axes_.plot.contains(at)) return emit readout({});
    const int key = key_at(at);
    if (key >= 0) return emit readout(words_for(t->map.keys[static_cast<std::size_t>(key)]));
    const OutputFrame f(std::round(axes_.out(at.x()).value));
    const TimingSample s = TimingPlan(*t).at(f);
    emit readout(s.absent ? tr("output frame %1 shows nothing").arg(text(f.value))
                          : tr("output frame %1 shows source frame %2 at %3×")
                                .arg(text(f.value), text(s.source, 2), QString::number(s.slope, 'f', 2)));
}

void TimeMapView::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::key) {
        document_.end_merge();
        drag_ = Drag::none;
        place_axes();
        update();
    }
    drag_ = Drag::none;
}

void TimeMapView::mouseDoubleClickEvent(QMouseEvent* event) {
    const Timing* t = timing();
    if (!t || key_at(event->position()) >= 0) return;
    const TimingId id = viewing_.timing();
    Key key;
    key.at = OutputFrame(std::round(axes_.out(event->position().x()).value));
    key.source = SourceFrame(std::round(axes_.source(event->position().y()).value));
    const bool added =
        document_.edit(tr("Add a key at frame %1").arg(text(key.at.value)), [&](Project& p) -> Result<void> {
            auto& map = p.timing(id)->map;
            for (const Key& k : map.keys) {
                if (k.at <= key.at && k.toward != Toward::free) key.toward = k.toward;
            }
            GARLAND_TRY(next, insert_key(map, key));
            map = std::move(next);
            return {};
        });
    if (!added) return;
    const auto& keys = timing()->map.keys;
    for (std::size_t i = 0; i < keys.size(); ++i) {
        if (keys[i].at == key.at) select(static_cast<int>(i));
    }
}

void TimeMapView::wheelEvent(QWheelEvent* event) {
    axes_.zoom(std::pow(0.87, event->angleDelta().y() / 120.0), event->position().x());
    own_view_ = true;
    update();
    event->accept();
}

void TimeMapView::remove_selected() {
    if (selected_ < 0) return;
    const TimingId id = viewing_.timing();
    const auto index = static_cast<std::size_t>(selected_);
    if (document_.edit(tr("Remove a key"), [&](Project& p) -> Result<void> {
            GARLAND_TRY(map, remove_key(p.timing(id)->map, index));
            p.timing(id)->map = std::move(map);
            return {};
        })) {
        select(-1);
    }
}

void TimeMapView::keyPressEvent(QKeyEvent* event) {
    const Timing* t = timing();
    if (t && selected_ >= 0 && (event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace))
        return remove_selected();
    if (t && selected_ >= 0 &&
        event->modifiers() & Qt::AltModifier) { // Alt+arrows move the key; arrows alone move time
        const Key& k = t->map.keys[static_cast<std::size_t>(selected_)];
        const double by = event->modifiers() & Qt::ShiftModifier ? 10 : 1;
        switch (event->key()) {
        case Qt::Key_Left: return move_selected(k.at - by, k.source, false);
        case Qt::Key_Right: return move_selected(k.at + by, k.source, false);
        case Qt::Key_Up: return move_selected(k.at, k.source + by, false);
        case Qt::Key_Down: return move_selected(k.at, k.source - by, false);
        default: break;
        }
    }
    QWidget::keyPressEvent(event);
}

} // namespace garland
