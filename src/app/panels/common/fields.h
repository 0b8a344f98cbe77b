// Controls bound to one value (an arrangement, a spread): each shows its part of it, changes it by an edit, and is
// there only where it means something.
#pragma once

#include "app/document/document.h"
#include "app/widgets/parts.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <functional>
#include <vector>

namespace garland {

template <class T>
class Fields {
  public:
    using Edit = std::function<void(const QString& words, const std::function<void(T&)>& change, const QString& merge)>;
    using Shown = std::function<bool(const T&)>;

    Fields(Document& document, QObject* owner, QString key, Edit edit)
        : document_(document), owner_(owner), key_(std::move(key)), edit_(std::move(edit)) {}

    NumberField* number(QBoxLayout* row, const QString& label, Quantity quantity, double low, double high, int decimals,
                        double step, const QString& tip, std::function<double(const T&)> get,
                        std::function<void(T&, double)> set, Shown shown = {}) {
        auto* field = make_number(quantity, low, high, decimals, label, tip);
        field->setObjectName("field " + label);
        field->set_step(step);
        field->setMaximumWidth(72);
        auto* words = make_label(label);
        words->setBuddy(field);
        row->addWidget(words);
        row->addWidget(field);
        const QString merge = QStringLiteral("%1-%2").arg(key_).arg(updates_.size());
        // Where several are edited at once, each changes by as much, or all get the number, as far as they have it.
        QObject::connect(field, &NumberField::edited, owner_, [this, label, field, get, set, shown, merge] {
            edit_(
                QObject::tr("Set %1").arg(label.toLower()),
                [&](T& t) {
                    if (!shown || shown(t)) set(t, field->edited_from(get(t)));
                },
                merge);
        });
        QObject::connect(field, &NumberField::settled, &document_, &Document::end_merge);
        keep({words, field}, shown, [this, field, get = std::move(get)](const T& t) {
            field->set_rate(document_.project().settings.rate);
            field->set_value(get(t));
        });
        return field;
    }

    // Three numbers, of the parts of a vector: of(t) is that vector of a T, const or not.
    template <class Of>
    void vector(QBoxLayout* row, const QStringList& labels, Quantity quantity, double most, double step,
                const QString& tip, Of of, Shown shown = {}) {
        for (int k = 0; k < 3; ++k) {
            number(
                row, labels[k], quantity, -most, most, 2, step, tip, [of, k](const T& t) { return of(t)[k]; },
                [of, k](T& t, double v) { of(t)[k] = v; }, shown);
        }
    }

    QComboBox* choice(QBoxLayout* row, const QString& label, const QStringList& texts, const QString& tip,
                      std::function<int(const T&)> get, std::function<void(T&, int)> set, Shown shown = {}) {
        auto* box = make_choice(texts, label, tip, [this, label, set = std::move(set)](int i) {
            edit_(QObject::tr("Set %1").arg(label.toLower()), [&](T& t) { set(t, i); }, {});
        });
        box->setObjectName("choice " + label);
        auto* words = make_label(label);
        row->addWidget(words);
        row->addWidget(box);
        keep({words, box}, shown, [box, get = std::move(get)](const T& t) { box->setCurrentIndex(get(t)); });
        return box;
    }

    QCheckBox* check(QBoxLayout* row, const QString& label, const QString& tip, std::function<bool(const T&)> get,
                     std::function<void(T&, bool)> set, Shown shown = {}) {
        auto* box = new QCheckBox(label);
        box->setObjectName("check " + label);
        box->setToolTip(tip);
        QObject::connect(box, &QCheckBox::clicked, owner_, [this, label, set = std::move(set)](bool v) {
            edit_(v ? QObject::tr("Switch on: %1").arg(label) : QObject::tr("Switch off: %1").arg(label),
                  [&](T& t) { set(t, v); }, {});
        });
        row->addWidget(box);
        keep({box}, shown, [box, get = std::move(get)](const T& t) { box->setChecked(get(t)); });
        return box;
    }

    // Any other widgets: what they show, and where.
    void keep(std::vector<QWidget*> widgets, Shown shown, std::function<void(const T&)> update = {}) {
        updates_.push_back(
            [widgets = std::move(widgets), shown = std::move(shown), update = std::move(update)](const T& t) {
                const bool there = !shown || shown(t);
                for (QWidget* w : widgets) w->setVisible(there);
                if (there && update) update(t);
            });
    }

    void change(const QString& words, const std::function<void(T&)>& change, const QString& merge = {}) {
        edit_(words, change, merge);
    }
    void refresh(const T& t) {
        for (const auto& update : updates_) update(t);
    }

  private:
    Document& document_;
    QObject* owner_;
    QString key_;
    Edit edit_;
    std::vector<std::function<void(const T&)>> updates_;
};

// A row of controls in a card's column; what follows stretches.
inline QHBoxLayout* add_row(QVBoxLayout* column) {
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    column->addLayout(row);
    return row;
}
// Pulls a row's controls to the left once all are in it.
inline void close_row(QHBoxLayout* row) {
    row->addStretch(1);
}

// A card with a heading, and its column.
inline QVBoxLayout* add_card(QVBoxLayout* to, const QString& heading, QLabel** words = nullptr) {
    auto* card = make_card();
    auto* column = new QVBoxLayout(card);
    column->setContentsMargins(12, 8, 12, 10);
    column->setSpacing(6);
    auto* label = make_label(heading, "heading");
    column->addWidget(label);
    if (words) *words = label;
    to->addWidget(card);
    return column;
}

} // namespace garland
