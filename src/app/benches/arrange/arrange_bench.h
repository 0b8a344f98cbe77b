// The Arrange step: where the copies stand.
#pragma once

#include "app/benches/common/bench.h"

namespace garland {

class PlanView;
class WobbleCard;

class ArrangeBench : public Bench {
    Q_OBJECT
  public:
    ArrangeBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);

  private:
    void refresh();
    void edit_arrangement(const QString& words, const std::function<void(Arrangement&)>& change,
                          const QString& merge = {});
    NumberField* add_number(QGridLayout* grid, int row, int column, const QString& label, Quantity quantity, double low,
                            double high, int decimals, const QString& tip,
                            std::function<double(const Arrangement&)> get,
                            std::function<void(Arrangement&, double)> set);

    struct Field {
        NumberField* field;
        QLabel* label;
        std::function<double(const Arrangement&)> get;
        std::function<bool(ArrangementKind)> shown;
    };
    QComboBox *which_, *source_, *timing_, *facing_;
    Segments* kind_;
    std::vector<Field> fields_;
    WobbleCard* wobble_;
    PlanView* plan_;
    QWidget* form_;
    QLabel* empty_;
};

// The copies from above, numbered.
class PlanView : public QWidget {
    Q_OBJECT
  public:
    PlanView(Document& document, Viewing& viewing, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    QPointF pixel(const V3d& p) const;
    void measure();
    Document& document_;
    Viewing& viewing_;
    double scale_ = 1;
    QPointF shift_;
};

} // namespace garland
