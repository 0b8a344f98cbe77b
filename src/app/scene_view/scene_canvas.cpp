// The canvas of the Scene and its legend.
#include "app/scene_view/scene_view.h"

#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "app/widgets/touchpad.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>
#include <utility>

namespace garland {

namespace {
constexpr double refine_milliseconds = 10; // of a slice: so long an edit may wait before it is answered
}

// ---- the canvas ----------------------------------------------------------------------------------------------------

SceneCanvas::SceneCanvas(SceneView& view)
    : GlSurface(&view), view_(view), zones_(view.document(), view.viewing()), places_(view.document(), view.viewing()) {
    setMouseTracking(false);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Scene"));
    setToolTip({});
    refining_.setInterval(0);
    connect(&refining_, &QTimer::timeout, this, &SceneCanvas::refine_more);
}

SceneCanvas::~SceneCanvas() {
    close_gl();
}

// What the graphics side keeps goes with its context; a new one begins anew.
void SceneCanvas::lose_gl() {
    refining_.stop();
    if (gpu_) gpu_->destroy();
    gpu_.reset();
}

void SceneCanvas::initialize_gl() {
    gpu_ = std::make_unique<SceneGpu>();
    if (gpu_->create()) return;
    view_.set_failed(gpu_->why());
    gpu_.reset();
}

CopyPaint SceneCanvas::paint_of(const SceneCopy& c, const PaintRules& rules) const {
    CopyPaint p;
    p.selected = view_.viewing().selection().count(c.number) ? 1.0f : 0.0f;
    QRgb colour = QColor("#D9A873").rgb(); // clay
    if (rules.now.mode() == ColourMode::look) {
        p.weight = rules.scene->poses[c.pose]->coloured ? 0.0f : 1.0f;
    } else {
        p.weight = 0.93f;
        // Colours follow an edit at once, poses when they are made.
        const ArrangementShow* a = c.arrangement;
        std::size_t index = c.index;
        if (rules.before && rules.now.mode() != ColourMode::source_frame) {
            std::size_t now = 0;
            if (const ArrangementShow* newer = view_.document().show()->find(c.number, now)) a = newer, index = now;
        }
        const auto share = (!rules.before || a != c.arrangement ? rules.now : *rules.before).share(*a, index, c.moment);
        colour = share ? rules.ramp.at(*share) : tokens().muted.rgb();
    }
    p.colour[0] = static_cast<float>(qRed(colour)) / 255;
    p.colour[1] = static_cast<float>(qGreen(colour)) / 255;
    p.colour[2] = static_cast<float>(qBlue(colour)) / 255;
    return p;
}

SceneCanvas::PaintRules SceneCanvas::rules(const ScenePtr& scene) const {
    Document& document = view_.document();
    const Colouring now(*document.show(), view_.viewing(), document.project());
    const bool fits = !scene || scene->show == document.show(); // an edit whose poses are still being made
    return {now,
            fits ? std::nullopt
                 : std::optional<Colouring>(std::in_place, *scene->show, view_.viewing(), document.project()),
            Ramp::get(now.legend().cyclic ? RampKind::cyclic : RampKind::sequential), scene};
}

SceneGpu::View SceneCanvas::picture(const ScenePtr& scene, const SceneMarks& marks,
                                    std::function<CopyPaint(const SceneCopy&)> paint) const {
    return {scene.get(), &view_.orbit(), QSizeF(size()), devicePixelRatioF(), &tokens(), &marks, std::move(paint)};
}

void SceneCanvas::paint_gl() {
    if (!gpu_) return;
    if (gpu_->refined()) {
        gpu_->refine_present();
        return;
    }
    const ScenePtr scene = view_.scene();
    const PaintRules how = rules(scene);
    const SceneMarks marks = view_.marks();
    QElapsedTimer clock;
    clock.start();
    // Where a processor draws, a picture that stands takes too long to be waited for: it is refined in slices at once.
    const bool coarse = view_.moving() || (gpu_->by_processor() && gpu_->refining());
    const auto drawn = gpu_->draw(picture(scene, marks, [&](const SceneCopy& c) { return paint_of(c, how); }), coarse);
    view_.set_drawn(drawn, clock.nsecsElapsed() / 1000);
}

// The picture stands. It is drawn anew at once where that is quick, and made the truth beside the shown one.
void SceneCanvas::stand() {
    const bool sliced = gpu_ && gpu_->by_processor() && view_.scene() && !view_.scene()->copies.empty();
    if (!sliced) update();
    QTimer::singleShot(0, this, [this] {
        if (!view_.moving()) refine();
    });
}

// A slice at a time, so that a hand can always stop it.
void SceneCanvas::refine() {
    if (!gpu_ || !isVisible() || !view_.scene() || view_.scene()->copies.empty()) return;
    const ScenePtr scene = view_.scene();
    const PaintRules how = rules(scene);
    marks_ = view_.marks();
    std::vector<CopyPaint> paints; // as they are now, for all slices
    paints.reserve(scene->copies.size());
    for (const SceneCopy& c : scene->copies) paints.push_back(paint_of(c, how));
    makeCurrent();
    gpu_->refine_begin(
        scene, picture(scene, marks_, [paints = std::move(paints), first = scene->copies.data()](const SceneCopy& c) {
            return paints[static_cast<std::size_t>(&c - first)];
        }));
    doneCurrent();
    if (gpu_->refining()) return refining_.start();
    update(); // there is no memory for it
}

void SceneCanvas::refine_more() {
    if (!gpu_ || !gpu_->refining()) return refining_.stop();
    makeCurrent();
    const bool done = gpu_->refine_step(refine_milliseconds);
    doneCurrent();
    if (!done) return;
    refining_.stop();
    view_.set_drawn(gpu_->refine_drawn(), 0);
    update();
    emit refined();
}

void SceneCanvas::drop_refined() {
    refining_.stop();
    if (!gpu_ || !(gpu_->refined() || gpu_->refining())) return;
    makeCurrent();
    gpu_->refine_drop();
    doneCurrent();
}

bool SceneCanvas::is_refining() const {
    return gpu_ && gpu_->refining();
}

bool SceneCanvas::is_refined() const {
    return gpu_ && gpu_->refined();
}

void SceneCanvas::resizeEvent(QResizeEvent* event) {
    drop_refined();
    GlSurface::resizeEvent(event);
    view_.redraw();
}

void SceneCanvas::mousePressEvent(QMouseEvent* event) {
    press_ = last_ = event->position();
    moved_ = ended_ = false;
    pressed_view_ = view_.orbit().camera;
    const Viewing& viewing = view_.viewing();
    if (event->button() == Qt::LeftButton && viewing.zones_held() && !viewing.drawing())
        zones_.press(event->position(), view_.orbit(), size());
    if (event->button() == Qt::LeftButton && viewing.place_held() && !viewing.drawing())
        places_.press(event->position(), view_.orbit(), size());
}

void SceneCanvas::end_drag(bool put_back) {
    if (zones_.held() || places_.held()) {
        zones_.end(put_back);
        places_.end(put_back);
        ended_ = true; // until the button is let go
        return view_.redraw();
    }
    if (!moved_ || !put_back) return;
    view_.orbit().camera = pressed_view_;
    view_.camera_moved();
    view_.redraw();
}

void SceneCanvas::mouseMoveEvent(QMouseEvent* event) {
    if (ended_) return;
    const QPointF d = event->position() - last_;
    if (!moved_ && (event->position() - press_).manhattanLength() < 4) return;
    moved_ = true;
    last_ = event->position();
    if (zones_.held()) {
        zones_.move(event->position(), event->modifiers() & Qt::ShiftModifier, view_.orbit(), size());
        return view_.redraw();
    }
    if (places_.held()) {
        places_.move(event->position(), event->modifiers() & Qt::ShiftModifier, view_.orbit(), size());
        return view_.redraw();
    }
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

void SceneCanvas::mouseReleaseEvent(QMouseEvent* event) {
    if (std::exchange(ended_, false)) return;
    if (zones_.held() || places_.held()) {
        zones_.end(false);
        places_.end(false);
        return;
    }
    if (moved_ || event->button() != Qt::LeftButton) return;
    if (view_.place_on_ground(event->position())) return;
    const ScenePtr scene = view_.scene();
    if (!scene) return;
    const Ray ray = view_.orbit().ray(event->position(), size());
    view_.picked(pick_copy(*scene, ray.from, ray.along), event->modifiers() & Qt::ControlModifier);
}

void SceneCanvas::keyPressEvent(QKeyEvent* event) {
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
    GlSurface::keyPressEvent(event);
}

// Ctrl+arrows turn, with Shift they slide; + and − come nearer and go back.
bool SceneCanvas::move_by_key(const QKeyEvent& event) {
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

void SceneCanvas::mouseDoubleClickEvent(QMouseEvent* event) {
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

bool SceneCanvas::event(QEvent* event) {
    if (const auto pinch = pinch_in(*event)) {
        view_.orbit().zoom(wheel_steps(pinch->factor), pinch->at, size());
        view_.camera_moved();
        view_.redraw();
        event->accept();
        return true;
    }
    return GlSurface::event(event);
}

void SceneCanvas::wheelEvent(QWheelEvent* event) {
    if (const auto by = slide_in(*event); by && !(event->modifiers() & Qt::ControlModifier)) {
        view_.orbit().slide(by->x(), by->y(), size());
        view_.camera_moved();
        view_.redraw();
        return event->accept();
    }
    if (event->angleDelta().y() == 0) return event->accept(); // a sideways turn
    view_.orbit().zoom(event->angleDelta().y() / 120.0, event->position(), size());
    view_.camera_moved();
    view_.redraw();
    event->accept();
}

// ---- the legend ----------------------------------------------------------------------------------------------------

void SceneLegend::show_text(const LegendText& text) {
    text_ = text;
    setVisible(text.shown);
    setAccessibleName(tr("Colours: %1 from %2 to %3").arg(text.title, text.low, text.high));
    update();
}

// Both ends beside each other.
int SceneLegend::wanted_width() const {
    const QFontMetrics words(text_font(8));
    return std::max({220, words.horizontalAdvance(text_.low) + words.horizontalAdvance(text_.high) + 44,
                     words.horizontalAdvance(text_.title) + 24});
}

void SceneLegend::paintEvent(QPaintEvent*) {
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
