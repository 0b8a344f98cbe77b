// The user guide inside the program, with a search.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QTextBrowser>

namespace garland {

class GuideWindow : public QDialog {
    Q_OBJECT
  public:
    explicit GuideWindow(QWidget* parent = nullptr);
    void show_heading(const QString& heading); // of the guide; unknown ones show its start
    QTextBrowser& page() { return *page_; }

  private:
    void search(bool backward);
    QTextBrowser* page_;
    QLineEdit* line_;
    QLabel* words_;
};

} // namespace garland
