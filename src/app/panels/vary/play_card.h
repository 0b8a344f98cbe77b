// What plays the copies of an arrangement besides their own clock: its sentence and its numbers.
#pragma once

#include "app/document/viewing.h"
#include "app/panels/common/fields.h"
#include "app/widgets/curve_edit.h"

namespace garland {

class PlayCard : public QFrame {
    Q_OBJECT
  public:
    // kind: where the level comes from when this card lets something play.
    PlayCard(Document& document, Viewing& viewing, LevelKind kind, QWidget* parent = nullptr);
    void refresh();

  private:
    void edit(const QString& words, const std::function<void(Play&)>& change, const QString& merge = {});
    void add_level_rows(QVBoxLayout* column);
    void add_play_rows(QVBoxLayout* column);
    Document& document_;
    Viewing& viewing_;
    LevelKind kind_;
    Fields<Play> fields_;
    QLabel *words_, *played_;
    QComboBox *by_, *sound_;
    QWidget* zones_;
    QHBoxLayout* zone_row_;
    std::vector<std::pair<ZoneId, std::string>> shown_zones_;
    CurveEdit* curve_;
};

} // namespace garland
