// Every command by its name: a few letters, Return.
#pragma once

#include "app/shell/asked_list.h"
#include "app/shell/commands.h"

namespace garland {

class CommandFinder : public AskedList {
    Q_OBJECT
  public:
    explicit CommandFinder(const Commands& commands, QWidget* parent = nullptr);
    QAction* chosen() const { return chosen_; } // after exec(): to be triggered; null where it was left

  private:
    void fill() override;
    void take(QTreeWidgetItem* item) override;
    const Commands& commands_;
    QAction* chosen_ = nullptr;
};

} // namespace garland
