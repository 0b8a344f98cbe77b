#include "app/widgets/curve_edit.h"

#include "app/theme/tokens.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {
constexpr double margin = 7;
}

CurveEdit::CurveEdit(double low, double high, double still, bool identity, QWidget* parent)
    : QWidget(parent), low_(low), high_(high), still_(still), identity_(identity) {
    setFixedSize(132, 56);
    setFocusPolicy(Qt::StrongFocus);
    setToolTip(tr("Click to add a key, drag to move it, double-click or Delete to remove it,\nright-click to change "
                  "how it goes on: straight, eased, stepped"));
}

void CurveEdit::set_curve(const KeyedCurve& curve) {
    if (dragged_ >= 0) return; // the hand leads
    curve_ = curve;
    picked_ = std::min(picked_, static_cast<int>(curve_.size()) - 1);
    update();
}

auto CurveEdit::pixel(double at, double value) const -> QPointF {
    return {margin + at * (width() - 2 * margin),
            height() - margin - (value - low_) / (high_ - low_) * (height() - 2 * margin)};
}

void CurveEdit::begin() {
    if (!curve_.empty()) return;
    curve_ = {{0, identity_ ? 0 : still_, Toward::linear}, {1, identity_ ? 1 : still_, Toward::linear}};
}

int CurveEdit::key_at(QPointF at) const {
    KeyedCurve shown = curve_;
    if (shown.empty())
        shown = {{0, identity_ ? 0 : still_, Toward::linear}, {1, identity_ ? 1 : still_, Toward::linear}};
    for (std::size_t i = 0; i < shown.size(); ++i) {
        const QPointF d = pixel(shown[i].at, std::clamp(shown[i].value, low_, high_)) - at;
        if (std::hypot(d.x(), d.y()) < 8) return static_cast<int>(i);
    }
    return -1;
}

void CurveEdit::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(hasFocus() ? t.accent : t.line);
    p.setBrush(t.ground);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    const CurvePlan plan(curve_, still_);
    QPolygonF line;
    for (int x = 0; x <= width() - 2 * static_cast<int>(margin); ++x) {
        const double at = x / (width() - 2 * margin);
        const double v = curve_.empty() && identity_ ? at : plan.at(at);
        line << pixel(at, std::clamp(v, low_, high_));
    }
    p.setPen(QPen(curve_.empty() ? t.muted : t.accent, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
    p.setPen(Qt::NoPen);
    for (std::size_t i = 0; i < curve_.size(); ++i) {
        p.setBrush(static_cast<int>(i) == picked_ ? t.rose : t.text);
        p.drawEllipse(pixel(curve_[i].at, std::clamp(curve_[i].value, low_, high_)), 3, 3);
    }
}

void CurveEdit::end_drag(bool put_back) {
    if (dragged_ < 0) return;
    dragged_ = -1;
    if (!put_back) return;
    curve_ = before_drag_;
    emit edited(curve_);
    emit settled();
    update();
}

void CurveEdit::mousePressEvent(QMouseEvent* event) {
    before_drag_ = curve_;
    int key = key_at(event->position());
    begin();
    if (event->button() == Qt::RightButton) {
        if (key < 0) return;
        Toward& way = curve_[static_cast<std::size_t>(key)].toward;
        way = way == Toward::linear ? Toward::smooth : way == Toward::smooth ? Toward::step : Toward::linear;
        emit edited(curve_);
        emit settled();
        return update();
    }
    if (key < 0) {
        const double at =
            std::round(std::clamp((event->position().x() - margin) / (width() - 2 * margin), 0.0, 1.0) * steps_) /
            steps_;
        const double value = std::clamp(
            low_ + (height() - margin - event->position().y()) / (height() - 2 * margin) * (high_ - low_), low_, high_);
        const auto place =
            std::lower_bound(curve_.begin(), curve_.end(), at, [](const CurveKey& k, double a) { return k.at < a; });
        if (place != curve_.end() && place->at == at) return;
        key = static_cast<int>(place - curve_.begin());
        const Toward way = key > 0 ? curve_[static_cast<std::size_t>(key) - 1].toward : Toward::linear;
        curve_.insert(place, {at, value, way});
        emit edited(curve_);
    }
    dragged_ = picked_ = key;
    update();
}

void CurveEdit::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_ < 0) return;
    if (static_cast<std::size_t>(dragged_) >= curve_.size()) return end_drag(false); // another curve is shown meanwhile
    const auto i = static_cast<std::size_t>(dragged_);
    const double step = 1.0 / steps_;
    const double least = i > 0 ? curve_[i - 1].at + step : 0,
                 most = i + 1 < curve_.size() ? curve_[i + 1].at - step : 1;
    const double at = (event->position().x() - margin) / (width() - 2 * margin);
    const double value = low_ + (height() - margin - event->position().y()) / (height() - 2 * margin) * (high_ - low_);
    curve_[i].at = std::clamp(std::round(at * steps_) / steps_, least, std::max(least, most));
    curve_[i].value = std::clamp(std::round(value * 200) / 200, low_, high_);
    emit edited(curve_);
    update();
}

void CurveEdit::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_ < 0) return;
    dragged_ = -1;
    emit settled();
}

void CurveEdit::remove(int key) {
    if (key < 0 || static_cast<std::size_t>(key) >= curve_.size()) return;
    curve_.erase(curve_.begin() + key);
    if (curve_.size() < 2) curve_.clear(); // as if there had never been one
    picked_ = -1;
    emit edited(curve_);
    emit settled();
    update();
}

void CurveEdit::mouseDoubleClickEvent(QMouseEvent* event) {
    dragged_ = -1;
    remove(key_at(event->position()));
}

void CurveEdit::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace) return remove(picked_);
    if (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right) { // from key to key
        begin();
        picked_ =
            std::clamp(picked_ + (event->key() == Qt::Key_Right ? 1 : -1), 0, static_cast<int>(curve_.size()) - 1);
        return update();
    }
    if ((event->key() == Qt::Key_Up || event->key() == Qt::Key_Down) && picked_ >= 0) {
        double& v = curve_[static_cast<std::size_t>(picked_)].value;
        v = std::clamp(v + (event->key() == Qt::Key_Up ? 1 : -1) * (high_ - low_) / 20, low_, high_);
        emit edited(curve_);
        emit settled();
        return update();
    }
    QWidget::keyPressEvent(event);
}

} // namespace garland
