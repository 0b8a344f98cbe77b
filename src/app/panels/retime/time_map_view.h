// The time map, drawn large: keys to drag, the curve before and after its span, poses along the source axis. Three
// views of one timing: source frames, speed, and the slider where there is one.
#pragma once

#include "app/panels/common/panel.h"
#include "app/panels/retime/map_axes.h"
#include "app/widgets/draggable.h"
#include "core/time/key_edits.h"
#include "core/time/time_words.h"

#include <optional>

namespace garland {

enum class MapView { position, speed, slider };

class TimeMapView : public QWidget, public Draggable {
    Q_OBJECT
  public:
    TimeMapView(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    const MapAxes& axes() const { return axes_; }
    void show_all();

    MapView view() const { return view_; }
    void set_view(MapView view);
    // What is keyed in this view, in its unit: source frames, source frames per output frame, per cent. Empty for
    // phrases.
    const TimeMap& keys() const { return shown_.keys; }
    bool keys_are_own() const { return shown_.own; } // false: keys are a conversion, made real by the first edit
    const std::string& conversion() const { return shown_.conversion; }
    const std::vector<MapWarning>& warnings() const { return shown_.warnings; }
    int selected() const { return picked_.size() == 1 ? static_cast<int>(picked_.front()) : -1; }
    const PickedKeys& picked() const { return picked_; }
    void pick(PickedKeys keys);
    void pick_all();
    void remove_picked();
    void copy_picked();
    void paste();           // at the playhead
    bool can_paste() const; // what is copied may be keys
    // Changes the shown keys; where the timing is kept in another form, it is converted on the way, and the words say
    // so.
    bool edit_keys(const QString& words, const std::function<Result<TimeMap>(const TimeMap&)>& change,
                   const QString& merge = {});
    QString words_for(std::size_t key) const;

    // What an operation would make of the timing, drawn over it; nothing: no such curve.
    void set_ghost(std::optional<Timing> ghost);
    bool has_ghost() const { return ghost_.has_value(); }
    void set_snapping(bool frames, bool beats_and_markers);

    // From the playhead to the frames that this view counts, which differ under a slider.
    OutputFrame playhead() const;

    void end_drag(bool put_back) override;

  signals:
    void keys_picked();
    void view_changed();
    void readout(const QString& words); // while dragging or hovering; empty: nothing special

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    // What the timing looks like in this view; made anew when it changes.
    struct Shown {
        Timing timing; // as drawn: without its slider, but in the slider's own view
        MapView view = MapView::position;
        SourceId source;
        FrameRange range;
        TimingPlan plan;
        TimeMap keys;
        bool own = true;
        std::string conversion;
        std::vector<OutputFrame> phrase_starts;
        std::vector<MapWarning> warnings;
        double low = 0, high = 1; // of what is drawn
    };
    enum class Drag { none, keys, leave, arrive, frame, pan, box };
    struct Grip {
        Drag what = Drag::none;
        std::size_t key = 0;
    };

    const Timing* timing() const;
    void refresh();
    void measure();
    double value_at(OutputFrame t) const;
    const SourceClock* clock() const;
    Grip grip_at(QPointF pixel) const;
    bool drag_is_valid() const;
    std::pair<std::size_t, std::size_t> keys_in_view() const; // first, one past the last
    QPointF handle(std::size_t key, bool leave) const;
    bool has_handle(std::size_t key, bool leave) const;
    OutputFrame snap(OutputFrame t, bool free) const;
    double snap_value(double value, bool free) const;
    void move_picked(double frames, double value, bool merge);
    void drag_keys(QPointF to, bool free);
    void drag_handle(QPointF to);
    QString unit_words(double value) const;

    void paint_grid(QPainter& p) const;
    void paint_beats(QPainter& p) const;
    void paint_poses(QPainter& p);
    void paint_curve(QPainter& p, const TimingPlan& plan, bool ghost) const;
    void paint_outside_words(QPainter& p) const;
    void paint_holds(QPainter& p) const;
    void paint_phrases(QPainter& p) const;
    void paint_warnings(QPainter& p) const;
    void paint_keys(QPainter& p) const;

    Document& document_;
    Viewing& viewing_;
    PosePictures pictures_;
    MapAxes axes_;
    MapView view_ = MapView::position;
    Shown shown_;
    TimingId shown_id_;
    bool own_view_ = false; // zoomed or moved by the user
    PickedKeys picked_;
    std::optional<Timing> ghost_;
    TimingPlan ghost_plan_;
    bool snap_frames_ = true, snap_beats_ = true;

    Grip grip_;
    QPointF last_, press_;
    QPointF offset_;       // from the gripped key to the pointer, when the drag began
    TimeMap base_;         // the keys when the drag began
    TimingId base_timing_; // of which timing they are
    QRectF box_;
    PickedKeys box_base_;
};

} // namespace garland
