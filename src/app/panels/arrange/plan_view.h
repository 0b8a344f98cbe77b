// The copies from above, numbered; the points of a curve can be dragged.
#pragma once

#include "app/panels/common/panel.h"
#include "app/widgets/draggable.h"

namespace garland {

class PlanView : public QWidget, public Draggable {
    Q_OBJECT
  public:
    PlanView(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    QPointF pixel(const V3d& place) const; // of a place in the scene, as last drawn

    void end_drag(bool put_back) override;

  protected:
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

  private:
    void draw_dots();
    void plot(const ArrangementShow& arrangement, QRgb colour, double ratio);
    void draw_numbers(QPainter& p) const;
    struct DotsOf { // what the picture of the dots shows
        ShowPtr show;
        ArrangementId arrangement;
        QSize size;
        double scale = 0;
        QPointF shift;
        QRgb colour = 0;
        bool operator==(const DotsOf&) const = default;
    };
    DotsOf dots_of_;
    QImage dots_;
    void measure();
    V3d place(QPointF pixel) const; // in the scene, on the ground
    const Arrangement* curve() const;
    int path_point_at(QPointF pixel) const;
    bool drag_is_valid() const;
    void move_point(const V3d& to);
    void step_copy(int by, bool add); // to the next in order
    Document& document_;
    Viewing& viewing_;
    double scale_ = 1;
    QPointF shift_;
    int dragged_ = -1;         // a point of the path
    ArrangementId dragged_of_; // of this arrangement
    V3d dragged_from_;
};

} // namespace garland
