// A small curve over 0 … 1, drawn by hand: click adds a key, drag moves one, double-click or Delete removes it,
// right-click changes how it goes on (straight, eased, stepped).
#pragma once

#include "app/widgets/draggable.h"
#include "core/time/keyed_curve.h"

#include <QWidget>

namespace garland {

class CurveEdit : public QWidget, public Draggable {
    Q_OBJECT
  public:
    // low … high: what the curve can reach; still: its value where there are no keys (0 … 1 rising with identity).
    CurveEdit(double low, double high, double still, bool identity, QWidget* parent = nullptr);
    void set_curve(const KeyedCurve& curve);      // no signal
    void set_steps(int steps) { steps_ = steps; } // places of keys are whole parts of so many
    const KeyedCurve& curve() const { return curve_; }
    QPointF pixel(double at, double value) const;

    void end_drag(bool put_back) override;

  signals:
    void edited(const garland::KeyedCurve& curve); // by the user, while dragging too
    void settled();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    int key_at(QPointF pixel) const; // −1: none
    void remove(int key);
    void begin(); // makes the keys of a still curve, so that they can be moved
    double low_, high_, still_;
    bool identity_;
    KeyedCurve curve_, before_drag_;
    int dragged_ = -1, picked_ = -1, steps_ = 200;
};

} // namespace garland
