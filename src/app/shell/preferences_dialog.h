// All preferences in one window; each is applied at once.
#pragma once

#include "app/shell/preferences.h"
#include "app/widgets/parts.h"
#include "io/sources/reader_commands.h"

#include <QDialog>
#include <QTableWidget>

namespace garland {

class PreferencesDialog : public QDialog {
    Q_OBJECT
  public:
    explicit PreferencesDialog(QWidget* parent = nullptr);

  signals:
    void changed(const garland::Preferences& now);

  private:
    void apply(const std::function<void(Preferences&)>& change);
    QWidget* make_appearance();
    QWidget* make_work();
    QWidget* make_readers();
    void fill_readers();
    void edit_reader(int row); // −1: a new one
    void remove_reader();
    void tell(const QString& words, bool wrong);
    Preferences now_;
    std::vector<ReaderCommand> readers_;
    QTableWidget* table_ = nullptr;
    QLabel *words_ = nullptr, *cached_ = nullptr;
};

// One reader by command, asked for; false: left. Errors are shown in it and it stays open.
bool ask_for_reader(QWidget* parent, ReaderCommand& reader);

} // namespace garland
