#include "app/panels/loop/match_view.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace garland {

namespace {

constexpr double scale_width = 34, scale_height = 18;

QColor between(const QColor& a, const QColor& b, double w) {
    return QColor::fromRgbF(static_cast<float>(a.redF() + (b.redF() - a.redF()) * w),
                            static_cast<float>(a.greenF() + (b.greenF() - a.greenF()) * w),
                            static_cast<float>(a.blueF() + (b.blueF() - a.blueF()) * w));
}

} // namespace

MatchView::MatchView(QWidget* parent) : QWidget(parent) {
    setMinimumSize(220, 220);
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::CrossCursor);
    setAccessibleName(tr("Pose against pose"));
    setToolTip(tr("Every frame against every other: dark where the poses are alike. Click a place to loop between its "
                  "two frames; "
                  "arrows move the start (left, right) and the end (up, down)"));
}

MatchLayout MatchView::layout_now() const {
    MatchLayout l;
    l.left = scale_width;
    l.top = scale_height;
    l.side = std::max(1.0, std::min(width() - scale_width - 4.0, height() - scale_height - 4.0));
    if (matrix_)
        l.first = matrix_->first, l.frames = std::max<std::int64_t>(1, static_cast<std::int64_t>(matrix_->frames));
    return l;
}

void MatchView::set_matrix(std::shared_ptr<const FrameMatrix> matrix) {
    matrix_ = std::move(matrix);
    make_image();
    update();
}

void MatchView::make_image() {
    image_ = {};
    if (!matrix_ || matrix_->frames == 0) return;
    const auto n = static_cast<int>(matrix_->frames);
    float most = 0;
    for (float v : matrix_->values) most = std::max(most, v);
    const Tokens& t = tokens();
    // From like the darkest to like the lightest of the look; by the root, since it is the small distances that one
    // reads.
    const QColor dark = t.dark ? t.ground.darker(170) : t.text,
                 light = t.dark ? between(t.muted, t.text, 0.35) : t.raised;
    QRgb shades[256];
    for (int i = 0; i < 256; ++i) shades[i] = between(dark, light, i / 255.0).rgb();
    image_ = QImage(n, n, QImage::Format_RGB32);
    for (int y = 0; y < n; ++y) {
        auto* line = reinterpret_cast<QRgb*>(image_.scanLine(y));
        for (int x = 0; x < n; ++x) {
            const float d = matrix_->at(static_cast<std::size_t>(x), static_cast<std::size_t>(y));
            line[x] = shades[std::clamp(static_cast<int>(std::sqrt(d / std::max(most, 1e-30f)) * 255), 0, 255)];
        }
    }
}

void MatchView::set_candidates(std::vector<LoopCandidate> candidates) {
    candidates_ = std::move(candidates);
    update();
}

void MatchView::set_chosen(std::int64_t start, std::int64_t length) {
    start_ = start, length_ = length;
    update();
}

void MatchView::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    const MatchLayout l = layout_now();
    QPainter p(this);
    const QRectF square(l.left, l.top, l.side, l.side);
    p.fillRect(square, t.ground);
    p.setFont(text_font(8));
    if (image_.isNull()) {
        p.setPen(t.muted);
        p.drawText(square.adjusted(12, 12, -12, -12), Qt::AlignCenter | Qt::TextWordWrap, words_);
        return;
    }
    p.setRenderHint(QPainter::SmoothPixmapTransform, image_.width() > l.side);
    p.drawImage(square, image_);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(t.muted);
    const std::int64_t step = MatchLayout::mark_step(l.frames, 6);
    for (std::int64_t f = (l.first + step - 1) / step * step; f < l.first + l.frames; f += step) {
        p.drawText(QRectF(l.x_of(f) - 24, 0, 48, l.top - 2), Qt::AlignHCenter | Qt::AlignBottom, QString::number(f));
        p.drawText(QRectF(0, l.y_of(f) - 8, l.left - 5, 16), Qt::AlignRight | Qt::AlignVCenter, QString::number(f));
    }
    auto mark = [&](std::int64_t start, std::int64_t length, double radius, const QColor& colour, double wide) {
        p.setPen(QPen(colour, wide));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(QPointF(l.x_of(start), l.y_of(start + length)), radius, radius);
    };
    for (std::size_t i = candidates_.size(); i-- > 0;)
        mark(candidates_[i].start, candidates_[i].length, 4.5, t.dark ? t.ok : t.ok, 1.5);
    if (length_ > 0) {
        p.setPen(QPen(t.accent, 1, Qt::DotLine));
        p.drawLine(QPointF(l.x_of(start_), l.top), QPointF(l.x_of(start_), l.y_of(start_ + length_)));
        p.drawLine(QPointF(l.left, l.y_of(start_ + length_)), QPointF(l.x_of(start_), l.y_of(start_ + length_)));
        mark(start_, length_, 7, t.accent, 2.5);
    }
    if (!over_ || !l.contains(over_->x(), over_->y())) return;
    const auto [a, b] = l.pair_at(over_->x(), over_->y());
    const bool share = matrix_->unit.empty();
    const QString unit = " " + (share ? QStringLiteral("%") : QString::fromStdString(matrix_->unit));
    const QString words = a == b ? tr("frame %1").arg(a)
                                 : tr("frames %1 and %2: %3%4 apart")
                                       .arg(a)
                                       .arg(b)
                                       .arg(number_text(matrix_->between(a, b) * (share ? 100 : 1), 3), unit);
    const QRectF size = p.boundingRect(QRectF(0, 0, 400, 20), Qt::AlignLeft, words);
    QRectF box(over_->x() + 10, over_->y() + 12, size.width() + 12, 20);
    if (box.right() > width()) box.moveRight(over_->x() - 8);
    if (box.bottom() > height()) box.moveBottom(over_->y() - 8);
    p.setPen(Qt::NoPen);
    p.setBrush(t.raised);
    p.drawRoundedRect(box, 4, 4);
    p.setPen(t.text);
    p.drawText(box, Qt::AlignCenter, words);
}

void MatchView::choose_at(QPointF at) {
    const MatchLayout l = layout_now();
    if (image_.isNull() || !l.contains(at.x(), at.y())) return;
    const auto [a, b] = l.pair_at(at.x(), at.y());
    // A click beside a ring means the ring.
    for (const LoopCandidate& c : candidates_) {
        const double dx = l.x_of(c.start) - l.x_of(a), dy = l.y_of(c.start + c.length) - l.y_of(b);
        if (dx * dx + dy * dy < 36) return emit chosen(c.start, c.length);
    }
    if (b > a) emit chosen(a, b - a);
}

void MatchView::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) choose_at(event->position());
}

void MatchView::mouseMoveEvent(QMouseEvent* event) {
    over_ = event->position();
    if (event->buttons() & Qt::LeftButton) choose_at(event->position());
    update();
}

void MatchView::leaveEvent(QEvent*) {
    over_.reset();
    update();
}

void MatchView::keyPressEvent(QKeyEvent* event) {
    std::int64_t start = start_, end = start_ + length_;
    switch (event->key()) {
    case Qt::Key_Left: --start; break;
    case Qt::Key_Right: ++start; break;
    case Qt::Key_Up: --end; break;
    case Qt::Key_Down: ++end; break;
    default: return QWidget::keyPressEvent(event);
    }
    if (matrix_ && length_ > 0 && matrix_->has(start) && matrix_->has(end) && end > start)
        emit chosen(start, end - start);
}

bool MatchView::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride && length_ > 0) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Up || key == Qt::Key_Down) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void MatchView::changeEvent(QEvent* event) {
    if (event->type() == QEvent::StyleChange || event->type() == QEvent::PaletteChange) make_image();
    QWidget::changeEvent(event);
}

} // namespace garland
