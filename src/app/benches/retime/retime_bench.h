// The Retime step: the time map, its operations, what happens before and after, and the trace in words.
#pragma once

#include "app/benches/retime/time_map_view.h"

#include <QCheckBox>

namespace garland {

class RetimeBench : public Bench {
    Q_OBJECT
  public:
    RetimeBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void hold_here();
    void reverse_all();
    void fit_to_range();
    void start_here();
    void step_key(int direction); // moves the playhead to the previous or next key
    TimeMapView& map() { return *map_; }

  private:
    void refresh();
    void update_trace();
    void update_key_fields();
    void edit_map(const QString& words, const std::function<Result<TimeMap>(const TimeMap&)>& change,
                  const QString& merge = {});
    void edit_timing(const QString& words, const std::function<void(Timing&)>& change, const QString& merge = {});

    TimeMapView* map_;
    NumberField *hold_frames_, *key_frame_, *key_source_, *before_count_, *after_count_;
    QComboBox *toward_, *before_, *after_, *timings_;
    QCheckBox *last_is_first_, *turn_twice_;
    QWidget* key_row_;
    QLabel* trace_;
    QString hover_;
};

} // namespace garland
