// The copies from above, numbered; the points of a curve can be dragged.
#pragma once

#include "app/benches/common/bench.h"

namespace garland {

class PlanView : public QWidget {
    Q_OBJECT
  public:
    PlanView(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    QPointF pixel(const V3d& place) const; // of a place in the scene, as last drawn

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

  private:
    void measure();
    V3d place(QPointF pixel) const; // in the scene, on the ground
    const Arrangement* curve() const;
    int path_point_at(QPointF pixel) const;
    Document& document_;
    Viewing& viewing_;
    double scale_ = 1;
    QPointF shift_;
    int dragged_ = -1;
};

} // namespace garland
