// The canvas of the Stage and its legend.
#include "app/stage/stage_view.h"

#include "app/theme/ramp.h"
#include "app/theme/tokens.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

namespace garland {

// ---- the canvas ----------------------------------------------------------------------------------------------------

StageCanvas::StageCanvas(StageView& view) : QOpenGLWidget(&view), view_(view) {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    format.setSamples(4);
    setFormat(format);
    setMouseTracking(false);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Stage"));
    setToolTip({});
}

StageCanvas::~StageCanvas() {
    if (!ready_) return;
    makeCurrent();
    gpu_.destroy();
    doneCurrent();
}

void StageCanvas::initializeGL() {
    ready_ = gpu_.create();
    if (!ready_) view_.set_failed(gpu_.why());
}

void StageCanvas::paintGL() {
    if (!ready_) return;
    const ScenePtr scene = view_.scene();
    const Colouring colouring(*view_.document().show(), view_.viewing(), view_.document().project());
    const bool look = colouring.mode() == ColourMode::look;
    const bool fits = scene && scene->show == view_.document().show(); // an edit whose poses are still being made
    const std::optional<Colouring> before = scene && !fits ? std::optional<Colouring>(std::in_place, *scene->show, view_.viewing(), view_.document().project()) : std::nullopt;
    const auto& selection = view_.viewing().selection();
    const Ramp& ramp = Ramp::get(colouring.legend().cyclic ? RampKind::cyclic : RampKind::sequential);
    const QColor clay("#D9A873");
    const QColor grey = tokens().muted;
    QElapsedTimer clock;
    clock.start();
    const auto drawn = gpu_.draw(
        scene.get(), view_.orbit(), size(), devicePixelRatioF(), tokens(), view_.marks(), view_.moving(), [&](const SceneCopy& c) {
            CopyPaint p;
            p.selected = selection.count(c.number) ? 1.0f : 0.0f;
            QRgb colour = clay.rgb();
            if (look) {
                p.weight = scene->poses[c.pose]->coloured ? 0.0f : 1.0f;
            } else {
                p.weight = 0.93f;
                // Colours follow an edit at once, poses when they are made.
                const ArrangementShow* a = c.arrangement;
                std::size_t index = c.index;
                if (!fits && colouring.mode() != ColourMode::source_frame) {
                    std::size_t now = 0;
                    if (const ArrangementShow* newer = view_.document().show()->find(c.number, now)) a = newer, index = now;
                }
                const auto share = (fits || a != c.arrangement ? colouring : *before).share(*a, index, c.moment);
                colour = share ? ramp.at(*share) : grey.rgb();
            }
            p.colour[0] = static_cast<float>(qRed(colour)) / 255;
            p.colour[1] = static_cast<float>(qGreen(colour)) / 255;
            p.colour[2] = static_cast<float>(qBlue(colour)) / 255;
            return p;
        });
    view_.set_drawn(drawn, clock.nsecsElapsed() / 1000);
}

void StageCanvas::mousePressEvent(QMouseEvent* event) {
    press_ = last_ = event->position();
    moved_ = false;
    pressed_view_ = view_.orbit().camera;
}

void StageCanvas::end_drag(bool put_back) {
    if (!moved_ || !put_back) return;
    view_.orbit().camera = pressed_view_;
    view_.camera_moved();
    view_.redraw();
}

void StageCanvas::mouseMoveEvent(QMouseEvent* event) {
    const QPointF d = event->position() - last_;
    if (!moved_ && (event->position() - press_).manhattanLength() < 4) return;
    moved_ = true;
    last_ = event->position();
    const bool slides = event->buttons() & Qt::RightButton ||
                        (event->buttons() & Qt::LeftButton && event->modifiers() & Qt::ShiftModifier);
    if (slides) {
        view_.orbit().slide(d.x(), d.y(), size());
    } else if (event->buttons() & Qt::LeftButton) {
        view_.orbit().turn(d.x(), d.y());
    }
    view_.camera_moved();
    view_.redraw();
}

void StageCanvas::mouseReleaseEvent(QMouseEvent* event) {
    if (moved_ || event->button() != Qt::LeftButton) return;
    if (view_.place_on_ground(event->position())) return;
    const ScenePtr scene = view_.scene();
    if (!scene) return;
    const Ray ray = view_.orbit().ray(event->position(), size());
    view_.picked(pick_copy(*scene, ray.from, ray.along), event->modifiers() & Qt::ControlModifier);
}

void StageCanvas::keyPressEvent(QKeyEvent* event) {
    Viewing& viewing = view_.viewing();
    if (viewing.drawing()) {
        const bool enough = viewing.drawn().size() >= 2;
        switch (event->key()) {
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (enough) viewing.finish_drawing(true);
            return;
        case Qt::Key_Escape: return viewing.finish_drawing(false);
        case Qt::Key_Backspace: return viewing.undo_drawn();
        default: break;
        }
    }
    if (move_by_key(*event)) return;
    QOpenGLWidget::keyPressEvent(event);
}

// Ctrl+arrows turn, with Shift they slide; + and − come nearer and go back.
bool StageCanvas::move_by_key(const QKeyEvent& event) {
    const bool slides = event.modifiers() & Qt::ShiftModifier;
    const bool turns = event.modifiers() & Qt::ControlModifier;
    const QPointF middle(width() / 2.0, height() / 2.0);
    double x = 0, y = 0, nearer = 0;
    switch (event.key()) {
    case Qt::Key_Left: x = -24; break;
    case Qt::Key_Right: x = 24; break;
    case Qt::Key_Up: y = -24; break;
    case Qt::Key_Down: y = 24; break;
    case Qt::Key_Plus:
    case Qt::Key_Equal: nearer = 1; break;
    case Qt::Key_Minus: nearer = -1; break;
    default: return false;
    }
    if (nearer != 0) {
        view_.orbit().zoom(nearer, middle, size());
    } else if (!turns) {
        return false;
    } else if (slides) {
        view_.orbit().slide(x, y, size());
    } else {
        view_.orbit().turn(x, y);
    }
    view_.camera_moved();
    view_.redraw();
    return true;
}

void StageCanvas::mouseDoubleClickEvent(QMouseEvent* event) {
    if (view_.viewing().drawing()) return;
    const ScenePtr scene = view_.scene();
    if (!scene) return;
    const Ray ray = view_.orbit().ray(event->position(), size());
    double distance = 0;
    if (pick_copy(*scene, ray.from, ray.along, &distance) < 0) return;
    view_.orbit().look_at(ray.from + ray.along * distance);
    view_.camera_moved();
    view_.redraw();
}

void StageCanvas::wheelEvent(QWheelEvent* event) {
    if (event->angleDelta().y() == 0) return event->accept(); // a sideways turn
    view_.orbit().zoom(event->angleDelta().y() / 120.0, event->position(), size());
    view_.camera_moved();
    view_.redraw();
    event->accept();
}

// ---- the legend ----------------------------------------------------------------------------------------------------

void StageLegend::show_text(const LegendText& text) {
    text_ = text;
    setVisible(text.shown);
    setAccessibleName(tr("Colours: %1 from %2 to %3").arg(text.title, text.low, text.high));
    update();
}

// Both ends beside each other.
int StageLegend::wanted_width() const {
    const QFontMetrics words(text_font(8));
    return std::max({220, words.horizontalAdvance(text_.low) + words.horizontalAdvance(text_.high) + 44, words.horizontalAdvance(text_.title) + 24});
}

void StageLegend::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    QColor back = t.panel;
    back.setAlphaF(0.86f);
    p.setPen(Qt::NoPen);
    p.setBrush(back);
    p.drawRoundedRect(rect(), 6, 6);
    const QRect bar(10, 23, width() - 20, 9);
    const Ramp& ramp = Ramp::get(text_.cyclic ? RampKind::cyclic : RampKind::sequential);
    for (int x = 0; x < bar.width(); ++x) {
        p.fillRect(QRect(bar.x() + x, bar.y(), 1, bar.height()),
                   QColor(ramp.at(static_cast<double>(x) / (bar.width() - 1))));
    }
    p.setPen(t.text);
    p.setFont(text_font(8));
    const QRect words(10, 34, width() - 20, 18);
    p.drawText(words, Qt::AlignLeft | Qt::AlignVCenter, text_.low);
    p.drawText(words, Qt::AlignRight | Qt::AlignVCenter, text_.high);
    p.setPen(t.muted);
    p.drawText(QRect(10, 4, width() - 20, 18), Qt::AlignLeft | Qt::AlignVCenter, text_.title);
}

} // namespace garland
