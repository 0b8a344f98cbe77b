// All keys, grouped by menu, searched by name or by key, and changed.
#pragma once

#include "app/shell/commands.h"

#include <QDialog>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTreeWidget>

namespace garland {

class KeysDialog : public QDialog {
    Q_OBJECT
  public:
    explicit KeysDialog(Commands& commands, QWidget* parent = nullptr);

  private:
    void fill();
    void add_fixed_keys();
    void show_current();
    void tell_conflict();
    void set_key();
    void write_file();
    void read_file();
    QString current() const; // the id of the command that is selected; empty: none
    Commands& commands_;
    QLineEdit* search_;
    QTreeWidget* list_;
    QKeySequenceEdit* key_;
    QPushButton *set_, *none_, *usual_;
    QLabel* words_;
};

} // namespace garland
