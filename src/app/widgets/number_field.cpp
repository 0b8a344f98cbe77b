#include "app/widgets/number_field.h"

#include "core/base/numbers.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QRegularExpression>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

namespace garland {

FieldHub& FieldHub::instance() {
    static FieldHub hub;
    return hub;
}

QString unit_of(Quantity quantity) {
    switch (quantity) {
    case Quantity::plain: return {};
    case Quantity::output_frames:
    case Quantity::source_frames: return QStringLiteral("f");
    case Quantity::metres: return QStringLiteral("m");
    case Quantity::metres_per_second: return QStringLiteral("m/s");
    case Quantity::degrees: return QStringLiteral("°");
    case Quantity::per_cent: return QStringLiteral("%");
    }
    return {};
}

std::optional<double> parse_quantity(const QString& text, Quantity quantity, Rate rate, double beat) {
    static const QRegularExpression form(
        QStringLiteral(R"(^\s*([+\-−]?[0-9]*[.,]?[0-9]+(?:[eE][+-]?[0-9]+)?|[+\-−]?[0-9]+\.)\s*([^\s0-9.,]*)\s*$)"));
    const auto match = form.match(text);
    if (!match.hasMatch()) return std::nullopt;
    QString digits = match.captured(1);
    digits.replace(',', '.').replace(QChar(0x2212), '-');
    const auto number = parse_number(digits.toStdString());
    if (!number) return std::nullopt;
    const QString unit = match.captured(2).toLower();
    if (unit.isEmpty()) return number;
    auto is = [&](std::initializer_list<const char*> names) {
        return std::any_of(names.begin(), names.end(), [&](const char* n) { return unit == QString::fromUtf8(n); });
    };
    switch (quantity) {
    case Quantity::plain: return std::nullopt;
    case Quantity::output_frames:
    case Quantity::source_frames:
        if (is({"f", "frame", "frames"})) return number;
        if (is({"s", "sec", "second", "seconds"})) return rate.frames_in(Seconds(*number));
        if (beat > 0 && is({"b", "beat", "beats"})) return *number * beat;
        if (is({"ms"})) return rate.frames_in(Seconds(*number / 1000));
        return std::nullopt;
    case Quantity::metres:
        if (is({"m"})) return number;
        if (is({"cm"})) return *number / 100;
        if (is({"mm"})) return *number / 1000;
        return std::nullopt;
    case Quantity::metres_per_second:
        if (is({"m/s", "ms"})) return number;
        return std::nullopt;
    case Quantity::degrees:
        if (is({"°", "deg", "degrees"})) return number;
        if (is({"turn", "turns"})) return *number * 360;
        return std::nullopt;
    case Quantity::per_cent:
        if (is({"%"})) return number;
        return std::nullopt;
    }
    return std::nullopt;
}

NumberField::NumberField(Quantity quantity, double low, double high, int decimals, QWidget* parent)
    : QLineEdit(parent), quantity_(quantity), low_(low), high_(high), decimals_(decimals) {
    setAlignment(Qt::AlignRight);
    setFocusPolicy(Qt::TabFocus); // a press may begin a drag; a click gives itself the focus when it ends
    setMinimumWidth(70);
    setMaximumWidth(110);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    show_text(true);
    connect(this, &QLineEdit::returnPressed, this, [this] {
        take_text();
        selectAll();
    });
    stepping_.setSingleShot(true);
    stepping_.setInterval(600);
    connect(&stepping_, &QTimer::timeout, this, &NumberField::settle);
}

double NumberField::rounded(double value) const {
    const double grid = std::pow(10.0, decimals_);
    return std::clamp(std::round(value * grid) / grid, low_, high_);
}

void NumberField::set_quantity(Quantity quantity) {
    if (quantity == quantity_) return;
    quantity_ = quantity;
    if (!hasFocus()) show_text(true);
}

void NumberField::set_range(double low, double high) {
    low_ = low;
    high_ = high;
}

void NumberField::set_word(double value, const QString& word) {
    word_value_ = value;
    word_ = word;
    if (!hasFocus()) show_text(true);
}

void NumberField::show_text(bool with_unit) {
    if (with_unit && !word_.isEmpty() && value_ == word_value_) return setText(word_);
    const std::string number = short_number(value_, decimals_); // typed and copied with a hyphen, shown with a minus
    QString text = QString::fromStdString(with_unit ? true_minus(number) : number);
    const QString unit = unit_of(quantity_);
    if (with_unit && !unit.isEmpty()) text += (unit == QStringLiteral("°") ? QString() : QStringLiteral(" ")) + unit;
    setText(text);
}

void NumberField::set_value(double value) {
    value_ = value;
    if (!hasFocus() || isReadOnly() || !isModified()) show_text(!hasFocus());
}

void NumberField::set_empty() {
    if (!hasFocus()) clear();
}

double NumberField::edited_from(double own) const {
    return relative_ ? rounded(own + by_) : value_;
}

void NumberField::change(double value, bool relative) {
    value = rounded(value);
    if (value == value_) return;
    relative_ = relative, by_ = value - value_;
    value_ = value;
    show_text(!hasFocus());
    setModified(false);
    emit edited(value_);
}

void NumberField::take_text(bool relative) {
    if (!isModified()) return;
    setModified(false);
    const bool word = !word_.isEmpty() && text().trimmed().compare(word_, Qt::CaseInsensitive) == 0;
    if (const auto value = word ? std::optional(word_value_) : parse_quantity(text(), quantity_, rate_, beat_)) {
        change(*value, relative);
        settle();
    }
    show_text(!hasFocus()); // text that is no number goes back to the value
}

void NumberField::settle() {
    stepping_.stop();
    emit settled();
    emit FieldHub::instance().settled();
}

void NumberField::end_drag(bool put_back) {
    if (!pressed_) return;
    const bool moved = dragging_;
    pressed_ = dragging_ = false;
    unsetCursor();
    if (!moved || !put_back) return;
    change(drag_value_);
    settle();
}

// Undo is the field's own while something is typed in it, and the window's otherwise.
bool NumberField::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride && !isModified()) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->matches(QKeySequence::Undo) || key->matches(QKeySequence::Redo)) {
            event->ignore();
            return true;
        }
    }
    return QLineEdit::event(event);
}

void NumberField::focusInEvent(QFocusEvent* event) {
    show_text(false);
    setModified(false);
    QLineEdit::focusInEvent(event);
    if (event->reason() != Qt::MouseFocusReason) selectAll();
}

void NumberField::focusOutEvent(QFocusEvent* event) {
    take_text();
    if (stepping_.isActive()) settle();
    QLineEdit::focusOutEvent(event);
    show_text(true);
}

void NumberField::keyPressEvent(QKeyEvent* event) {
    const double by = event->modifiers() & Qt::ShiftModifier     ? 10 * step_
                      : event->modifiers() & Qt::ControlModifier ? step_ / 10
                                                                 : step_;
    if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down) {
        change(value_ + (event->key() == Qt::Key_Up ? by : -by));
        stepping_.start();
        selectAll();
        return;
    }
    const bool entered = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
    if (entered && event->modifiers() & Qt::ShiftModifier) take_text(true); // the rest is as for Return
    if (event->key() == Qt::Key_Escape && isModified()) {
        setModified(false);
        show_text(false);
        selectAll();
        return;
    }
    QLineEdit::keyPressEvent(event);
}

void NumberField::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && !hasFocus()) {
        press_ = event->pos();
        pressed_ = true;
        dragging_ = false;
        drag_value_ = value_;
        if (stepping_.isActive()) settle();
        return;
    }
    QLineEdit::mousePressEvent(event);
}

void NumberField::mouseMoveEvent(QMouseEvent* event) {
    if (!pressed_) {
        QLineEdit::mouseMoveEvent(event);
        return;
    }
    const int moved = event->pos().x() - press_.x();
    if (!dragging_ && std::abs(moved) < 5) return;
    if (!dragging_) setCursor(Qt::SizeHorCursor);
    dragging_ = true;
    const double scale = event->modifiers() & Qt::ShiftModifier ? 0.1 : 1;
    change(drag_value_ + std::round(moved / 4.0) * step_ * scale);
}

void NumberField::mouseReleaseEvent(QMouseEvent* event) {
    if (!pressed_) {
        QLineEdit::mouseReleaseEvent(event);
        return;
    }
    pressed_ = false;
    if (dragging_) {
        dragging_ = false;
        unsetCursor();
        settle();
    } else {
        setFocus(Qt::MouseFocusReason);
        selectAll();
    }
}

void NumberField::wheelEvent(QWheelEvent* event) {
    if (!hasFocus()) { // scrolling a panel must not change numbers in passing
        event->ignore();
        return;
    }
    event->accept();
    wheeled_ += event->angleDelta().y(); // a sideways turn has none
    const int steps = wheeled_ / 120;    // touchpads tell many small turns
    if (steps == 0) return;
    wheeled_ -= steps * 120;
    change(value_ + step_ * steps);
    stepping_.start();
}

} // namespace garland
