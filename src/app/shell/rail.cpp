#include "app/shell/rail.h"

#include "app/theme/tokens.h"

#include <QPainter>
#include <QVBoxLayout>

namespace garland {

RailButton::RailButton(const QString& word, const QString& icon, const QString& tip, QWidget* parent)
    : QAbstractButton(parent), icon_(icon) {
    setText(word);
    setAccessibleName(word);
    setToolTip(tip);
    setCheckable(true);
    setAutoExclusive(true);
    setFocusPolicy(Qt::TabFocus);
    setAttribute(Qt::WA_Hover);
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
    setMinimumHeight(48);
    setMaximumHeight(72);
}

void RailButton::set_badge(int count) {
    badge_ = count;
    setAccessibleDescription(count ? tr("%n finding(s)", nullptr, count) : QString());
    update();
}

void RailButton::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRect box = rect().adjusted(3, 2, -3, -2);
    if (isChecked() || underMouse()) {
        p.setPen(Qt::NoPen);
        p.setBrush(isChecked() ? t.raised : t.panel);
        p.drawRoundedRect(box, 6, 6);
    }
    if (isChecked()) {
        p.setPen(Qt::NoPen);
        p.setBrush(t.accent);
        p.drawRoundedRect(QRect(box.left(), box.top() + 8, 3, box.height() - 16), 1.5, 1.5);
    }
    const int block = 20 + 4 + 16;
    const int top = (height() - block) / 2;
    p.drawPixmap(QPoint((width() - 20) / 2, top),
                 line_pixmap(icon_, isChecked() ? t.accent : t.muted, 20, devicePixelRatioF()));
    p.setFont(text_font(8.5, isChecked()));
    p.setPen(isChecked() ? t.text : t.muted);
    p.drawText(QRect(0, top + 24, width(), 16), Qt::AlignCenter, text());
    if (badge_ > 0) {
        const QString number = badge_ > 99 ? QStringLiteral("99+") : QString::number(badge_);
        p.setFont(text_font(7.5, true));
        const int wide = std::max(16, p.fontMetrics().horizontalAdvance(number) + 8);
        const QRect dot(width() / 2 + 8, top - 6, wide, 16);
        p.setPen(Qt::NoPen);
        p.setBrush(t.alert);
        p.drawRoundedRect(dot, 8, 8);
        p.setPen(t.dark ? t.ground : t.panel);
        p.drawText(dot, Qt::AlignCenter, number);
    }
    if (hasFocus()) {
        p.setPen(QPen(t.accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(box, 6, 6);
    }
}

Rail::Rail(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(3, 4, 3, 4);
    column->setSpacing(0);
    const struct {
        QString word, icon, tip;
    } steps[] = {{tr("Gather"), "gather", tr("Open caches (Alt+1)")},
                 {tr("Retime"), "retime", tr("Change timing (Alt+2)")},
                 {tr("Loop"), "loop", tr("Close a loop (Alt+3)")},
                 {tr("Arrange"), "arrange", tr("Place copies (Alt+4)")},
                 {tr("Vary"), "vary", tr("Give every copy its own time (Alt+5)")},
                 {tr("Check"), "check", tr("Check that no two move alike (Alt+6)")},
                 {tr("Hand off"), "handoff", tr("Write the result (Alt+7)")}};
    for (int i = 0; i < step_count; ++i) {
        auto* b = new RailButton(steps[i].word, steps[i].icon, steps[i].tip, this);
        buttons_[static_cast<std::size_t>(i)] = b;
        column->addWidget(b, 1);
        connect(b, &QAbstractButton::clicked, this, [this, i] { emit chosen(i); });
    }
    setFixedWidth(84);
}

void Rail::set_current(int step) {
    buttons_[static_cast<std::size_t>(step)]->setChecked(true);
}

} // namespace garland
