// The pose-match picture: every frame of a source against every other, dark where they are alike.
#pragma once

#include "app/panels/loop/match_layout.h"
#include "core/loop/find_loops.h"

#include <QImage>
#include <QWidget>
#include <optional>

namespace garland {

class MatchView : public QWidget {
    Q_OBJECT
  public:
    explicit MatchView(QWidget* parent = nullptr);
    void set_matrix(std::shared_ptr<const FrameMatrix> matrix); // null: none yet
    void set_candidates(std::vector<LoopCandidate> candidates);
    void set_chosen(std::int64_t start, std::int64_t length);          // length 0: none
    void set_words(const QString& words) { words_ = words, update(); } // shown while there is no picture
    MatchLayout layout_now() const;
    QSize sizeHint() const override { return {300, 300}; }

  signals:
    void chosen(std::int64_t start, std::int64_t length);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent*) override;
    void keyPressEvent(QKeyEvent* event) override;
    void changeEvent(QEvent* event) override;
    bool event(QEvent* event) override; // arrows are its own while it has the keyboard

  private:
    void make_image();
    void choose_at(QPointF at);
    std::shared_ptr<const FrameMatrix> matrix_;
    std::vector<LoopCandidate> candidates_;
    QImage image_;
    QString words_;
    std::int64_t start_ = 0, length_ = 0;
    std::optional<QPointF> over_;
};

} // namespace garland
