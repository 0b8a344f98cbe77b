#include "app/shell/asked_list.h"

#include <QCoreApplication>
#include <QHeaderView>
#include <QKeyEvent>

namespace garland {

bool has_words(const QString& text, const QString& asked) {
    for (const QString& word : asked.split(' ', Qt::SkipEmptyParts)) {
        if (!text.contains(word, Qt::CaseInsensitive)) return false;
    }
    return true;
}

AskedList::AskedList(const QString& title, const QString& name, const QString& placeholder, const QStringList& columns,
                     QWidget* parent)
    : QDialog(parent) {
    setWindowTitle(title);
    column_ = new QVBoxLayout(this);
    line_ = new QLineEdit;
    line_->setAccessibleName(name);
    line_->setPlaceholderText(placeholder);
    line_->setClearButtonEnabled(true);
    column_->addWidget(line_);
    list_ = new QTreeWidget;
    list_->setAccessibleName(title);
    list_->setHeaderLabels(columns);
    list_->setRootIsDecorated(false);
    list_->setUniformRowHeights(true);
    list_->setFocusPolicy(Qt::NoFocus);
    list_->header()->setStretchLastSection(false);
    for (int c = 0; c < columns.size(); ++c)
        list_->header()->setSectionResizeMode(c, c == 0 ? QHeaderView::Stretch : QHeaderView::ResizeToContents);
    column_->addWidget(list_, 1);
    connect(line_, &QLineEdit::textChanged, this, [this] { fill(); });
    connect(list_, &QTreeWidget::itemClicked, this, [this](QTreeWidgetItem* item) { take_if_possible(item); });
    line_->installEventFilter(this);
}

bool AskedList::eventFilter(QObject* watched, QEvent* event) {
    if (watched != line_ || event->type() != QEvent::KeyPress) return QDialog::eventFilter(watched, event);
    switch (static_cast<QKeyEvent*>(event)->key()) {
    case Qt::Key_Up:
    case Qt::Key_Down:
    case Qt::Key_PageUp:
    case Qt::Key_PageDown: QCoreApplication::sendEvent(list_, event); return true;
    case Qt::Key_Return:
    case Qt::Key_Enter: take_if_possible(list_->currentItem()); return true;
    default: return QDialog::eventFilter(watched, event);
    }
}

void AskedList::take_if_possible(QTreeWidgetItem* item) {
    if (item && !item->isDisabled()) take(item);
}

} // namespace garland
