// The Vary step: spreads as cards that read as sentences, each with what it gives the copies; meeting; twins while one
// works.
#pragma once

#include "app/benches/common/bench.h"

#include <QCheckBox>

namespace garland {

class SpreadCard;

class VaryBench : public Bench {
    Q_OBJECT
  public:
    VaryBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void add_spread(Target target);

  private:
    void refresh();
    void show_twins();
    void show_nudges(const Arrangement* a);
    void add_meeting();
    void add_twins();
    void part(std::size_t neighbours);
    void meet(bool on);
    void edit_arrangement(const QString& words, const std::function<Result<void>(Arrangement&)>& change);

    QVBoxLayout* cards_;
    QLabel *nudges_, *others_, *meeting_words_, *backward_, *twins_;
    QPushButton *clear_nudges_, *clear_picked_, *part_all_, *part_near_, *apart_, *longer_;
    QCheckBox* meet_chosen_;
    QFrame *meeting_, *twin_card_;
    NumberField *meet_at_, *meet_source_, *ease_, *stay_, *earliest_, *latest_;
    QCheckBox* limited_;
    QWidget* limits_;
    std::vector<SpreadCard*> shown_; // the cards that stand, so that editing a number does not rebuild its field
    ArrangementId shown_arrangement_, meeting_of_;
    QPointer<Job> parting_;
};

} // namespace garland
