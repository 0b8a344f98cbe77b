// A second window, on a second screen for instance, that holds panes of the main one side by side: the Scene, the
// Lanes, panels of steps. Keys and menus' commands work there as they do in the main window; closing it puts the panes
// back.
#pragma once

#include <QSplitter>
#include <QWidget>
#include <vector>

namespace garland {

class SecondWindow : public QWidget {
    Q_OBJECT
  public:
    explicit SecondWindow(QWidget& owner); // the main window, above which it stays
    // Takes the pane, beside those that are here, as wide as it is; `name` is for the title and for screen readers.
    // grows: with the window; the others keep their width.
    void put(QWidget& pane, const QString& name, bool grows);
    // The pane has gone elsewhere.
    void forget(QWidget& pane);
    bool holds(const QWidget* pane) const;
    std::vector<QWidget*> panes() const; // from left to right
    QByteArray widths() const { return beside_->saveState(); }
    void set_widths(const QByteArray& state) { beside_->restoreState(state); }

  signals:
    void closed(); // by the user; the panes are still in it

  protected:
    void closeEvent(QCloseEvent* event) override;

  private:
    void update_title();
    QSplitter* beside_;
    std::vector<std::pair<QWidget*, QString>> names_; // in the order in which they came
};

} // namespace garland
