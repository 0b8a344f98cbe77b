// A number with its unit: typed, dragged sideways, turned by wheel, stepped by arrows.
#pragma once

#include "app/widgets/draggable.h"
#include "core/time/rate.h"

#include <QLineEdit>
#include <QTimer>
#include <optional>

namespace garland {

// What a number counts, so that typed units are understood.
enum class Quantity {
    plain,
    output_frames, // "12", "12f", "0.5s", "2 beats"
    source_frames,
    metres, // scene units: "1.5", "150 cm"
    metres_per_second,
    degrees, // "90", "0.25 turn"
    per_cent,
};

// The number in the quantity's own unit; nothing if the text says something else. rate: what a second is in frames.
// beat: output frames in one; 0: beats are not understood.
std::optional<double> parse_quantity(const QString& text, Quantity quantity, Rate rate, double beat = 0);
QString unit_of(Quantity quantity);

// Tells when any field has come to a value that stands: a step of its own in the undo history begins after it.
class FieldHub : public QObject {
    Q_OBJECT
  public:
    static FieldHub& instance();
  signals:
    void settled();
};

class NumberField : public QLineEdit, public Draggable {
    Q_OBJECT
  public:
    NumberField(Quantity quantity, double low, double high, int decimals, QWidget* parent = nullptr);
    double value() const { return value_; }
    void set_value(double value); // no signal
    void set_empty();             // nothing is there to be shown; until the next set_value
    void set_step(double step) { step_ = step; }
    // What a number means that is no amount ("endless" for 0 passes): shown in its place, and understood when typed.
    void set_word(double value, const QString& word);
    void set_rate(Rate rate) { rate_ = rate; }
    void set_beat(double frames) { beat_ = frames; } // for "2 beats"
    void set_range(double low, double high);
    void set_quantity(Quantity quantity); // what it counts from now on; the number stays
    void end_drag(bool put_back) override;

    // Of the edit that is told: whether it is a difference (a drag, a step by arrows or wheel, a number ended with
    // Shift+Return) and not a number to be set; and by how much. Where several things are edited at once, each changes
    // by that much, or all get the number.
    bool relative() const { return relative_; }
    double changed_by() const { return by_; }
    double edited_from(double own) const; // what becomes of a thing that has `own` now; within the field's range

  signals:
    void edited(double value); // by the user, while dragging too
    void settled();            // a drag, a typed entry, or a row of steps by arrows or wheel is over

  protected:
    bool event(QEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    void change(double value, bool relative = true);
    void settle();
    void take_text(bool relative = false);
    void show_text(bool with_unit);
    double rounded(double value) const;
    Quantity quantity_;
    double low_, high_, value_ = 0, step_ = 1, drag_value_ = 0;
    int decimals_;
    double word_value_ = 0;
    QString word_; // empty: every number is an amount
    Rate rate_;
    double beat_ = 0;
    QPoint press_;
    QTimer stepping_; // runs while steps by arrows or wheel follow each other
    int wheeled_ = 0; // eighths of a degree that are not a step yet
    bool pressed_ = false, dragging_ = false, relative_ = false;
    double by_ = 0;
};

} // namespace garland
