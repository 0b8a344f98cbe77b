// How the time map answers the pointer and the keyboard.
#include "app/panels/retime/time_map_view.h"
#include "app/theme/number_text.h"
#include "app/widgets/touchpad.h"

#include "core/time/map_edits.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {
constexpr double grip_radius = 9; // pixels
constexpr double handle_length = 46;
} // namespace

// The handles of free stretches: of the way a key is left, and of the way it is come to.
bool TimeMapView::has_handle(std::size_t key, bool leave) const {
    const auto& keys = shown_.keys.keys;
    if (view_ != MapView::position || picked_ != PickedKeys{key}) return false;
    if (leave) return keys[key].toward == Toward::free;
    return key > 0 && keys[key - 1].toward == Toward::free;
}

QPointF TimeMapView::handle(std::size_t key, bool leave) const {
    const Key& k = shown_.keys.keys[key];
    const double across = axes_.plot.width() / (axes_.out_high - axes_.out_low);
    const double up = axes_.plot.height() / (axes_.source_high - axes_.source_low);
    QPointF along(across, -(leave ? k.leave : k.arrive) * up);
    along *= handle_length / std::hypot(along.x(), along.y());
    return axes_.at(k.at, k.source) + (leave ? along : -along);
}

TimeMapView::Grip TimeMapView::grip_at(QPointF pixel) const {
    const auto& keys = shown_.keys.keys;
    for (std::size_t i : picked_) {
        for (bool leave : {true, false}) {
            if (!has_handle(i, leave)) continue;
            const QPointF d = handle(i, leave) - pixel;
            if (std::hypot(d.x(), d.y()) < grip_radius - 1) return {leave ? Drag::leave : Drag::arrive, i};
        }
    }
    Grip best;
    double nearest = grip_radius;
    const auto [from, to] = keys_in_view();
    for (std::size_t i = from; i < to; ++i) {
        const QPointF d = axes_.at(keys[i].at, keys[i].source) - pixel;
        const double distance = std::hypot(d.x(), d.y());
        if (distance < nearest) nearest = distance, best = {Drag::keys, i};
    }
    return best;
}

OutputFrame TimeMapView::snap(OutputFrame t, bool free) const {
    if (free) return OutputFrame(std::round(t.value * 100) / 100);
    const Settings& s = document_.project().settings;
    const double reach = 6 * (axes_.out_high - axes_.out_low) / axes_.plot.width();
    if (snap_beats_) {
        const OutputFrame to = snapped(t, reach, s.markers, s.tempo, s.rate);
        if (std::abs(to - t) <= reach && to.value != std::round(t.value)) return to;
    }
    return snap_frames_ ? OutputFrame(std::round(t.value)) : OutputFrame(std::round(t.value * 100) / 100);
}

double TimeMapView::snap_value(double value, bool free) const {
    if (view_ == MapView::speed) return free ? std::round(value * 1000) / 1000 : std::round(value * 20) / 20;
    if (view_ == MapView::slider) value = std::clamp(value, 0.0, 100.0);
    return free || !snap_frames_ ? std::round(value * 100) / 100 : std::round(value);
}

void TimeMapView::move_picked(double frames, double value, bool merge) {
    if (picked_.empty()) return;
    const PickedKeys keys = picked_;
    const TimeMap base = merge ? base_ : shown_.keys;
    frames = room_to_move(base, keys, frames);
    if (view_ == MapView::slider) {
        for (std::size_t i : keys) {
            value = std::clamp(value, -base.keys[i].source.value, 100 - base.keys[i].source.value);
        }
    }
    edit_keys(
        keys.size() == 1 ? tr("Move a key") : tr("Move %1 keys").arg(keys.size()),
        [&](const TimeMap&) { return move_keys(base, keys, frames, value); },
        merge ? QStringLiteral("map-keys") : QString());
    if (!picked_.empty()) {
        emit readout(
            words_for(grip_.what == Drag::keys && grip_.key < shown_.keys.keys.size() ? grip_.key : picked_.front()));
    }
}

void TimeMapView::drag_keys(QPointF to, bool free) {
    const Key& gripped = base_.keys[grip_.key];
    const QPointF aim = to - offset_;
    const double frames = snap(axes_.out(aim.x()), free) - gripped.at;
    const double value = snap_value(axes_.source(aim.y()).value, free) - gripped.source.value;
    // A hair's breadth of the pointer is no wish to move.
    if (std::abs((to - press_).x()) < 3 && std::abs((to - press_).y()) < 3) return;
    const bool still_x = std::abs((to - press_).x()) < 3, still_y = std::abs((to - press_).y()) < 3;
    move_picked(still_x ? 0 : frames, still_y ? 0 : value, true);
}

void TimeMapView::drag_handle(QPointF to) {
    const std::size_t i = grip_.key;
    const bool leave = grip_.what == Drag::leave;
    const QPointF d = to - axes_.at(base_.keys[i].at, base_.keys[i].source);
    const double frames = d.x() / axes_.plot.width() * (axes_.out_high - axes_.out_low);
    const double value = -d.y() / axes_.plot.height() * (axes_.source_high - axes_.source_low);
    if ((leave && frames < 0.05) || (!leave && frames > -0.05)) return; // a curve does not run back in time
    const double slope = std::round(std::clamp(value / frames, -1000.0, 1000.0) * 100) / 100;
    edit_keys(
        leave ? tr("Set the outgoing slope") : tr("Set the slope a key is come to with"),
        [&](const TimeMap&) -> Result<TimeMap> {
            TimeMap next = base_;
            (leave ? next.keys[i].leave : next.keys[i].arrive) = slope;
            return next;
        },
        QStringLiteral("map-slope"));
    emit readout((leave ? tr("output frame %1: outgoing slope %2×") : tr("output frame %1: incoming slope %2×"))
                     .arg(number_text(base_.keys[i].at.value), number_text(slope, 2)));
}

// The keys that are dragged are those of the timing the drag began on, as many as there were then.
bool TimeMapView::drag_is_valid() const {
    const Timing* t = timing();
    return t && t->id == base_timing_ && shown_.keys.keys.size() == base_.keys.size() &&
           (grip_.what == Drag::frame || grip_.key < base_.keys.size());
}

void TimeMapView::end_drag(bool put_back) {
    const Drag was = grip_.what;
    const bool changes = was == Drag::keys || was == Drag::leave || was == Drag::arrive;
    if (changes && put_back && drag_is_valid()) {
        const QString merge = was == Drag::keys ? QStringLiteral("map-keys") : QStringLiteral("map-slope");
        edit_keys(
            tr("Move a key"), [&](const TimeMap&) -> Result<TimeMap> { return base_; }, merge);
    }
    if (was == Drag::box) pick(box_base_);
    grip_ = {};
    box_ = {};
    if (changes) document_.end_merge();
    measure();
    update();
}

void TimeMapView::mousePressEvent(QMouseEvent* event) {
    last_ = press_ = event->position();
    if (event->button() == Qt::RightButton || event->button() == Qt::MiddleButton) {
        grip_ = {Drag::pan};
        return;
    }
    if (!timing()) return;
    grip_ = grip_at(event->position());
    base_ = shown_.keys;
    base_timing_ = timing()->id;
    document_.end_merge();
    const bool add = event->modifiers() & Qt::ControlModifier;
    if (grip_.what == Drag::keys) {
        const bool was = std::binary_search(picked_.begin(), picked_.end(), grip_.key);
        if (add) {
            PickedKeys next = picked_;
            if (was) {
                std::erase(next, grip_.key);
            } else {
                next.push_back(grip_.key);
            }
            pick(std::move(next));
            if (was) grip_ = {};
        } else if (!was) {
            pick({grip_.key});
        }
        if (grip_.what == Drag::keys) {
            const Key& k = base_.keys[grip_.key];
            offset_ = event->position() - axes_.at(k.at, k.source);
            emit readout(words_for(grip_.key));
        }
        return;
    }
    if (grip_.what != Drag::none) return; // a handle
    if (event->modifiers() & Qt::ShiftModifier) {
        grip_ = {Drag::box};
        box_ = {press_, press_};
        box_base_ = add ? picked_ : PickedKeys{};
        pick(box_base_);
        return;
    }
    pick({});
    grip_ = {Drag::frame};
    if (!(timing()->slider && view_ != MapView::slider)) viewing_.set_frame(std::round(axes_.out(press_.x()).value));
}

void TimeMapView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    const bool free = event->modifiers() & Qt::ShiftModifier;
    if (grip_.what != Drag::none && grip_.what != Drag::pan && !drag_is_valid())
        end_drag(false); // the document changed under the hand
    switch (grip_.what) {
    case Drag::keys: return drag_keys(at, free);
    case Drag::leave:
    case Drag::arrive: return drag_handle(at);
    case Drag::frame:
        if (!(timing()->slider && view_ != MapView::slider)) viewing_.set_frame(std::round(axes_.out(at.x()).value));
        return;
    case Drag::pan:
        axes_.pan(at.x() - last_.x());
        own_view_ = true;
        last_ = at;
        update();
        return;
    case Drag::box: {
        box_ = QRectF(press_, at).normalized();
        PickedKeys inside = box_base_;
        const auto [from, to] = keys_in_view();
        for (std::size_t i = from; i < to; ++i) {
            if (box_.contains(axes_.at(shown_.keys.keys[i].at, shown_.keys.keys[i].source))) inside.push_back(i);
        }
        pick(std::move(inside));
        emit readout(picked_.size() == 1 ? tr("1 key selected") : tr("%1 keys selected").arg(picked_.size()));
        update();
        return;
    }
    case Drag::none: break;
    }
    const Grip over = grip_at(at);
    setCursor(over.what == Drag::none   ? Qt::ArrowCursor
              : over.what == Drag::keys ? Qt::SizeAllCursor
                                        : Qt::PointingHandCursor);
    if (!timing() || !axes_.plot.contains(at)) return emit readout({});
    if (over.what == Drag::keys) return emit readout(words_for(over.key));
    const OutputFrame f(std::round(axes_.out(at.x()).value));
    for (const MapWarning& w : shown_.warnings) {
        if (f >= w.first - 0.5 && f <= w.last + 0.5) return emit readout(words_text(w.words));
    }
    const TimingSample s = shown_.plan.at(f);
    emit readout(s.absent ? tr("output frame %1 shows nothing").arg(number_text(f.value))
                          : tr("output frame %1 shows source frame %2 at %3×")
                                .arg(number_text(f.value), number_text(s.source, 2), number_text(s.slope, 2)));
}

void TimeMapView::mouseReleaseEvent(QMouseEvent*) {
    const Drag was = grip_.what;
    grip_ = {};
    if (was == Drag::keys || was == Drag::leave || was == Drag::arrive) {
        document_.end_merge();
        measure();
    }
    box_ = {};
    update();
}

void TimeMapView::leaveEvent(QEvent*) {
    if (grip_.what == Drag::none) emit readout({});
}

void TimeMapView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !timing() || grip_at(event->position()).what != Drag::none) return;
    Key key;
    key.at = snap(axes_.out(event->position().x()), false);
    key.source = SourceFrame(snap_value(axes_.source(event->position().y()).value, false));
    for (const Key& k : shown_.keys.keys) {
        if (k.at <= key.at && k.toward != Toward::free) key.toward = k.toward;
    }
    if (!edit_keys(tr("Add a key at frame %1").arg(number_text(key.at.value)),
                   [&](const TimeMap& map) { return insert_key(map, key); })) {
        return;
    }
    for (std::size_t i = 0; i < shown_.keys.keys.size(); ++i) {
        if (shown_.keys.keys[i].at == key.at) pick({i});
    }
}

void TimeMapView::wheelEvent(QWheelEvent* event) {
    if (const auto by = slide_in(*event); by && !(event->modifiers() & Qt::ControlModifier)) {
        axes_.pan(by->x());
        own_view_ = true;
        update();
        return event->accept();
    }
    axes_.zoom(std::pow(0.87, event->angleDelta().y() / 120.0), event->position().x());
    own_view_ = true;
    update();
    event->accept();
}

// Copying and picking belong to the keys while the map has the keyboard.
bool TimeMapView::event(QEvent* event) {
    if (const auto pinch = pinch_in(*event)) {
        axes_.zoom(1 / pinch->factor, pinch->at.x());
        own_view_ = true;
        update();
        event->accept();
        return true;
    }
    if (event->type() == QEvent::ShortcutOverride) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->matches(QKeySequence::Copy) || key->matches(QKeySequence::Paste) || key->matches(QKeySequence::Cut) ||
            key->matches(QKeySequence::SelectAll)) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void TimeMapView::keyPressEvent(QKeyEvent* event) {
    if (event->matches(QKeySequence::Copy)) return copy_picked();
    if (event->matches(QKeySequence::Paste)) return paste();
    if (event->matches(QKeySequence::SelectAll)) return pick_all();
    if (event->matches(QKeySequence::Cut)) {
        copy_picked();
        return remove_picked();
    }
    if (timing() && !picked_.empty()) {
        if (event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace) return remove_picked();
        if (event->modifiers() & Qt::AltModifier) { // Alt+arrows move keys; arrows alone move time
            const double by = event->modifiers() & Qt::ShiftModifier ? 10 : 1;
            const double up = view_ == MapView::speed ? by * 0.05 : by;
            switch (event->key()) {
            case Qt::Key_Left: return move_picked(-by, 0, false);
            case Qt::Key_Right: return move_picked(by, 0, false);
            case Qt::Key_Up: return move_picked(0, up, false);
            case Qt::Key_Down: return move_picked(0, -up, false);
            default: break;
            }
        }
    }
    QWidget::keyPressEvent(event);
}

} // namespace garland