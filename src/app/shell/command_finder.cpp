#include "app/shell/command_finder.h"

#include "app/widgets/parts.h"

#include <QHeaderView>
#include <QKeyEvent>

namespace garland {

bool has_words(const QString& text, const QString& asked) {
    for (const QString& word : asked.split(' ', Qt::SkipEmptyParts)) {
        if (!text.contains(word, Qt::CaseInsensitive)) return false;
    }
    return true;
}

CommandFinder::CommandFinder(const Commands& commands, QWidget* parent) : QDialog(parent), commands_(commands) {
    setWindowTitle(tr("Commands"));
    auto* column = new QVBoxLayout(this);
    line_ = new QLineEdit;
    line_->setAccessibleName(tr("Command"));
    line_->setPlaceholderText(tr("What do you want to do? “hold”, “fit scene”, “save” …"));
    line_->setClearButtonEnabled(true);
    column->addWidget(line_);
    list_ = new QTreeWidget;
    list_->setAccessibleName(tr("Commands"));
    list_->setHeaderLabels({tr("Command"), tr("Menu"), tr("Key")});
    list_->setRootIsDecorated(false);
    list_->setUniformRowHeights(true);
    list_->setFocusPolicy(Qt::NoFocus); // the keyboard stays in the line, whose arrows move here
    column->addWidget(list_, 1);
    column->addWidget(make_label(tr("Return runs it · Escape leaves"), "muted"));
    resize(640, 420);
    connect(line_, &QLineEdit::textChanged, this, &CommandFinder::fill);
    connect(list_, &QTreeWidget::itemClicked, this, [this](QTreeWidgetItem* item) { take(item); });
    line_->installEventFilter(this);
    fill();
    list_->header()->setStretchLastSection(false);
    list_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    for (int c : {1, 2}) list_->header()->setSectionResizeMode(c, QHeaderView::ResizeToContents);
}

void CommandFinder::fill() {
    list_->clear();
    const QString asked = line_->text().trimmed();
    QList<QTreeWidgetItem*> by_name, others;
    for (const Commands::Command& c : commands_.all()) {
        if (!has_words(c.name + ' ' + c.group + ' ' + c.tip, asked)) continue;
        auto* item = new QTreeWidgetItem(
            {c.name, c.group, QKeySequence::listToString(c.action->shortcuts(), QKeySequence::NativeText)});
        item->setToolTip(0, c.tip);
        item->setData(0, Qt::UserRole, c.id);
        item->setDisabled(!c.action->isEnabled());
        (has_words(c.name, asked) ? by_name : others) << item; // those that are called so come first
    }
    list_->addTopLevelItems(by_name);
    list_->addTopLevelItems(others);
    if (list_->topLevelItemCount() > 0) {
        list_->setCurrentItem(list_->topLevelItem(0));
        return;
    }
    auto* none = new QTreeWidgetItem({tr("No command has these words"), {}, {}});
    none->setDisabled(true);
    list_->addTopLevelItem(none);
}

bool CommandFinder::eventFilter(QObject* watched, QEvent* event) {
    if (watched != line_ || event->type() != QEvent::KeyPress) return QDialog::eventFilter(watched, event);
    auto* key = static_cast<QKeyEvent*>(event);
    switch (key->key()) {
    case Qt::Key_Up:
    case Qt::Key_Down:
    case Qt::Key_PageUp:
    case Qt::Key_PageDown: QCoreApplication::sendEvent(list_, event); return true;
    case Qt::Key_Return:
    case Qt::Key_Enter: take(list_->currentItem()); return true;
    default: return QDialog::eventFilter(watched, event);
    }
}

void CommandFinder::take(QTreeWidgetItem* item) {
    if (!item || item->isDisabled()) return;
    const Commands::Command* command = commands_.find(item->data(0, Qt::UserRole).toString());
    if (!command) return;
    chosen_ = command->action;
    accept();
}

} // namespace garland
