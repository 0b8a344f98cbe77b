#include "app/panels/arrange/plan_view.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

namespace garland {

namespace {
constexpr std::int64_t many = 2000; // copies; from there on they are small squares, and numbers lie over them
} // namespace

PlanView::PlanView(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing) {
    setFixedHeight(230);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Copies from above"));
    setToolTip(tr(
        "The copies from above, numbered in order; click one to select it, Ctrl adds; ↑ ↓ go from copy to copy, with "
        "Shift they add.\nPoints of a curve can be dragged; double-click beside them adds one, on one removes it."));
    connect(&viewing_, &Viewing::selection_changed, this, qOverload<>(&QWidget::update));
}

void PlanView::measure() {
    if (dragged_ >= 0) return; // the ground stays under the hand
    double low_x = 1e300, high_x = -1e300, low_z = 1e300, high_z = -1e300;
    auto take = [&](const V3d& p) {
        low_x = std::min(low_x, p.x), high_x = std::max(high_x, p.x);
        low_z = std::min(low_z, p.z), high_z = std::max(high_z, p.z);
    };
    for (const ArrangementShow& a : document_.show()->arrangements) {
        for (const Placement& p : a.places) take(p.position);
    }
    if (const Arrangement* a = curve()) {
        for (const V3d& p : a->layout.path.points) take(to_scene(*a, p));
    }
    if (low_x > high_x) low_x = high_x = low_z = high_z = 0;
    const double wide = std::max(high_x - low_x, 0.5), high = std::max(high_z - low_z, 0.5);
    scale_ = std::min((width() - 60) / wide, (height() - 66) / high); // below: the scale
    shift_ = QPointF(width() / 2.0 - scale_ * (low_x + high_x) / 2, height() / 2.0 - 8 - scale_ * (low_z + high_z) / 2);
}

QPointF PlanView::pixel(const V3d& p) const {
    return QPointF(p.x * scale_, p.z * scale_) + shift_;
}

V3d PlanView::place(QPointF at) const {
    const QPointF p = (at - shift_) / scale_;
    return {p.x(), 0, p.y()};
}

const Arrangement* PlanView::curve() const {
    const Arrangement* a = document_.project().arrangement(viewing_.arrangement());
    return a && a->layout.kind == ArrangementKind::curve && !a->single_out ? a : nullptr;
}

int PlanView::path_point_at(QPointF at) const {
    const Arrangement* a = curve();
    for (std::size_t i = 0; a && i < a->layout.path.points.size(); ++i) {
        const QPointF d = pixel(to_scene(*a, a->layout.path.points[i])) - at;
        if (std::hypot(d.x(), d.y()) < 8) return static_cast<int>(i);
    }
    return -1;
}

// All copies as a picture, drawn anew only where it would be another one; those of other arrangements lie below.
void PlanView::draw_dots() {
    const Show& show = *document_.show();
    const Tokens& t = tokens();
    const double ratio = devicePixelRatioF();
    const DotsOf now{document_.show(), viewing_.arrangement(), size() * ratio, scale_, shift_, t.accent.rgb()};
    if (now == dots_of_) return;
    dots_of_ = now;
    dots_ = QImage(now.size, QImage::Format_ARGB32_Premultiplied);
    dots_.setDevicePixelRatio(ratio);
    dots_.fill(Qt::transparent);
    QPainter p(&dots_);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    for (const bool own : {false, true}) {
        for (const ArrangementShow& a : show.arrangements) {
            if ((a.id == now.arrangement) != own) continue;
            const QColor colour = own ? t.accent : t.line;
            if (show.copies() > many) {
                plot(a, colour.rgb(), ratio);
                continue;
            }
            p.setBrush(colour);
            const double r = show.copies() > 400 ? 1.8 : 2.5;
            for (const Placement& one : a.places) p.drawEllipse(pixel(one.position), r, r);
        }
    }
}

void PlanView::plot(const ArrangementShow& a, QRgb colour, double ratio) {
    const int wide = static_cast<int>(std::lround(2 * ratio));
    for (const Placement& one : a.places) {
        const QPointF at = pixel(one.position) * ratio;
        const int x = static_cast<int>(at.x()) - wide / 2, y = static_cast<int>(at.y()) - wide / 2;
        if (x < 0 || y < 0 || x + wide > dots_.width() || y + wide > dots_.height()) continue;
        for (int row = y; row < y + wide; ++row) {
            auto* line = reinterpret_cast<QRgb*>(dots_.scanLine(row));
            std::fill(line + x, line + x + wide, colour);
        }
    }
}

// Numbers where there is room, those of selected copies first. Room is kept by cells of 4 pixels.
void PlanView::draw_numbers(QPainter& p) const {
    const Show& show = *document_.show();
    const Tokens& t = tokens();
    constexpr int cell = 4, most = 400;
    const int columns = width() / cell + 1, rows = height() / cell + 1;
    std::vector<bool> taken(static_cast<std::size_t>(columns * rows));
    auto cells = [&](const QRectF& r, auto use) {
        const int left = std::max(0, static_cast<int>(r.left()) / cell),
                  right = std::min(columns - 1, static_cast<int>(r.right()) / cell);
        const int top = std::max(0, static_cast<int>(r.top()) / cell),
                  bottom = std::min(rows - 1, static_cast<int>(r.bottom()) / cell);
        for (int y = top; y <= bottom; ++y) {
            for (int x = left; x <= right; ++x) {
                if (!use(static_cast<std::size_t>(y * columns + x))) return false;
            }
        }
        return true;
    };
    int shown = 0;
    const bool dense = show.copies() > many;
    QColor behind = t.ground;
    behind.setAlphaF(0.75f);
    auto number = [&](const ArrangementShow& a, std::size_t i, bool picked) {
        const std::int64_t n = a.number(i) + 1;
        const int digits = n < 10 ? 1 : static_cast<int>(std::log10(static_cast<double>(n))) + 1;
        const QPointF at = pixel(a.places[i].position);
        const QRectF name(at.x() + 4, at.y() - 6, 7.0 * digits + 2, 12);
        if (!cells(name, [&](std::size_t c) { return !taken[c]; })) return;
        cells(name, [&](std::size_t c) { return taken[c] = true; });
        if (dense) { // read over the dots that lie behind it
            p.setPen(Qt::NoPen);
            p.setBrush(behind);
            p.drawRoundedRect(name.adjusted(-2, 0, 0, 0), 2, 2);
        }
        p.setPen(picked || dense ? t.text : t.muted);
        p.drawText(name, Qt::AlignLeft | Qt::AlignVCenter, QString::number(n));
        ++shown;
    };
    p.setFont(text_font(7));
    for (const std::int64_t copy : viewing_.selection()) {
        std::size_t i = 0;
        if (shown >= most) break;
        if (const ArrangementShow* a = show.find(copy, i)) number(*a, i, true);
    }
    for (const ArrangementShow& a : show.arrangements) {
        if (a.id != viewing_.arrangement()) continue;
        for (std::size_t i = 0; i < a.places.size() && shown < most; ++i) number(a, i, false);
    }
}

void PlanView::paintEvent(QPaintEvent*) {
    measure();
    const Tokens& t = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(t.ground);
    p.drawRoundedRect(rect(), 6, 6);
    if (hasFocus()) {
        p.setPen(QPen(t.accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
    }
    const Show& show = *document_.show();
    if (const Arrangement* a = curve()) {
        p.setPen(QPen(t.muted, 1));
        for (const auto& line : cords(*a)) {
            QPolygonF drawn;
            for (const V3d& q : line) drawn << pixel(q);
            p.drawPolyline(drawn);
        }
    }
    draw_dots();
    p.drawImage(0, 0, dots_);
    p.setPen(Qt::NoPen);
    p.setBrush(t.rose);
    for (const std::int64_t number : viewing_.selection()) {
        std::size_t i = 0;
        if (const ArrangementShow* a = show.find(number, i)) p.drawEllipse(pixel(a->places[i].position), 4, 4);
    }
    draw_numbers(p);
    if (const Arrangement* a = curve()) {
        p.setPen(QPen(t.text, 1.5));
        p.setBrush(t.panel);
        for (const V3d& q : a->layout.path.points) {
            const QPointF at = pixel(to_scene(*a, q));
            p.drawRect(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7));
        }
    }
    p.setPen(t.muted);
    p.drawText(QRectF(8, height() - 18, width() - 16, 14), Qt::AlignLeft, tr("→ x"));
    p.drawText(QRectF(8, height() - 18, width() - 16, 14), Qt::AlignRight, tr("z ↓"));
    // How far a tenth of the width is, rounded to a plain number.
    const double about = width() / scale_ / 6, power = std::pow(10, std::floor(std::log10(about)));
    const double nice = about / power >= 5 ? 5 * power : about / power >= 2 ? 2 * power : power;
    p.setPen(QPen(t.muted, 1));
    const double y = height() - 8, x = width() / 2.0 - nice * scale_ / 2;
    p.drawLine(QPointF(x, y), QPointF(x + nice * scale_, y));
    p.drawText(QRectF(x - 30, y - 15, nice * scale_ + 60, 13), Qt::AlignCenter, tr("%1 m").arg(number_text(nice)));
}

void PlanView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    dragged_ = path_point_at(event->position());
    if (dragged_ >= 0) {
        dragged_of_ = curve()->id;
        dragged_from_ = curve()->layout.path.points[static_cast<std::size_t>(dragged_)];
        document_.end_merge();
        return;
    }
    std::int64_t best = -1;
    double nearest = 12;
    for (const ArrangementShow& a : document_.show()->arrangements) {
        for (std::size_t i = 0; i < a.places.size(); ++i) {
            const QPointF d = pixel(a.places[i].position) - event->position();
            const double distance = std::hypot(d.x(), d.y());
            if (distance < nearest) nearest = distance, best = a.number(i);
        }
    }
    if (best < 0) return viewing_.select({});
    if (event->modifiers() & Qt::ControlModifier)
        viewing_.toggle(best);
    else
        viewing_.set_current_copy(best);
}

namespace {
// A place of the scene in the arrangement's own space, at a height.
V3d own_place(const Arrangement& a, const V3d& p, double height) {
    const V3d own = from_scene(a, p);
    return {own.x, height, own.z};
}
} // namespace

void PlanView::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_ < 0) return;
    if (!drag_is_valid()) return end_drag(false); // the document changed under the hand
    move_point(own_place(*curve(), place(event->position()), dragged_from_.y));
}

bool PlanView::drag_is_valid() const {
    const Arrangement* a = curve();
    return a && a->id == dragged_of_ && dragged_ >= 0 &&
           static_cast<std::size_t>(dragged_) < a->layout.path.points.size();
}

void PlanView::move_point(const V3d& to) {
    document_.edit(
        tr("Move a point of the path"),
        [&](Project& p) -> Result<void> {
            p.arrangement(dragged_of_)->layout.path.points[static_cast<std::size_t>(dragged_)] = to;
            return {};
        },
        QStringLiteral("path-point"));
    update();
}

void PlanView::end_drag(bool put_back) {
    if (put_back && drag_is_valid()) move_point(dragged_from_);
    if (dragged_ >= 0) document_.end_merge();
    dragged_ = -1;
    update();
}

void PlanView::step_copy(int by, bool add) {
    const std::int64_t copies = document_.show()->copies(), now = viewing_.current_copy();
    if (copies == 0) return;
    const std::int64_t next = std::clamp<std::int64_t>(now + by, 0, copies - 1);
    if (!add) return viewing_.set_current_copy(next);
    std::set<std::int64_t> all = viewing_.selection();
    all.insert(now), all.insert(next);
    viewing_.select(std::move(all));
    viewing_.set_current(next);
}

bool PlanView::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Up || key == Qt::Key_Down) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void PlanView::keyPressEvent(QKeyEvent* event) {
    const bool add = event->modifiers() & Qt::ShiftModifier;
    if (event->key() == Qt::Key_Up) return step_copy(-1, add);
    if (event->key() == Qt::Key_Down) return step_copy(1, add);
    QWidget::keyPressEvent(event);
}

void PlanView::mouseReleaseEvent(QMouseEvent*) {
    end_drag(false);
}

void PlanView::mouseDoubleClickEvent(QMouseEvent* event) {
    const Arrangement* a = curve();
    if (!a) return;
    const int there = path_point_at(event->position());
    dragged_ = -1;
    if (there >= 0) {
        document_.edit(tr("Remove a point of the path"), [&](Project& p) -> Result<void> {
            auto& path = p.arrangement(a->id)->layout.path.points;
            if (static_cast<std::size_t>(there) < path.size()) path.erase(path.begin() + there);
            return {};
        });
        return;
    }
    // Between the two points whose connection is nearest.
    const V3d at = own_place(*a, place(event->position()), 0);
    std::size_t best = a->layout.path.points.size();
    double nearest = 1e300, height = a->layout.path.points.empty() ? 0 : a->layout.path.points.back().y;
    for (std::size_t i = 0; i + 1 < a->layout.path.points.size(); ++i) {
        const V3d p(a->layout.path.points[i].x, 0, a->layout.path.points[i].z),
            q(a->layout.path.points[i + 1].x, 0, a->layout.path.points[i + 1].z);
        const double long2 = (q - p).length2(), w = long2 > 0 ? std::clamp((at - p).dot(q - p) / long2, 0.0, 1.0) : 0;
        const double away = (p + (q - p) * w - at).length();
        if (away < nearest)
            nearest = away, best = i + 1,
            height = a->layout.path.points[i].y + (a->layout.path.points[i + 1].y - a->layout.path.points[i].y) * w;
    }
    document_.edit(tr("Add a point to the path"), [&](Project& p) -> Result<void> {
        auto& path = p.arrangement(a->id)->layout.path.points;
        path.insert(path.begin() + static_cast<std::ptrdiff_t>(best), V3d(at.x, height, at.z));
        return {};
    });
}

} // namespace garland
