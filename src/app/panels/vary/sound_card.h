// One sound: its sentence, when it begins, its bands and their levels, and what is heard at the playhead.
#pragma once

#include "app/document/viewing.h"
#include "app/panels/common/fields.h"
#include "app/panels/vary/card_menu.h"

#include <QPointer>

namespace garland {

// The levels of all bands over the output range, lowest band at the bottom, with the playhead.
class BandStrip : public QWidget {
    Q_OBJECT
  public:
    explicit BandStrip(QWidget* parent = nullptr);
    void show_levels(SoundLevelsPtr levels, FrameRange range, double playhead);
    QSize sizeHint() const override { return {200, 64}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    SoundLevelsPtr levels_;
    FrameRange range_{};
    double playhead_ = 1;
};

class SoundCard : public QFrame {
    Q_OBJECT
  public:
    SoundCard(Document& document, Viewing& viewing, SoundId id, QWidget* parent = nullptr);
    SoundId id() const { return id_; }
    void refresh();

  private:
    void edit(const QString& words, const std::function<void(SoundSpec&)>& change, const QString& merge = {});
    void edit_list(const QString& words, const ChangeEntry<SoundSpec>& change);
    void remove();
    std::optional<CardMenu> menu();
    void add_bands(QVBoxLayout* column);
    // In the background; the tempo grid, or a marker for each beat, comes as one edit.
    void find_beats_of_it(bool mark);
    Document& document_;
    Viewing& viewing_;
    SoundId id_;
    Fields<SoundSpec> fields_;
    QLabel *words_, *note_;
    BandStrip* strip_;
};

} // namespace garland
