// A line to type in and a list of what has its words; the arrows move in the list while the keyboard stays in the line.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <QTreeWidget>
#include <QVBoxLayout>

namespace garland {

// Whether every word of `asked` is somewhere in `text`, whatever the case.
bool has_words(const QString& text, const QString& asked);

class AskedList : public QDialog {
    Q_OBJECT
  public:
    // name: of the line, for assistive technology. The first column of the list takes the room that is left.
    AskedList(const QString& title, const QString& name, const QString& placeholder, const QStringList& columns,
              QWidget* parent);

  protected:
    virtual void fill() = 0;                      // the line says something else
    virtual void take(QTreeWidgetItem* item) = 0; // chosen by Return or a click; never null, never disabled
    bool eventFilter(QObject* watched, QEvent* event) override;
    QVBoxLayout* column_; // for what stands below the list
    QLineEdit* line_;
    QTreeWidget* list_;

  private:
    void take_if_possible(QTreeWidgetItem* item);
};

} // namespace garland
