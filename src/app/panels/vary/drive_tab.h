// A tab of the Vary step: what plays the copies by zones, pulses or sounds, and the zones, pulses or sounds themselves.
#pragma once

#include "app/panels/vary/play_card.h"
#include "app/panels/vary/pulse_card.h"
#include "app/panels/vary/sound_card.h"
#include "app/panels/vary/zone_card.h"

namespace garland {

class DriveTab : public QWidget {
    Q_OBJECT
  public:
    DriveTab(Document& document, Viewing& viewing, LevelKind kind, QWidget* parent = nullptr);
    void refresh();
    void add_zone(ZoneShape shape);
    void add_pulse();
    void choose_sound(); // asks for a file

  protected:
    void showEvent(QShowEvent*) override { refresh(); }

  private:
    void add_buttons(QHBoxLayout* row);
    void rebuild(const std::vector<std::uint64_t>& ids);
    std::vector<std::uint64_t> ids() const;
    Document& document_;
    Viewing& viewing_;
    LevelKind kind_;
    PlayCard* play_;
    QVBoxLayout* cards_;
    std::vector<std::uint64_t> shown_;
    ArrangementId shown_arrangement_;
    Together<ZoneId> zones_together_;
    Together<SpreadId> pulses_together_;
    std::vector<std::function<void()>> refreshes_; // of the cards that stand
};

} // namespace garland
