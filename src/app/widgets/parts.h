// Small shared pieces of panels: labels, cards, switches, rows of a form.
#pragma once

#include "app/widgets/number_field.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QFormLayout>
#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>
#include <functional>

namespace garland {

QLabel* make_label(const QString& text, const char* role = nullptr, QWidget* parent = nullptr);
QPushButton* make_button(const QString& text, const QString& tip, QWidget* parent = nullptr);
QFrame* make_card(QWidget* parent = nullptr);
QFrame* make_rule(QWidget* parent = nullptr);
// A combo box filled with texts; `chosen` is called only when the user picks.
QComboBox* make_choice(const QStringList& texts, const QString& name, const QString& tip,
                       std::function<void(int)> chosen);
NumberField* make_number(Quantity quantity, double low, double high, int decimals, const QString& name,
                         const QString& tip);

// Buttons of which one is on.
class Segments : public QFrame {
    Q_OBJECT
  public:
    explicit Segments(const QStringList& texts, const QStringList& tips, QWidget* parent = nullptr);
    int current() const;
    void set_current(int index); // no signal
    QAbstractButton* button(int index) const { return group_.button(index); }
  signals:
    void chosen(int index);

  private:
    QButtonGroup group_;
};

// A panel: a title, a note beside it, and a body that scrolls when it does not fit.
class PanelFrame : public QWidget {
    Q_OBJECT
  public:
    PanelFrame(const QString& title, bool scrolls, QWidget* parent = nullptr);
    QVBoxLayout* body() { return body_; }
    QHBoxLayout* head() { return head_; }
    void set_note(const QString& text);

  private:
    QHBoxLayout* head_;
    QVBoxLayout* body_;
    QLabel* note_;
};

// Where the keyboard is inside `part`, which is about to go: nothing that is typed there is taken any more.
void forget_typing(QWidget* part);

// Removes and deletes everything in a layout.
void clear_layout(QLayout* layout);

} // namespace garland
