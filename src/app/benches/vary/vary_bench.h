// The Vary step: spreads as cards that read as sentences, each with what it gives the copies.
#pragma once

#include "app/benches/common/bench.h"

namespace garland {

// "Delay by chance, 0 to 24 frames later, in whole frames."
QString sentence(const Spread& spread, std::int64_t copies);

class VaryBench : public Bench {
    Q_OBJECT
  public:
    VaryBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void add_spread(Target target);

  private:
    void refresh();
    QWidget* make_spread_card(const Spread& spread, const Arrangement& arrangement);
    void edit_spread(SpreadId id, const QString& words, const std::function<void(Spread&)>& change,
                     const QString& merge = {});

    QVBoxLayout* cards_;
    QLabel* nudges_;
    QPushButton* clear_nudges_;
    std::vector<SpreadId> shown_; // the cards that stand, so that editing a number does not rebuild its field
    std::vector<std::function<void(const Spread&, const Arrangement&)>> updates_;
    ArrangementId shown_arrangement_;
};

} // namespace garland
