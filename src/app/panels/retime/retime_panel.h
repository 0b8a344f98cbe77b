// The Retime step: the time map, its operations, and below it keys, phrases, what comes before and after, beats, the
// camera and shared timings; at the bottom the trace in words.
#pragma once

#include "app/panels/retime/sections.h"

#include <QStackedWidget>

namespace garland {

class RetimePanel : public Panel {
    Q_OBJECT
  public:
    RetimePanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    QWidget* home() override { return map_; }
    void hold_here();
    void reverse_all();
    void choose(OperationKind kind);
    void step_key(int direction); // moves the playhead to the previous or next key or phrase
    void show_panel(int index);   // 0 keys, 1 phrases, 2 before and after, 3 beats, 4 camera, 5 timings
    TimeMapView& map() { return *map_; }
    OperationsSection& operations() { return *operations_; }
    PhrasesSection& phrases() { return *phrases_; }
    TimingsSection& timings() { return *shared_; }

  private:
    void refresh();
    void update_trace();

    TimeMapView* map_;
    OperationsSection* operations_;
    PhrasesSection* phrases_;
    TimingsSection* shared_;
    std::vector<RetimeSection*> panels_;
    QStackedWidget* stack_;
    Segments *tabs_, *views_;
    QComboBox* timings_;
    QLabel* trace_;
    QString hover_;
};

} // namespace garland
