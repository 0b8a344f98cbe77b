// The step rail: seven steps in working order, each a word, a mark and a quiet badge.
#pragma once

#include <QAbstractButton>
#include <QWidget>
#include <array>

namespace garland {

inline constexpr int step_count = 7;

class RailButton : public QAbstractButton {
    Q_OBJECT
  public:
    RailButton(const QString& word, const QString& icon, const QString& tip, QWidget* parent);
    void set_badge(int count);
    int badge() const { return badge_; }
    QSize sizeHint() const override { return {78, 62}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QString icon_;
    int badge_ = 0;
};

class Rail : public QWidget {
    Q_OBJECT
  public:
    explicit Rail(QWidget* parent = nullptr);
    void set_current(int step);
    RailButton* button(int step) const { return buttons_[static_cast<std::size_t>(step)]; }

  signals:
    void chosen(int step);

  private:
    std::array<RailButton*, step_count> buttons_{};
};

} // namespace garland
