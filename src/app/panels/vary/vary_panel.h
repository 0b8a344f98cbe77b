// The Vary step: spreads as cards that read as sentences, each with what it gives the copies; meeting; twins while one
// works.
#pragma once

#include "app/panels/common/panel.h"
#include "app/panels/vary/together.h"

#include <QCheckBox>
#include <array>
#include <set>

namespace garland {

class DriveTab;
class SpreadCard;

class VaryPanel : public Panel {
    Q_OBJECT
  public:
    VaryPanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void add_spread(Target target);
    void show_tab(int tab); // 0 spreads, 1 zones, 2 pulse, 3 sound, 4 meet
    DriveTab* drive_tab(LevelKind kind) const { return drives_[static_cast<std::size_t>(kind)]; }

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void refresh();
    void show_twins();
    void show_backward(const TwinState* state); // null: no copies
    void show_nudges(const Arrangement* a);
    void add_meeting();
    void add_tabs();
    void add_page(); // what follows goes into its column
    void add_buttons();
    void add_nudges();
    void add_twins();
    void part(std::size_t neighbours);
    void meet(bool on);
    void edit_arrangement(const QString& words, const std::function<Result<void>(Arrangement&)>& change);

    Segments* tabs_;
    std::vector<QWidget*> pages_;
    std::array<DriveTab*, 3> drives_{};
    QVBoxLayout *column_, *cards_; // of the page that is being built
    QLabel *nudges_, *others_, *meeting_words_, *backward_, *twins_;
    QPushButton *clear_nudges_, *clear_picked_, *part_all_, *part_near_, *apart_, *longer_;
    QCheckBox* meet_chosen_;
    QFrame *meeting_, *twin_card_;
    NumberField *meet_at_, *meet_source_, *ease_, *stay_, *earliest_, *latest_;
    QCheckBox* limited_;
    QWidget* limits_;
    Together<SpreadId> together_;    // spreads whose numbers are changed with each other
    std::vector<SpreadCard*> shown_; // the cards that stand, so that editing a number does not rebuild its field
    ArrangementId shown_arrangement_, meeting_of_;
    QPointer<Job> parting_;
};

} // namespace garland
