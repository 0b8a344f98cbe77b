// One pulse of an arrangement: its sentence, when it rises, and what it gives.
#pragma once

#include "app/document/viewing.h"
#include "app/panels/common/fields.h"
#include "app/panels/vary/card_menu.h"
#include "app/panels/vary/together.h"
#include "app/widgets/curve_edit.h"

#include <QPointer>

namespace garland {

class PulseCard : public QFrame {
    Q_OBJECT
  public:
    // together: those that are changed with each other, of all cards.
    PulseCard(Document& document, ArrangementId owner, SpreadId id, Together<SpreadId>& together,
              QWidget* parent = nullptr);
    SpreadId id() const { return id_; }
    void refresh();

  private:
    void edit(const QString& words, const std::function<void(Pulse&)>& change, const QString& merge = {});
    void edit_list(const QString& words, const ChangeEntry<Pulse>& change);
    void remove();
    std::optional<CardMenu> menu();
    void add_head(QVBoxLayout* column);
    void add_wave(QVBoxLayout* column);
    void add_gifts(QVBoxLayout* column); // what it gives at full level
    void add_response(QVBoxLayout* column);
    const Pulse* pulse() const;
    Document& document_;
    ArrangementId owner_;
    SpreadId id_;
    Together<SpreadId>& together_;
    Fields<Pulse> fields_;
    QCheckBox* on_;
    QToolButton* joined_;
    QLabel* words_;
    CurveEdit* curve_;
};

} // namespace garland
