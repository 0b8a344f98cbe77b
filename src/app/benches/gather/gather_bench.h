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
    void rebuild();
    QWidget* make_source_card(const SourceSpec& spec);
    void find_file(SourceId id);

    PosePictures pictures_;
    QVBoxLayout* cards_;
};

} // namespace garland
