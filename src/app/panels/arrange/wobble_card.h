// Wobble: seeded smooth noise on where the copies of an arrangement, or of a source everywhere, stand; and how it ends.
#pragma once

#include "app/panels/common/panel.h"

#include <QCheckBox>

namespace garland {

class WobbleCard : public QFrame {
    Q_OBJECT
  public:
    WobbleCard(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void refresh();

  private:
    void add_head(QVBoxLayout* column);
    void add_amounts(QVBoxLayout* column);
    void add_end(QVBoxLayout* column);
    const Wobble* wobble() const;
    void change(const QString& words, const std::function<void(Wobble&)>& set, const QString& merge = {});
    NumberField* add(QHBoxLayout* row, const QString& label, Quantity quantity, double low, double high, int decimals,
                     double step, const QString& tip, std::function<double(const Wobble&)> get,
                     std::function<void(Wobble&, double)> set, std::function<bool(const Wobble&)> shown = {});
    struct Field {
        NumberField* field;
        QLabel* label;
        std::function<double(const Wobble&)> get;
        std::function<bool(const Wobble&)> shown; // none: always
    };
    Document& document_;
    Viewing& viewing_;
    QCheckBox *on_, *together_;
    QComboBox *whose_, *end_;
    std::vector<Field> fields_;
    QWidget *places_, *turns_, *amounts_, *ends_, *settles_; // rows
    QPushButton* end_here_;
};

} // namespace garland
