// What two fingers on a touchpad say: apart or together zooms, both along slide. A mouse's wheel is neither.
#pragma once

#include <QEvent>
#include <QNativeGestureEvent>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>
#include <optional>

namespace garland {

struct Pinch {
    double factor = 1; // larger than 1: fingers go apart, what is seen becomes larger
    QPointF at;        // in the widget
};

// The desktop tells a pinch in small parts; each is a factor less 1.
inline std::optional<Pinch> pinch_in(const QEvent& event) {
    if (event.type() != QEvent::NativeGesture) return {};
    const auto& gesture = static_cast<const QNativeGestureEvent&>(event);
    if (gesture.gestureType() != Qt::ZoomNativeGesture) return {};
    return Pinch{std::max(0.1, 1 + gesture.value()), gesture.position()};
}

// Where a slide of two fingers has phases and pixels; a wheel has steps alone.
inline std::optional<QPointF> slide_in(const QWheelEvent& event) {
    if (event.pixelDelta().isNull() || event.phase() == Qt::NoScrollPhase) return {};
    return QPointF(event.pixelDelta());
}

// Steps of a wheel that zoom by 0.87 each, for a factor.
inline double wheel_steps(double factor) {
    return std::log(factor) / -std::log(0.87);
}

} // namespace garland
