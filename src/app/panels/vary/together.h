// Entries of a list whose cards change each other: a number that is dragged changes each by as much, one that is typed
// is given to all.
#pragma once

#include <QBoxLayout>
#include <QCoreApplication>
#include <QToolButton>
#include <set>

namespace garland {

template <class Id>
class Together {
  public:
    void clear() { ids_.clear(); }
    bool has(Id id) const { return ids_.count(id) > 0; }
    void set(Id id, bool on) {
        if (on)
            ids_.insert(id);
        else
            ids_.erase(id);
    }
    // Whether what is done with the card of `own` is done to `other` too.
    bool joins(Id own, Id other) const { return own == other || (has(own) && has(other)); }

  private:
    std::set<Id> ids_;
};

// The button of a card's head that joins it with the others; refresh by show_together.
template <class Id>
QToolButton* add_together(QBoxLayout* head, Together<Id>& together, Id id, const QString& tip) {
    auto* button = new QToolButton;
    button->setObjectName("segment");
    button->setText(QCoreApplication::translate("garland::Together", "Together"));
    button->setCheckable(true);
    button->setAccessibleName(QCoreApplication::translate("garland::Together", "Change together"));
    button->setToolTip(tip);
    QObject::connect(button, &QToolButton::clicked, button, [&together, id](bool on) { together.set(id, on); });
    head->addWidget(button, 0, Qt::AlignTop);
    return button;
}

// count: how many entries the list has; one alone has nobody to be joined with.
template <class Id>
void show_together(QToolButton* button, const Together<Id>& together, Id id, std::size_t count) {
    button->setChecked(together.has(id));
    button->setVisible(count > 1);
}

} // namespace garland
