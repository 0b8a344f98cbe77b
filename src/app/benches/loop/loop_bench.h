#pragma once

#include "app/benches/common/bench.h"

namespace garland {

// The Loop step: says what it will do.
class LoopBench : public Bench {
    Q_OBJECT
  public:
    LoopBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);
};

} // namespace garland
