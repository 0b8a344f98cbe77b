// The Gather step: source cards with poses, facts, problems; add, replace, remove.
#pragma once

#include "app/panels/common/panel.h"

namespace garland {

class GatherPanel : public Panel {
    Q_OBJECT
  public:
    GatherPanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void choose_files();
    static QString file_filter();

  private:
    void rebuild(); // once no field is being dragged
    void fill();
    class SourceCard* make_card_of(const SourceSpec& spec);
    void choose_shapes();
    void find_file(SourceId id);

    // What a card was made of; it is made anew only where that has changed.
    struct Shown {
        SourceSpec spec;
        const Source* source = nullptr;
        QString problem; // why its files are not there
        bool operator==(const Shown&) const = default;
    };
    Shown shown_now(const SourceSpec& spec) const;

    PosePictures pictures_;
    QVBoxLayout* cards_;
    std::vector<Shown> shown_;
    bool waiting_ = false;
};

} // namespace garland
