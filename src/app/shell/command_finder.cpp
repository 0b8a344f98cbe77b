#include "app/shell/command_finder.h"

#include "app/widgets/parts.h"

namespace garland {

CommandFinder::CommandFinder(const Commands& commands, QWidget* parent)
    : AskedList(tr("Commands"), tr("Command"), tr("What do you want to do? “hold”, “fit scene”, “save” …"),
                {tr("Command"), tr("Menu"), tr("Key")}, parent),
      commands_(commands) {
    column_->addWidget(make_label(tr("Return runs it · Escape leaves"), "muted"));
    resize(640, 420);
    fill();
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

void CommandFinder::take(QTreeWidgetItem* item) {
    const Commands::Command* command = commands_.find(item->data(0, Qt::UserRole).toString());
    if (!command) return;
    chosen_ = command->action;
    accept();
}

} // namespace garland
