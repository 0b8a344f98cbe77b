// Every command by its name: a few letters, Return.
#pragma once

#include "app/shell/commands.h"

#include <QDialog>
#include <QLineEdit>
#include <QTreeWidget>

namespace garland {

// Whether every word of `asked` is somewhere in `text`, whatever the case.
bool has_words(const QString& text, const QString& asked);

class CommandFinder : public QDialog {
    Q_OBJECT
  public:
    explicit CommandFinder(const Commands& commands, QWidget* parent = nullptr);
    QAction* chosen() const { return chosen_; } // after exec(): to be triggered; null where it was left

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void fill();
    void take(QTreeWidgetItem* item);
    const Commands& commands_;
    QLineEdit* line_;
    QTreeWidget* list_;
    QAction* chosen_ = nullptr;
};

} // namespace garland
