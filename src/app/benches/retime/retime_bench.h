// The Retime step: the time map, its operations, and below it keys, phrases, what comes before and after, beats, the
// camera and shared timings; at the bottom the trace in words.
#pragma once

#include "app/benches/retime/panels.h"

#include <QStackedWidget>

namespace garland {

class RetimeBench : public Bench {
    Q_OBJECT
  public:
    RetimeBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    QWidget* home() override { return map_; }
    void hold_here();
    void reverse_all();
    void choose(OperationKind kind);
    void step_key(int direction); // moves the playhead to the previous or next key or phrase
    void show_panel(int index);   // 0 keys, 1 phrases, 2 before and after, 3 beats, 4 camera, 5 timings
    TimeMapView& map() { return *map_; }
    OperationsPanel& operations() { return *operations_; }
    PhrasesPanel& phrases() { return *phrases_; }
    TimingsPanel& timings() { return *shared_; }

  private:
    void refresh();
    void update_trace();

    TimeMapView* map_;
    OperationsPanel* operations_;
    PhrasesPanel* phrases_;
    TimingsPanel* shared_;
    std::vector<RetimePanel*> panels_;
    QStackedWidget* stack_;
    Segments *tabs_, *views_;
    QComboBox* timings_;
    QLabel* trace_;
    QString hover_;
};

} // namespace garland
