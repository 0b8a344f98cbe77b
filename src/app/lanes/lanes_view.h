// The Lanes: a row for every copy over the output range, coloured by the source frame it shows.
#pragma once

#include "app/document/colouring.h"
#include "app/lanes/lanes_layout.h"
#include "app/lanes/row_order.h"
#include "app/widgets/draggable.h"

#include <QComboBox>
#include <QImage>
#include <QLabel>
#include <QScrollBar>
#include <QToolButton>
#include <QWidget>

namespace garland {

class LanesView : public QWidget, public Draggable {
    Q_OBJECT
  public:
    LanesView(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    const LanesLayout& layout_now() const { return layout_; }
    std::int64_t copy_of_row(std::int64_t row) const { return order_.at(static_cast<std::size_t>(row)); }
    std::int64_t row_of_copy(std::int64_t copy) const;
    void restyle() { refresh(); }         // after a change of look
    bool stale() const { return stale_; } // an edit has not been drawn yet
    void set_fit(bool fit);
    void set_sort(LaneSort sort);
    void nudge(double frames);         // the picked copies later, or ahead below 0
    void show_copy(std::int64_t copy); // scrolls to it
    // A part of the range, or all of it.
    bool zoomed() const { return zoomed_; }
    void zoom_time(double factor, double pixel); // below 1: closer; that pixel's frame stays
    void zoom_time_at_playhead(double factor);
    void pan_time(double pixels);
    void show_all_frames();

    void end_drag(bool put_back) override;

  signals:
    void hovered(const QString& trace);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void add_head();
    void add_bars();
    void follow(); // what is shown changes
    void paint_names(QPainter& p) const;
    void paint_name(QPainter& p, std::int64_t copy, bool picked, double name_wide, double y) const;
    void paint_beats(QPainter& p) const;
    void paint_playhead(QPainter& p) const;
    void show_time(TimeAxis axis);
    void place_bars();
    void refresh(); // after the document changed
    void sort_rows();
    void render();
    int render_rows(const std::vector<double>& frames, double ratio); // how many there are; frames: one a pixel
    void render_beads(const std::vector<double>& frames, double ratio, int lines);
    void paint_sound(QPainter& p);
    void paint_visits(QPainter& p, const ArrangementShow& a, std::size_t index, const std::vector<double>& frames,
                      double ratio,
                      double y) const; // the rows' picture
    void update_scroll();
    void update_words();
    void go_to(double x); // sets the output frame
    void drag_nudges(double by);
    void step_row(std::int64_t by, bool add);
    double nudge_of(std::int64_t copy) const;
    void set_nudges(const std::set<std::int64_t>& copies, const std::function<double(double)>& change,
                    const QString& words, const QString& merge);

    Document& document_;
    Viewing& viewing_;
    LanesLayout layout_;
    std::vector<std::int64_t> order_;       // copy numbers by row
    static constexpr int sound_height = 32; // pixels
    QImage sound_picture_;
    QImage picture_;
    QPoint picture_at_;
    LaneSort sort_ = LaneSort::order;
    QScrollBar* bar_;                        // over rows
    QScrollBar* time_bar_;                   // over frames, where a part of them is seen
    static constexpr double bar_steps = 100; // of that one, a frame
    bool zoomed_ = false;
    QComboBox* sort_box_;
    QToolButton* fit_button_;
    QToolButton* frames_button_;
    QLabel* words_;
    enum class Drag { none, frame, row, pan } drag_ = Drag::none;
    QPointF press_;
    std::int64_t drag_copy_ = -1;
    ArrangementId shown_arrangement_;
    double drag_from_ = 0;
    std::set<std::int64_t> drag_copies_; // those that a drag nudges: the picked ones when it began
    void size_rows(double factor);
    double slid_ = 0; // rows by a touchpad that are not whole yet
    bool dragged_ = false, stale_ = true;
};

} // namespace garland
