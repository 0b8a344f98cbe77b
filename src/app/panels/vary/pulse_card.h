// One pulse of an arrangement: its sentence, when it rises, and what it gives.
#pragma once

#include "app/document/viewing.h"
#include "app/panels/common/fields.h"
#include "app/widgets/curve_edit.h"

namespace garland {

class PulseCard : public QFrame {
    Q_OBJECT
  public:
    PulseCard(Document& document, ArrangementId owner, SpreadId id, QWidget* parent = nullptr);
    SpreadId id() const { return id_; }
    void refresh();

  private:
    void edit(const QString& words, const std::function<void(Pulse&)>& change, const QString& merge = {});
    const Pulse* pulse() const;
    Document& document_;
    ArrangementId owner_;
    SpreadId id_;
    Fields<Pulse> fields_;
    QCheckBox* on_;
    QLabel* words_;
    CurveEdit* curve_;
};

} // namespace garland
