// What the pointer does on the Lanes, and the nudges it makes.
#include "app/lanes/lanes_view.h"

#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "app/widgets/parts.h"
#include "app/widgets/touchpad.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <numeric>

#include <map>

namespace garland {

void LanesView::size_rows(double factor) {
    layout_.row_height = std::clamp(layout_.row_height * factor, 3.0, 40.0);
    update_scroll();
    stale_ = true;
    update();
}

void LanesView::wheelEvent(QWheelEvent* event) {
    const QPointF at = event->position();
    const QPointF steps = QPointF(event->angleDelta()) / 120.0;
    const bool control = event->modifiers() & Qt::ControlModifier, shift = event->modifiers() & Qt::ShiftModifier;
    const bool below = at.y() >= layout_.head + layout_.plot_height(), above = at.y() > 28 && at.y() < layout_.head;
    const bool on_time = at.x() >= layout_.names && (above || below); // the sound, the frame numbers
    constexpr double page = 60;                                       // pixels a step of the wheel
    if ((control && shift) || on_time) {
        zoom_time(std::pow(0.87, steps.y()), at.x());
    } else if (control) {
        size_rows(std::pow(1.15, steps.y()));
    } else if (shift) {
        pan_time(steps.y() * page);
    } else if (const auto by = slide_in(*event)) {
        if (by->x() != 0) pan_time(by->x());
        slid_ += by->y() / layout_.row_pixels(); // rows; what is less than one waits for more
        const double whole = std::trunc(slid_);
        slid_ -= whole;
        bar_->setValue(bar_->value() - static_cast<int>(whole));
    } else {
        if (steps.x() != 0) pan_time(steps.x() * page);
        bar_->setValue(bar_->value() - event->angleDelta().y() / 40);
    }
    event->accept();
}

void LanesView::go_to(double x) {
    viewing_.set_frame(std::round(layout_.frame_at(x)));
}

void LanesView::mousePressEvent(QMouseEvent* event) {
    press_ = event->position();
    if (event->button() == Qt::MiddleButton) drag_ = Drag::pan;
    if (event->button() != Qt::LeftButton) return;
    dragged_ = false;
    const std::int64_t row = layout_.row_at(press_.y());
    if (row < 0 || row >= static_cast<std::int64_t>(order_.size())) {
        drag_ = press_.x() >= layout_.names ? Drag::frame : Drag::none;
        if (drag_ == Drag::frame) go_to(press_.x());
        return;
    }
    document_.end_merge();
    drag_copy_ = copy_of_row(row);
    drag_ = Drag::row;
    const bool add = event->modifiers() & Qt::ControlModifier;
    if (add) {
        viewing_.toggle(drag_copy_);
    } else if (!viewing_.selection().count(drag_copy_)) {
        viewing_.set_current_copy(drag_copy_);
    }
    drag_from_ = 0;
    drag_copies_ = viewing_.selection();
}

void LanesView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    if (drag_ == Drag::frame) return go_to(at.x());
    if (drag_ == Drag::pan) {
        pan_time(at.x() - press_.x());
        press_ = at;
        return;
    }
    if (drag_ == Drag::row && layout_.in_plot(press_.x(), press_.y())) {
        if (!dragged_ && std::abs(at.x() - press_.x()) < 4) return;
        dragged_ = true;
        double by = (at.x() - press_.x()) * layout_.frames_per_pixel();
        by = event->modifiers() & Qt::ShiftModifier ? std::round(by * 100) / 100 : std::round(by);
        return drag_nudges(by);
    }
    const std::int64_t row = layout_.row_at(at.y());
    if (row < 0 || at.x() < layout_.names) return emit hovered({});
    auto t = trace(*document_.show(), copy_of_row(row), OutputFrame(std::round(layout_.frame_at(at.x()))));
    if (t) emit hovered(QString::fromStdString(t->line));
}

void LanesView::drag_nudges(double by) {
    const double change = by - drag_from_;
    if (change == 0) return;
    drag_from_ = by;
    set_nudges(
        drag_copies_, [change](double now) { return now + change; }, tr("Nudge copies"), QStringLiteral("lanes-drag"));
}

void LanesView::end_drag(bool put_back) {
    if (drag_ == Drag::row && dragged_ && put_back) drag_nudges(0);
    if (dragged_) document_.end_merge();
    drag_ = Drag::none;
    dragged_ = false;
    drag_copies_.clear();
}

void LanesView::step_row(std::int64_t by, bool add) {
    if (order_.empty()) return;
    const std::int64_t now = row_of_copy(viewing_.current_copy());
    const std::int64_t row = std::clamp<std::int64_t>(now + by, 0, static_cast<std::int64_t>(order_.size()) - 1),
                       copy = copy_of_row(row);
    if (add) {
        std::set<std::int64_t> all = viewing_.selection();
        if (now >= 0) all.insert(copy_of_row(now));
        all.insert(copy);
        viewing_.select(std::move(all));
        viewing_.set_current(copy);
    } else {
        viewing_.set_current_copy(copy);
    }
    show_copy(copy);
    update();
}

bool LanesView::event(QEvent* event) {
    if (const auto pinch = pinch_in(*event)) {
        size_rows(pinch->factor);
        event->accept();
        return true;
    }
    if (event->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Up || key == Qt::Key_Down || key == Qt::Key_Delete || key == Qt::Key_0) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void LanesView::keyPressEvent(QKeyEvent* event) {
    const bool add = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
    case Qt::Key_Up: return step_row(-1, add);
    case Qt::Key_Down: return step_row(1, add);
    case Qt::Key_Plus:
    case Qt::Key_Equal: return zoom_time_at_playhead(0.8);
    case Qt::Key_Minus: return zoom_time_at_playhead(1.25);
    case Qt::Key_0: return show_all_frames();
    case Qt::Key_Delete:
        return set_nudges(viewing_.selection(), [](double) { return 0.0; },
                          tr("Clear the nudges of the selected copies"), {});
    default: QWidget::keyPressEvent(event);
    }
}

void LanesView::mouseReleaseEvent(QMouseEvent* event) {
    if (drag_ == Drag::row && !dragged_) {
        if (!(event->modifiers() & Qt::ControlModifier)) viewing_.set_current_copy(drag_copy_);
        if (event->position().x() >= layout_.names) go_to(event->position().x());
    }
    end_drag(false);
}

void LanesView::mouseDoubleClickEvent(QMouseEvent* event) {
    const std::int64_t row = layout_.row_at(event->position().y());
    if (row < 0 || event->position().x() >= layout_.names) return;
    const std::int64_t copy = copy_of_row(row);
    if (nudge_of(copy) != 0) {
        set_nudges({copy}, [](double) { return 0.0; },
                   tr("Clear the nudge of %1").arg(QString::fromStdString(copy_name(copy, document_.show()->copies()))),
                   {});
    }
}

void LanesView::leaveEvent(QEvent*) {
    emit hovered({});
}

double LanesView::nudge_of(std::int64_t copy) const {
    std::size_t index = 0;
    const ArrangementShow* a = document_.show()->find(copy, index);
    if (!a) return 0;
    const Arrangement* arrangement = document_.project().arrangement(a->id);
    for (const Nudge& n : arrangement->by_hand.nudges) {
        if (n.copy == a->places[index].id) return n.frames;
    }
    return 0;
}

void LanesView::set_nudges(const std::set<std::int64_t>& copies, const std::function<double(double)>& change,
                           const QString& words, const QString& merge) {
    const ShowPtr show = document_.show();
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            std::map<ArrangementId, std::set<CopyId>> which;
            for (std::int64_t copy : copies) {
                std::size_t index = 0;
                if (const ArrangementShow* a = show->find(copy, index)) which[a->id].insert(a->places[index].id);
            }
            for (const auto& [arrangement, ids] : which) {
                auto& nudges = p.arrangement(arrangement)->by_hand.nudges;
                std::map<CopyId, double> all;
                for (const Nudge& n : nudges) all.emplace(n.copy, n.frames);
                for (const CopyId id : ids) all[id] = change(all.count(id) ? all[id] : 0);
                nudges.clear();
                for (const auto& [id, frames] : all) {
                    if (frames != 0) nudges.push_back({id, frames});
                }
            }
            return {};
        },
        merge);
}

void LanesView::nudge(double frames) {
    std::set<std::int64_t> copies = viewing_.selection();
    if (copies.empty() && viewing_.current_copy() >= 0) copies.insert(viewing_.current_copy());
    set_nudges(copies, [frames](double now) { return now + frames; },
               frames > 0 ? tr("Nudge copies later") : tr("Nudge copies ahead"), {});
}

} // namespace garland
