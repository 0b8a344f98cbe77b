#include "app/scene_view/scene_view.h"

#include "app/theme/number_text.h"
#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "core/project/ahead.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

namespace garland {

// ---- the view ------------------------------------------------------------------------------------------------------

SceneView::SceneView(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing) {
    setObjectName("pane");
    setAttribute(Qt::WA_StyledBackground);
    setAccessibleName(tr("Scene"));
    setMinimumSize(220, 160);
    if (graphics_here() != Graphics::none) {
        canvas_ = new SceneCanvas(*this);
    } else {
        notice_ = make_label(tr("The Scene needs OpenGL, which is not available here.\n"
                                "Everything else works: the Lanes, the panels, Check and Hand off."),
                             "muted", this);
        notice_->setAlignment(Qt::AlignCenter);
        notice_->setWordWrap(true);
    }
    make_modes();
    make_tools();
    make_drawing();
    legend_ = new SceneLegend(this);
    info_ = make_label({}, "note", this);
    info_->setAttribute(Qt::WA_TransparentForMouseEvents);
    show_drawing();
    follow_document();
    follow_viewing();
    orbit_.camera = document_.project().settings.camera;
    viewing_.set_view(orbit_.camera);
    follow_camera();
    request();
}

void SceneView::make_modes() {
    modes_ = new Segments(
        {tr("materials"), tr("source frame"), tr("delay"), tr("speed"), tr("twins"), tr("pattern"), tr("level")},
        {tr("Copies as they are lit (C: next colouring)"),
         tr("Copies coloured by the source frame they show (C: next colouring)"),
         tr("Copies coloured by how much later they are (C: next colouring)"),
         tr("Copies coloured by how fast they run (C: next colouring)"),
         tr("Highlight copies that have a twin (C: next colouring)"),
         tr("Copies and ground coloured by what one spread gives"),
         tr("Copies coloured by the level that zones, pulses or sounds give them now; of zones the ground too")},
        this);
    modes_->setAccessibleName(tr("Colour by"));
    modes_->set_current(0);
    connect(modes_, &Segments::chosen, this, [this](int i) { viewing_.set_colour(static_cast<ColourMode>(i)); });
}

void SceneView::make_tools() {
    tools_ = new QFrame(this);
    tools_->setObjectName("segments");
    auto* tools = new QHBoxLayout(tools_);
    tools->setContentsMargins(8, 2, 4, 2);
    tools->setSpacing(6);
    through_ = new QCheckBox(tr("camera"));
    through_->setToolTip(tr("Look through the camera's keys; turning the view by hand leaves them"));
    through_->setAccessibleName(tr("Look through the camera"));
    second_ = new QCheckBox(tr("second pose"));
    second_->setToolTip(tr("Lay the poses of another frame over these, translucent, shaded by the gap between them"));
    second_frame_ = make_number(Quantity::output_frames, -frame_limit, frame_limit, 2, tr("Frame of the second pose"),
                                tr("The output frame whose poses are laid over"));
    second_frame_->setMinimumWidth(46);
    second_frame_->setMaximumWidth(56);
    tools->addWidget(through_);
    tools->addWidget(second_);
    tools->addWidget(second_frame_);
    second_frame_->hide();
    connect(through_, &QCheckBox::clicked, this, [this](bool on) { viewing_.look_through_camera(on); });
    connect(second_, &QCheckBox::clicked, this, [this](bool on) {
        second_frame_->set_value(viewing_.frame().value);
        viewing_.set_second_pose(on ? std::optional(viewing_.frame()) : std::nullopt);
    });
    connect(second_frame_, &NumberField::edited, this, [this](double v) { viewing_.set_second_pose(OutputFrame(v)); });
    connect(&viewing_, &Viewing::second_pose_changed, this, [this] {
        const auto frame = viewing_.second_pose();
        second_->setChecked(frame.has_value());
        second_frame_->setVisible(frame.has_value());
        if (frame) second_frame_->set_value(frame->value);
        place_overlays();
        request();
    });
}

void SceneView::make_drawing() {
    drawing_ = new QFrame(this);
    drawing_->setObjectName("segments");
    auto* drawing = new QHBoxLayout(drawing_);
    drawing->setContentsMargins(10, 4, 6, 4);
    drawing_words_ = make_label({});
    drawing_done_ = make_button(tr("Done"), tr("Let the copies stand along this path (Return)"));
    auto* give_up = make_button(tr("Cancel"), tr("Discard the path (Escape)"));
    connect(drawing_done_, &QPushButton::clicked, this, [this] { viewing_.finish_drawing(true); });
    connect(give_up, &QPushButton::clicked, this, [this] { viewing_.finish_drawing(false); });
    drawing->addWidget(drawing_words_);
    drawing->addWidget(drawing_done_);
    drawing->addWidget(give_up);
}

void SceneView::follow_document() {
    connect(&document_, &Document::changed, this, [this] {
        if (document_.project().settings.camera_keys.empty()) viewing_.look_through_camera(false);
        follow_camera();
        make_pattern();
        edited();
        if (!scene_ || scene_->copies.empty()) update_texts();
    });
    connect(&document_.library(), &SourceLibrary::motion_known, this, [this] {
        if (fits_ && !viewing_.through_camera()) fit_all();
    });
    connect(&document_, &Document::opened, this, [this] {
        orbit_.camera = document_.project().settings.camera;
        viewing_.set_second_pose(std::nullopt);
        viewing_.set_view(orbit_.camera);
        viewing_.look_through_camera(!document_.project().settings.camera_keys.empty());
        follow_camera();
        redraw();
    });
}

void SceneView::follow_viewing() {
    connect(&viewing_, &Viewing::frame_changed, this, &SceneView::follow_camera);
    connect(&viewing_, &Viewing::view_changed, this, &SceneView::follow_camera);
    connect(&viewing_, &Viewing::frame_changed, this, &SceneView::request);
    rest_.setSingleShot(true);
    rest_.setInterval(250);
    connect(&rest_, &QTimer::timeout, this, [this] {
        if (!canvas_ || viewing_.playing()) return;
        if (busy_ || settle_.isActive()) return rest_.start(); // the next poses are on their way: this does not stand
        canvas_->stand();
    });
    settle_.setSingleShot(true);
    settle_.setInterval(120);
    connect(&settle_, &QTimer::timeout, this, &SceneView::request);
    connect(&viewing_, &Viewing::selection_changed, this, &SceneView::redraw);
    connect(&viewing_.twins(), &TwinWatch::changed, this, [this] {
        if (viewing_.colour() != ColourMode::twins) return;
        update_texts();
        redraw();
    });
    connect(&viewing_, &Viewing::drawing_changed, this, &SceneView::show_drawing);
    connect(&viewing_, &Viewing::frame_changed, this, &SceneView::make_pattern);
    connect(&viewing_, &Viewing::colour_changed, this, [this] {
        modes_->set_current(static_cast<int>(viewing_.colour()));
        make_pattern();
        update_texts();
        redraw();
    });
}

SceneView::~SceneView() = default;

// Where posing takes long, an edit stops what is being posed, so that map and Lanes follow a dragging hand at once; the
// Scene follows when the hand pauses.
void SceneView::edited() {
    if (last_took_ < 40) return request();
    if (posing_) posing_->drop();
    settle_.start();
}

// While nothing else is to be done, the frames that come next are read, the way the playhead last went.
void SceneView::look_ahead() {
    if (ahead_) ahead_->drop();
    const double now = viewing_.frame().value;
    if (now != ahead_from_) ahead_step_ = now > ahead_from_ ? 1 : -1;
    ahead_from_ = now;
    if (!scene_ || last_took_ > 2000) return;
    ahead_ = document_.jobs().start<std::size_t>(
        this, tr("Reading ahead"),
        [show = document_.show(), at = viewing_.frame(), step = ahead_step_,
         limit = document_.library().cache().use().limit](Progress& p) -> Result<std::size_t> {
            return read_ahead(*show, wanted_next(*show, at, step, 8, 64), limit, p);
        },
        [](Result<std::size_t>) {}, JobKind::interactive);
}

void SceneView::request() {
    settle_.stop();
    if (busy_) {
        again_ = true;
        return;
    }
    if (requested_show_ == document_.show() && requested_frame_ == viewing_.frame().value &&
        requested_second_ == viewing_.second_pose() && scene_) {
        return;
    }
    busy_ = true;
    requested_show_ = document_.show();
    requested_frame_ = viewing_.frame().value;
    requested_second_ = viewing_.second_pose();
    posing_since_.start();
    if (canvas_ && canvas_->is_refining()) redraw(); // what is shown will not stay
    posing_ = document_.jobs().start<ScenePtr>(
        this, tr("Posing"),
        [maker = maker_, show = requested_show_, frame = viewing_.frame(), second = requested_second_](Progress& p) {
            return maker->make(show, frame, second, p);
        },
        [this](Result<ScenePtr> result) {
            busy_ = false;
            last_took_ = posing_since_.elapsed();
            if (!result && result.error().code == ErrorCode::cancelled) {
                requested_show_.reset();
                if (again_ || !settle_.isActive()) {
                    again_ = false;
                    request();
                }
                return;
            }
            if (result) {
                scene_ = std::move(*result);
                problem_.clear();
            } else {
                problem_ = QString::fromStdString(describe(result.error()));
            }
            cords_.clear();
            for (const Arrangement& a : document_.project().arrangements) {
                if (a.hidden || a.single_out) continue;
                for (const auto& cord : cords_at(a, scene_ ? scene_->frame.value : viewing_.frame().value)) {
                    auto& line = cords_.emplace_back();
                    for (const V3d& p : cord) line.emplace_back(V3f(p));
                }
            }
            update_texts();
            redraw();
            look_ahead();
            emit scene_shown();
            if (again_) {
                again_ = false;
                request();
            }
        },
        JobKind::interactive);
}

bool SceneView::place_on_ground(QPointF pixel) {
    const Arrangement* a = document_.project().arrangement(viewing_.drawing());
    if (!a) return false;
    const Ray ray = orbit_.ray(pixel, size());
    const double way = (a->layout.origin.y - ray.from.y) / ray.along.y;
    if (std::isfinite(way) && way > 0 && way < 1e6) viewing_.add_drawn(ray.from + ray.along * way);
    return true;
}

void SceneView::redraw() {
    if (!canvas_) return;
    canvas_->drop_refined();
    rest_.start(); // coarse until nothing has changed for a moment, where pictures are dear
    canvas_->update();
}

void SceneView::fit_all() {
    if (!scene_ || scene_->copies.empty()) return;
    const auto box =
        scene_->box([this](const SceneCopy& c) { return document_.library().motion(c.arrangement->source); });
    orbit_.fit(box.min, box.max, size());
    camera_moved();
    fits_ = true;
    redraw();
}

void SceneView::camera_moved() {
    fits_ = false;
    viewing_.look_through_camera(false);
    viewing_.set_view(orbit_.camera);
    emit camera_changed();
}

// Where the camera has keys and is looked through, the Scene goes where it goes.
void SceneView::follow_camera() {
    const bool keyed = document_.show()->camera.keyed();
    through_->setVisible(keyed);
    through_->setChecked(viewing_.through_camera());
    place_overlays();
    if (!keyed || !viewing_.through_camera()) return;
    orbit_.camera = document_.show()->camera.at(viewing_.frame());
    viewing_.set_view(orbit_.camera);
    redraw();
}

void SceneView::key_view() {
    const OutputFrame at = viewing_.frame();
    const Camera camera = orbit_.camera;
    document_.edit(tr("Camera key at output frame %1").arg(number_text(at.value)), [&](Project& p) -> Result<void> {
        p.settings.camera_keys = with_view(p.settings.camera_keys, at, camera);
        return {};
    });
    viewing_.look_through_camera(true);
}

void SceneView::picked(std::int64_t copy, bool add) {
    if (copy < 0) {
        if (!add) viewing_.select({});
    } else if (add) {
        viewing_.toggle(copy);
    } else {
        viewing_.set_current_copy(copy);
    }
}

void SceneView::set_drawn(const SceneGpu::Drawn& drawn, qint64) {
    drawn_ = drawn;
    update_texts();
}

QImage SceneView::picture() const {
    return canvas_ ? canvas_->grab_picture() : QImage();
}

bool SceneView::refined() const {
    return canvas_ && canvas_->is_refined();
}

void SceneView::set_failed(const QString& why) {
    failed_ = tr("The Scene cannot be drawn: %1").arg(why);
    update_texts();
}

} // namespace garland
