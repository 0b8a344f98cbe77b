// One spread: its sentence, its numbers, the curve it goes through, how much of it counts when, and what it gives.
#pragma once

#include "app/document/viewing.h"
#include "app/panels/common/fields.h"
#include "app/panels/vary/card_menu.h"
#include "app/panels/vary/together.h"
#include "app/widgets/curve_edit.h"

#include <QPointer>

namespace garland {

class Histogram;

// from … to of a new spread, and the unit its numbers have.
void usual_amounts(Spread& spread);
Quantity unit_of(Target target);

class SpreadCard : public QFrame {
    Q_OBJECT
  public:
    // together: those that are changed with each other, of all cards.
    SpreadCard(Document& document, Viewing& viewing, ArrangementId owner, const Spread& spread,
               Together<SpreadId>& together, QWidget* parent = nullptr);
    SpreadId id() const { return id_; }
    void refresh();

  private:
    using S = Spread;
    void edit(const QString& words, const std::function<void(S&)>& change, const QString& merge = {});
    const S* spread() const;
    void edit_list(const QString& words, const ChangeEntry<S>& change);
    void remove();
    std::optional<CardMenu> menu();
    void add_head(QVBoxLayout* column);
    void add_amounts(QVBoxLayout* column);
    void add_ends(QHBoxLayout* row);
    void add_delay_row(QVBoxLayout* column);
    void add_driver_rows(QVBoxLayout* column);
    void add_space_rows(QVBoxLayout* column);
    void add_attribute_fields(QHBoxLayout* row);
    void add_shapes(QVBoxLayout* column);
    void add_strength(QHBoxLayout* row);

    Document& document_;
    Viewing& viewing_;
    ArrangementId owner_;
    SpreadId id_;
    Together<SpreadId>& together_;
    Fields<S> fields_;
    QCheckBox* on_;
    QLabel *words_, *note_, *keys_words_;
    QComboBox *target_, *driver_;
    NumberField *from_, *to_;
    QLabel *from_label_, *to_label_;
    QToolButton *pattern_, *joined_;
    Histogram* histogram_;
    CurveEdit *curve_, *amount_;
    QPushButton* unkey_;
    QComboBox* attribute_;
};

} // namespace garland
