#include "app/shell/keys_dialog.h"

#include "app/shell/asked_list.h"
#include "app/widgets/parts.h"
#include "core/base/numbers.h"

#include <QDialogButtonBox>
#include <QFile>
#include <QFileDialog>
#include <QHeaderView>
#include <QMessageBox>
#include <QSaveFile>

namespace garland {

KeysDialog::KeysDialog(Commands& commands, QWidget* parent) : QDialog(parent), commands_(commands) {
    setWindowTitle(tr("Keyboard shortcuts"));
    auto* column = new QVBoxLayout(this);
    search_ = new QLineEdit;
    search_->setAccessibleName(tr("Search keys"));
    search_->setPlaceholderText(tr("Search by name, menu or key"));
    search_->setClearButtonEnabled(true);
    column->addWidget(search_);
    list_ = new QTreeWidget;
    list_->setAccessibleName(tr("Keys"));
    list_->setHeaderLabels({tr("Command"), tr("Key"), tr("What it does")});
    list_->setUniformRowHeights(true);
    column->addWidget(list_, 1);

    auto* row = new QHBoxLayout;
    row->addWidget(make_label(tr("New key")));
    key_ = new QKeySequenceEdit;
    key_->setAccessibleName(tr("New key"));
    key_->setToolTip(tr("Press the key that the selected command shall have"));
    row->addWidget(key_, 1);
    set_ = make_button(tr("Set"), tr("Give this key to the selected command"));
    none_ = make_button(tr("No key"), tr("Take the key from the selected command"));
    usual_ = make_button(tr("Usual key"), tr("Give the selected command back its usual key"));
    for (auto* b : {set_, none_, usual_}) row->addWidget(b);
    column->addLayout(row);
    words_ = make_label({}, "muted");
    words_->setWordWrap(true);
    column->addWidget(words_);

    auto* buttons = new QDialogButtonBox;
    buttons->addButton(tr("Close"), QDialogButtonBox::RejectRole);
    auto* save = buttons->addButton(tr("Save keys…"), QDialogButtonBox::ActionRole);
    save->setToolTip(tr("Write the keys that differ from the usual ones into a file"));
    auto* load = buttons->addButton(tr("Load keys…"), QDialogButtonBox::ActionRole);
    load->setToolTip(tr("Take keys from such a file"));
    auto* reset = buttons->addButton(tr("All usual keys"), QDialogButtonBox::ResetRole);
    reset->setToolTip(tr("Give every command its usual keys"));
    column->addWidget(buttons);
    resize(760, 560);

    connect(search_, &QLineEdit::textChanged, this, &KeysDialog::fill);
    connect(list_, &QTreeWidget::currentItemChanged, this, &KeysDialog::show_current);
    connect(key_, &QKeySequenceEdit::keySequenceChanged, this, &KeysDialog::tell_conflict);
    connect(set_, &QPushButton::clicked, this, &KeysDialog::set_key);
    connect(none_, &QPushButton::clicked, this, [this] { commands_.set_key(current(), {}); });
    connect(usual_, &QPushButton::clicked, this, [this] { commands_.reset_key(current()); });
    connect(reset, &QPushButton::clicked, this, [this] { commands_.reset_all(); });
    connect(save, &QPushButton::clicked, this, &KeysDialog::write_file);
    connect(load, &QPushButton::clicked, this, &KeysDialog::read_file);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(&commands_, &Commands::keys_changed, this, &KeysDialog::fill);
    fill();
    list_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    list_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    search_->setFocus();
}

QString KeysDialog::current() const {
    const QTreeWidgetItem* item = list_->currentItem();
    return item ? item->data(0, Qt::UserRole).toString() : QString();
}

void KeysDialog::fill() {
    const QString before = current(), asked = search_->text().trimmed();
    list_->clear();
    std::map<QString, QTreeWidgetItem*> groups;
    QTreeWidgetItem* again = nullptr;
    for (const Commands::Command& c : commands_.all()) {
        const QString keys = QKeySequence::listToString(c.action->shortcuts(), QKeySequence::NativeText);
        if (!has_words(c.name + ' ' + c.group + ' ' + keys + ' ' + c.tip, asked)) continue;
        QTreeWidgetItem*& group = groups[c.group];
        if (!group) {
            group = new QTreeWidgetItem(list_, {c.group});
            group->setFirstColumnSpanned(true);
            group->setFlags(Qt::ItemIsEnabled);
            group->setExpanded(true);
        }
        auto* item = new QTreeWidgetItem(group, {c.name, keys, c.tip});
        item->setData(0, Qt::UserRole, c.id);
        if (commands_.changed(c)) {
            QFont strong = font();
            strong.setBold(true);
            item->setFont(1, strong);
            item->setToolTip(1, tr("Usually %1")
                                    .arg(c.usual.isEmpty()
                                             ? tr("no key")
                                             : QKeySequence::listToString(c.usual, QKeySequence::NativeText)));
        }
        if (c.id == before) again = item;
    }
    add_fixed_keys();
    if (again) list_->setCurrentItem(again);
    show_current();
}

// Keys of views and fields, which stand in no menu.
void KeysDialog::add_fixed_keys() {
    const std::pair<QString, QString> fixed[] = {
        {tr("Escape"), tr("Cancel a drag; leave a field")},
        {tr("Return"), tr("Press the button that has the keyboard; enter a number and go back to the view")},
        {tr("Up, Down"), tr("In the Lanes and the plan: from copy to copy; with Shift they add")},
        {tr("Ctrl+arrows"), tr("In the Scene: turn; with Shift slide; + and − come nearer and go back")},
        {tr("Delete"), tr("Remove the selected keys of the time map; in the Lanes, the nudges of the selected copies")},
        {tr("Alt+arrows"), tr("Move the selected keys of the time map")},
        {tr("Shift+drag"), tr("Select keys of the time map by a box; Ctrl adds")},
        {tr("Ctrl+C, Ctrl+X, Ctrl+V"), tr("Copy, cut and paste keys, with the time map in focus")},
        {tr("Return, Backspace, Escape"),
         tr("While a path is drawn in the Scene: end it, remove the last point, cancel")}};
    QTreeWidgetItem* group = nullptr;
    for (const auto& [key, what] : fixed) {
        if (!has_words(key + ' ' + what + ' ' + tr("In views"), search_->text())) continue;
        if (!group) {
            group = new QTreeWidgetItem(list_, {tr("In views and fields (these stay as they are)")});
            group->setFirstColumnSpanned(true);
            group->setFlags(Qt::ItemIsEnabled);
            group->setExpanded(true);
        }
        new QTreeWidgetItem(group, {QString(), key, what});
    }
}

void KeysDialog::show_current() {
    const Commands::Command* command = commands_.find(current());
    key_->setEnabled(command);
    none_->setEnabled(command && !command->action->shortcuts().isEmpty());
    usual_->setEnabled(command && commands_.changed(*command));
    key_->clear();
    tell_conflict();
}

void KeysDialog::tell_conflict() {
    const Commands::Command* command = commands_.find(current());
    const QKeySequence key = key_->keySequence();
    set_->setEnabled(command && !key.isEmpty());
    if (!command) return words_->setText(tr("Select a command to change its key."));
    const Commands::Command* other = commands_.with_key(key);
    const QString shown = key.toString(QKeySequence::NativeText);
    if (key.isEmpty()) return words_->setText(tr("Press the new key for “%1” in the field above.").arg(command->name));
    if (!other) return words_->setText(tr("%1 is free.").arg(shown));
    if (other == command) return words_->setText(tr("“%1” has %2 already.").arg(command->name, shown));
    words_->setText(tr("%1 belongs to “%2”, which would have no key then.").arg(shown, other->name));
}

void KeysDialog::set_key() {
    if (!key_->keySequence().isEmpty()) commands_.set_key(current(), key_->keySequence());
}

void KeysDialog::write_file() {
    const QString path = QFileDialog::getSaveFileName(this, tr("Save keys"), "garland keys.txt", tr("Texts (*.txt)"));
    if (path.isEmpty()) return;
    QSaveFile file(path);
    const QByteArray text = commands_.keys_text().toUtf8();
    if (file.open(QIODevice::WriteOnly) && file.write(text) == text.size() && file.commit())
        return words_->setText(tr("%1 written.").arg(path));
    QMessageBox::warning(
        this, tr("Save keys"),
        tr("%1 could not be written (%2). Nothing was changed. Choose another folder.").arg(path, file.errorString()));
}

void KeysDialog::read_file() {
    const QString path = QFileDialog::getOpenFileName(this, tr("Load keys"), {}, tr("Texts (*.txt);;All files (*)"));
    if (path.isEmpty()) return;
    QFile file(path);
    constexpr qint64 most = 1 << 20;
    if (!file.open(QIODevice::ReadOnly) || file.size() > most) {
        QMessageBox::warning(
            this, tr("Load keys"),
            tr("%1 could not be read. The keys are as they were. Choose a file written by Save keys.").arg(path));
        return;
    }
    const int left_out = commands_.read_keys(QString::fromUtf8(file.readAll()));
    words_->setText(left_out == 0 ? tr("The keys of %1 are set.").arg(path)
                                  : tr("The keys of %1 are set; %2 named no command or no key.")
                                        .arg(path, QString::fromStdString(counted(left_out, "line", "lines"))));
}

} // namespace garland
