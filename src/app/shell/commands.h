// Every command of the window by name: its place in the menus, its tip, its key. Keys are the user's to change; those
// that differ from the usual ones are kept in the settings under keys/ID.
#pragma once

#include <QAction>
#include <QKeySequence>
#include <QMenu>
#include <QObject>
#include <QString>
#include <functional>
#include <vector>

namespace garland {

class Commands : public QObject {
    Q_OBJECT
  public:
    struct Command {
        QString id;    // "edit.hold": never shown, never changed
        QString group; // the menus it stands in: "Edit", "Edit ▸ Retime"
        QString name;  // as in its menu, without marks: "Hold here"
        QString tip;
        QList<QKeySequence> usual;
        QAction* action = nullptr;
    };
    using QObject::QObject;

    // An entry of a menu. text: with & and, where it asks for more, an ellipsis. key: "" for none, several apart by
    // "; ".
    QAction* add(QMenu* menu, const char* id, const QString& text, const char* key, const QString& tip,
                 std::function<void()> run);
    // One whose action is there already.
    void add(QMenu* menu, const char* id, QAction* action, const QString& name, const QList<QKeySequence>& keys,
             const QString& tip);
    // Shows a tick where `on` says so, looked up when the menu opens.
    static void show_state(QAction* action, QMenu* menu, std::function<bool()> on);

    const std::vector<Command>& all() const { return commands_; }
    const Command* find(const QString& id) const;
    const Command* with_key(const QKeySequence& key) const; // null: the key is free

    // The command's only key from now on; empty: none. What had that key before loses it.
    void set_key(const QString& id, const QKeySequence& key);
    void reset_key(const QString& id); // as usual; others that have the usual keys lose them
    void reset_all();
    bool changed(const Command& command) const { return command.action->shortcuts() != command.usual; }

    // Keys that differ from the usual ones as text, a line each: "edit.hold<tab>H". reading: lines that name no command
    // or no key are left out; returns how many were.
    QString keys_text() const;
    int read_keys(const QString& text);

  signals:
    void keys_changed();

  private:
    void apply(const Command& command, const QList<QKeySequence>& keys);
    void restore(const Command& command);
    std::vector<Command> commands_;
};

} // namespace garland
