#include "app/panels/handoff/picture_view.h"

#include <QPainter>

namespace garland {

PictureView::PictureView(QWidget* parent) : QWidget(parent) {
    QSizePolicy policy(QSizePolicy::Expanding, QSizePolicy::Preferred);
    policy.setHeightForWidth(true);
    setSizePolicy(policy);
    setMinimumHeight(120);
    setAccessibleName(tr("Preview"));
}

void PictureView::mouseDoubleClickEvent(QMouseEvent*) {
    emit double_clicked();
}

int PictureView::heightForWidth(int width) const {
    if (picture_.isNull()) return 160;
    const int each = before_.isNull() ? width : width / 2;
    return std::max(120, each * picture_.height() / std::max(picture_.width(), 1) + 20);
}

void PictureView::show_pictures(QImage picture, QImage before, const QString& words, const QString& before_words) {
    const bool other = picture.size() != picture_.size() || before.isNull() != before_.isNull();
    picture_ = std::move(picture);
    before_ = std::move(before);
    words_ = words, before_words_ = before_words;
    setAccessibleDescription(words);
    if (other) updateGeometry();
    update();
}

void PictureView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    if (picture_.isNull()) {
        p.setPen(palette().color(QPalette::PlaceholderText));
        p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("No picture yet: Quick look traces the shown frame, Write makes all of them."));
        return;
    }
    auto draw = [&](const QImage& image, const QRect& room, const QString& words) {
        const QRect above = room.adjusted(0, 0, 0, -20);
        const QSize size = image.size().scaled(above.size(), Qt::KeepAspectRatio);
        const QRect to(QPoint(above.center().x() - size.width() / 2 + 1, above.top()), size);
        if (image.hasAlphaChannel()) {
            for (int y = to.top(); y <= to.bottom(); y += 8) {
                for (int x = to.left(); x <= to.right(); x += 8) {
                    const bool dark = ((x - to.left()) / 8 + (y - to.top()) / 8) % 2;
                    p.fillRect(QRect(x, y, 8, 8) & to, dark ? QColor(118, 118, 122) : QColor(150, 150, 154));
                }
            }
        }
        p.drawImage(to, image);
        p.setPen(palette().color(QPalette::WindowText));
        p.drawText(QRect(room.left(), to.bottom() + 2, room.width(), 18), Qt::AlignHCenter | Qt::AlignVCenter, words);
    };
    if (before_.isNull()) return draw(picture_, rect(), words_);
    const int half = width() / 2;
    draw(before_, QRect(0, 0, half - 3, height()), before_words_);
    draw(picture_, QRect(half + 3, 0, width() - half - 3, height()), words_);
}

} // namespace garland
