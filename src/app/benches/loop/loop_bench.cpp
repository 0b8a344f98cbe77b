#include "app/benches/loop/loop_bench.h"

namespace garland {

LoopBench::LoopBench(Document& document, Viewing& viewing, QWidget* parent)
    : Bench(tr("Loop"), false, document, viewing, parent) {
    auto* words =
        make_label(tr("Here a range of a source will be closed into a loop without a seam: the best start and end "
                      "found by comparing poses, the gap shown in numbers, and both ends laid over each other."));
    words->setWordWrap(true);
    body()->addWidget(words);
    auto* now =
        make_label(tr("This step comes in a later version. Until then a timing can repeat, or go there and back, "
                      "after its span: see Retime, under “After”."),
                   "muted");
    now->setWordWrap(true);
    body()->addWidget(now);
    auto* go = make_button(tr("Go to Retime"), tr("Set what the timing does after its span"));
    connect(go, &QPushButton::clicked, this, [this] { emit go_to_step(1); });
    body()->addWidget(go, 0, Qt::AlignLeft);
    body()->addStretch(1);
}

} // namespace garland
