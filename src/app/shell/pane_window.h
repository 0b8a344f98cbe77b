// A pane of the main window in a window of its own, on a second screen for instance. Keys and menus' commands work
// there as they do in the main window; closing it puts the pane back.
#pragma once

#include <QWidget>

namespace garland {

class PaneWindow : public QWidget {
    Q_OBJECT
  public:
    // Takes the pane. `owner` is the main window, above which it stays.
    PaneWindow(QWidget& pane, const QString& title, QWidget& owner);
    QWidget& pane() const { return pane_; }

  signals:
    void closed(); // by the user; the pane is still in it

  protected:
    void closeEvent(QCloseEvent* event) override;

  private:
    QWidget& pane_;
};

} // namespace garland
