#include "app/shell/commands.h"

#include <QSettings>
#include <algorithm>

namespace garland {

namespace {

QString plain(QString text) {
    return text.replace("&&", "\x01").remove('&').replace("\x01", "&").remove(QChar(0x2026));
}

QString group_of(const QMenu* menu) {
    QString words = plain(menu->title());
    for (auto* above = qobject_cast<QMenu*>(menu->parentWidget()); above;
         above = qobject_cast<QMenu*>(above->parentWidget())) {
        words = plain(above->title()) + QStringLiteral(" ▸ ") + words;
    }
    return words;
}

QString setting_of(const QString& id) {
    return "keys/" + id;
}

} // namespace

QAction* Commands::add(QMenu* menu, const char* id, const QString& text, const char* key, const QString& tip,
                       std::function<void()> run) {
    auto* action = menu->addAction(text);
    connect(action, &QAction::triggered, this, std::move(run));
    QList<QKeySequence> keys;
    if (*key) keys = QKeySequence::listFromString(QString::fromLatin1(key), QKeySequence::PortableText);
    add(menu, id, action, plain(text), keys, tip);
    return action;
}

void Commands::add(QMenu* menu, const char* id, QAction* action, const QString& name, const QList<QKeySequence>& keys,
                   const QString& tip) {
    menu->setToolTipsVisible(true);
    action->setToolTip(tip);
    action->setStatusTip(tip);
    action->setObjectName(QString::fromLatin1(id));
    action->setShortcuts(keys);
    commands_.push_back({QString::fromLatin1(id), group_of(menu), name, tip, keys, action});
    restore(commands_.back());
}

void Commands::show_state(QAction* action, QMenu* menu, std::function<bool()> on) {
    action->setCheckable(true);
    const auto refresh = [action, on = std::move(on)] { action->setChecked(on()); };
    connect(menu, &QMenu::aboutToShow, action, refresh);
    connect(action, &QAction::triggered, action, refresh, Qt::QueuedConnection);
    refresh();
}

const Commands::Command* Commands::find(const QString& id) const {
    const auto at = std::find_if(commands_.begin(), commands_.end(), [&](const Command& c) { return c.id == id; });
    return at == commands_.end() ? nullptr : &*at;
}

const Commands::Command* Commands::with_key(const QKeySequence& key) const {
    if (key.isEmpty()) return nullptr;
    const auto at = std::find_if(commands_.begin(), commands_.end(),
                                 [&](const Command& c) { return c.action->shortcuts().contains(key); });
    return at == commands_.end() ? nullptr : &*at;
}

void Commands::restore(const Command& command) {
    const QSettings settings;
    const QString kept = settings.value(setting_of(command.id), QString("\x01")).toString();
    if (kept == "\x01") return;
    command.action->setShortcuts(kept.isEmpty() ? QList<QKeySequence>{} : QKeySequence::listFromString(kept));
}

void Commands::apply(const Command& command, const QList<QKeySequence>& keys) {
    for (const QKeySequence& key : keys) {
        for (const Command& other : commands_) {
            if (other.action == command.action || !other.action->shortcuts().contains(key)) continue;
            QList<QKeySequence> rest = other.action->shortcuts();
            rest.removeAll(key);
            other.action->setShortcuts(rest);
            QSettings().setValue(setting_of(other.id), QKeySequence::listToString(rest));
        }
    }
    command.action->setShortcuts(keys);
    if (changed(command)) {
        QSettings().setValue(setting_of(command.id), QKeySequence::listToString(keys));
    } else {
        QSettings().remove(setting_of(command.id));
    }
}

void Commands::set_key(const QString& id, const QKeySequence& key) {
    const Command* command = find(id);
    if (!command) return;
    apply(*command, key.isEmpty() ? QList<QKeySequence>{} : QList<QKeySequence>{key});
    emit keys_changed();
}

void Commands::reset_key(const QString& id) {
    const Command* command = find(id);
    if (!command) return;
    apply(*command, command->usual);
    emit keys_changed();
}

void Commands::reset_all() {
    for (const Command& c : commands_) {
        c.action->setShortcuts(c.usual);
        QSettings().remove(setting_of(c.id));
    }
    emit keys_changed();
}

QString Commands::keys_text() const {
    QString text;
    for (const Command& c : commands_) {
        if (changed(c)) text += c.id + '\t' + QKeySequence::listToString(c.action->shortcuts()) + '\n';
    }
    return text;
}

int Commands::read_keys(const QString& text) {
    int left_out = 0;
    for (const QString& line : text.split('\n', Qt::SkipEmptyParts)) {
        const QString id = line.section('\t', 0, 0).trimmed(), words = line.section('\t', 1).trimmed();
        const Command* command = find(id);
        const QList<QKeySequence> keys = words.isEmpty() ? QList<QKeySequence>{} : QKeySequence::listFromString(words);
        const bool unknown = std::any_of(keys.begin(), keys.end(), [](const QKeySequence& k) {
            return k.isEmpty() || k[0].key() == Qt::Key_unknown;
        });
        if (!command || unknown || (!words.isEmpty() && keys.isEmpty())) {
            ++left_out;
            continue;
        }
        apply(*command, keys);
    }
    emit keys_changed();
    return left_out;
}

} // namespace garland
