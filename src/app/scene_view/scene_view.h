// The 3D view of all copies at the current output frame.
#pragma once

#include "app/document/colouring.h"
#include "app/scene_view/gl_surface.h"
#include "app/scene_view/place_tool.h"
#include "app/scene_view/scene_drawing.h"
#include "app/scene_view/scene_gpu.h"
#include "app/scene_view/zone_tool.h"
#include "app/theme/ramp.h"
#include "app/widgets/draggable.h"
#include "app/widgets/parts.h"

#include <QCheckBox>
#include <QElapsedTimer>

namespace garland {

class SceneCanvas;
class SceneLegend;

class SceneView : public QWidget {
    Q_OBJECT
  public:
    SceneView(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    ~SceneView() override;

    bool has_graphics() const { return canvas_ != nullptr; }
    ScenePtr scene() const { return scene_; } // the last one made
    Orbit& orbit() { return orbit_; }
    void fit_all(); // the whole motion of everything shown, not only this frame
    void redraw();
    bool moving() const { return rest_.isActive() || viewing_.playing(); }
    const SceneGpu::Drawn& drawn() const { return drawn_; } // of the last picture
    void camera_moved();                                    // by hand: leaves the camera keys
    void key_view();                                        // sets a camera key at the playhead from what is seen
    void picked(std::int64_t copy, bool add);
    SceneMarks marks();
    SceneDrawing draw(QPainter& painter) const; // as faces and lines, the second pose as outlines; needs no graphics
    QImage picture() const;                     // what is drawn, without what lies over it; null without graphics
    bool refined() const;                       // the shown picture is the truth
    bool place_on_ground(QPointF pixel);        // a point of the path that is being drawn
    Document& document() { return document_; }
    Viewing& viewing() { return viewing_; }
    void set_drawn(const SceneGpu::Drawn& drawn, qint64 microseconds);
    void set_failed(const QString& why);

  signals:
    void scene_shown();
    void camera_changed();
    void failed(const garland::Error& error);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void make_modes();
    void make_tools();
    void make_drawing();
    void follow_document();
    void follow_viewing();
    void request();
    void look_ahead();
    void place_overlays();
    void update_texts();
    QString empty_words() const; // where no copy is drawn
    void follow_camera();
    void make_pattern();
    void lay_pattern(const std::vector<Placement>& places, int side,
                     const std::function<std::pair<QRgb, double>(const V3d& place)>& colour);
    void show_drawing();

    Document& document_;
    Viewing& viewing_;
    std::shared_ptr<SceneMaker> maker_ =
        std::make_shared<SceneMaker>(); // also of the job that poses, which may outlive the view
    Orbit orbit_;
    ScenePtr scene_;
    std::vector<std::vector<V3f>> cords_;
    GroundPattern pattern_;
    QFrame* drawing_;
    QLabel* drawing_words_;
    QPushButton* drawing_done_;
    SceneCanvas* canvas_ = nullptr;
    QLabel* notice_ = nullptr;
    Segments* modes_;
    QFrame* tools_;
    QCheckBox *second_, *through_;
    NumberField* second_frame_;
    SceneLegend* legend_;
    QLabel* info_;
    void edited();
    bool fits_ = false; // all was fitted, and the view was not moved since: it is fitted again when more is known
    bool busy_ = false, again_ = false;
    QPointer<Job> posing_, ahead_;
    double ahead_from_ = 0, ahead_step_ = 1;
    QElapsedTimer posing_since_;
    qint64 last_took_ = 0; // milliseconds
    QTimer rest_;
    QTimer settle_; // edits follow each other: heavy scenes wait until they pause
    ShowPtr requested_show_;
    double requested_frame_ = 0;
    std::optional<OutputFrame> requested_second_;
    QString problem_, failed_; // of posing; of OpenGL, which stays
    SceneGpu::Drawn drawn_;
};

// The canvas proper; everything it shows comes from the view.
class SceneCanvas : public GlSurface, public Draggable {
    Q_OBJECT
  public:
    explicit SceneCanvas(SceneView& view);
    ~SceneCanvas() override;
    void end_drag(bool put_back) override;
    void stand();             // nothing changes any more: the picture is made the truth
    void drop_refined();      // it does not any more
    bool is_refining() const; // not done yet
    bool is_refined() const;

  signals:
    void refined();

  protected:
    void resizeEvent(QResizeEvent* event) override;
    void initialize_gl() override;
    void paint_gl() override;
    void lose_gl() override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    bool move_by_key(const QKeyEvent& event);
    // How copies are coloured: by what the document says now, and while poses for it are being made by what it said
    // before.
    struct PaintRules {
        Colouring now;
        std::optional<Colouring> before;
        const Ramp& ramp;
        ScenePtr scene;
    };
    PaintRules rules(const ScenePtr& scene) const;
    CopyPaint paint_of(const SceneCopy& copy, const PaintRules& rules) const;
    SceneGpu::View picture(const ScenePtr& scene, const SceneMarks& marks,
                           std::function<CopyPaint(const SceneCopy&)> paint) const;
    void refine();
    void refine_more();
    SceneView& view_;
    std::unique_ptr<SceneGpu> gpu_; // null: no context, or one that cannot do it
    QTimer refining_;
    SceneMarks marks_;
    QPointF press_, last_;
    bool moved_ = false;
    ZoneTool zones_;
    PlaceTool places_;
    bool ended_ = false;  // a drag that Escape has ended
    Camera pressed_view_; // as it was when the button went down
};

class SceneLegend : public QWidget {
    Q_OBJECT
  public:
    using QWidget::QWidget;
    void show_text(const LegendText& text);
    int wanted_width() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    LegendText text_;
};

} // namespace garland
