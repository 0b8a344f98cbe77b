#include "app/shell/notices.h"

#include "app/theme/tokens.h"
#include "app/widgets/parts.h"

#include <QHBoxLayout>

namespace garland {

Notices::Notices(QWidget* parent) : QWidget(parent) {
    column_ = new QVBoxLayout(this);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(4);
    hide();
}

void Notices::show_error(const Error& error, const QString& action, std::function<void()> run) {
    const QString text = QString::fromStdString(describe(error));
    if (texts().contains(text)) return;
    while (column_->count() >= 3) { // not at once: the keyboard may be on its way to one of its buttons
        QLayoutItem* oldest = column_->takeAt(0);
        oldest->widget()->hide();
        oldest->widget()->deleteLater();
        delete oldest;
    }
    auto* frame = new QFrame;
    frame->setObjectName("banner");
    auto* row = new QHBoxLayout(frame);
    row->setContentsMargins(12, 5, 6, 5);
    auto* words = make_label(text);
    words->setObjectName("noticeText");
    words->setWordWrap(true);
    words->setTextInteractionFlags(Qt::TextSelectableByMouse);
    row->addWidget(words, 1);
    auto close = [this, frame] {
        column_->removeWidget(frame);
        frame->hide();
        frame->deleteLater();
        setVisible(column_->count() > 0);
    };
    if (run) {
        auto* button = make_button(action, action);
        QObject::connect(button, &QPushButton::clicked, this, [run = std::move(run), close] {
            close();
            run();
        });
        row->addWidget(button);
    }
    auto* shut = new QToolButton;
    shut->setObjectName("flat");
    shut->setIcon(line_icon("remove"));
    shut->setToolTip(tr("Close this message"));
    shut->setAccessibleName(tr("Close this message"));
    QObject::connect(shut, &QToolButton::clicked, this, close);
    row->addWidget(shut, 0, Qt::AlignTop);
    column_->addWidget(frame);
    show();
}

void Notices::clear() {
    clear_layout(column_);
    hide();
}

QStringList Notices::texts() const {
    QStringList all;
    for (auto* label : findChildren<QLabel*>("noticeText")) {
        if (!label->parentWidget()->isHidden()) all << label->text();
    }
    return all;
}

} // namespace garland
