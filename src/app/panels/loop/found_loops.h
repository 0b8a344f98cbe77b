// The loops found, best first: a line each with its ends, its length and what is left of the gap.
#pragma once

#include "core/loop/find_loops.h"

#include <QTreeWidget>

namespace garland {

// A distance as the match measures it: with its unit; without one, in per cent of the largest.
QString distance_words(double distance, const std::string& unit);

class FoundLoops : public QTreeWidget {
    Q_OBJECT
  public:
    explicit FoundLoops(QWidget* parent = nullptr);
    // unit: of gaps, see distance_words.
    void set_loops(const std::vector<LoopCandidate>& found, const std::string& unit);
    void set_chosen(std::int64_t start, std::int64_t length); // no line is marked where none has these
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return {200, sizeHint().height()}; }

  signals:
    void chosen(std::int64_t start, std::int64_t length);

  private:
    std::vector<LoopCandidate> found_;
    std::string unit_;
};

} // namespace garland
