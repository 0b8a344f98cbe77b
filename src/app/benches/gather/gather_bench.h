// The Gather step: source cards with poses, facts, problems; add, replace, remove.
#pragma once

#include "app/benches/common/bench.h"

namespace garland {

class GatherBench : public Bench {
    Q_OBJECT
  public:
    GatherBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void choose_files();
    static QString file_filter();

  private:
    void rebuild(); // once no field is being dragged
    void fill();
    void choose_shapes();
    void find_file(SourceId id);

    PosePictures pictures_;
    QVBoxLayout* cards_;
    bool waiting_ = false;
};

} // namespace garland
