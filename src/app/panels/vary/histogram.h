// How many copies get which value.
#pragma once

#include <QString>
#include <QWidget>
#include <vector>

namespace garland {

class Histogram : public QWidget {
    Q_OBJECT
  public:
    explicit Histogram(QWidget* parent = nullptr);
    void set_values(const std::vector<double>& values, const QString& low, const QString& high);
    const std::vector<int>& bins() const { return bins_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::vector<int> bins_; // how many in each of equal parts between the lowest and the highest value
    QString low_, high_;
};

} // namespace garland
