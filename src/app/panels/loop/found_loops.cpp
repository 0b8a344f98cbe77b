#include "app/panels/loop/found_loops.h"

#include "app/theme/number_text.h"

#include <QHeaderView>
#include <QSignalBlocker>

namespace garland {

namespace {

constexpr int columns = 5;

} // namespace

QString distance_words(double d, const std::string& unit) {
    return unit.empty() ? QObject::tr("%1 %").arg(number_text(d * 100))
                        : QObject::tr("%1 %2").arg(number_text(d), QString::fromStdString(unit));
}

FoundLoops::FoundLoops(QWidget* parent) : QTreeWidget(parent) {
    setAccessibleName(tr("Loops found"));
    setObjectName("numbers");
    setHeaderLabels({tr("from"), tr("to"), tr("length"), tr("gap"), tr("usual steps")});
    for (int c = 0; c < columns; ++c) headerItem()->setTextAlignment(c, Qt::AlignRight | Qt::AlignVCenter);
    headerItem()->setToolTip(0, tr("The source frame a loop begins with"));
    headerItem()->setToolTip(1, tr("The source frame at which it begins again"));
    headerItem()->setToolTip(2, tr("Source frames of one pass"));
    headerItem()->setToolTip(3, tr("How far the pose after the seam is from the one it should follow"));
    headerItem()->setToolTip(4, tr("The same gap, counted in usual steps from one frame to the next"));
    setRootIsDecorated(false);
    setUniformRowHeights(true);
    setAllColumnsShowFocus(true);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    header()->setSectionsMovable(false);
    header()->setStretchLastSection(false);
    header()->setSectionResizeMode(QHeaderView::Stretch);
    for (int c : {3, 4}) header()->setSectionResizeMode(c, QHeaderView::ResizeToContents);
    header()->setMinimumSectionSize(30);
    const auto take = [this](QTreeWidgetItem* item) {
        if (!item) return;
        const LoopCandidate& c = found_[static_cast<std::size_t>(indexOfTopLevelItem(item))];
        emit chosen(c.start, c.length);
    };
    connect(this, &QTreeWidget::itemClicked, this, take);
    connect(this, &QTreeWidget::itemActivated, this, take); // Return
}

void FoundLoops::set_loops(const std::vector<LoopCandidate>& found, const std::string& unit) {
    if (found == found_ && unit == unit_) return; // lines are not rebuilt under a click
    clear();
    found_ = found;
    unit_ = unit;
    for (const LoopCandidate& c : found_) {
        auto* line = new QTreeWidgetItem(this, {tr("%1 f").arg(number_text(static_cast<double>(c.start))),
                                                tr("%1 f").arg(number_text(static_cast<double>(c.start + c.length))),
                                                tr("%1 f").arg(number_text(static_cast<double>(c.length))),
                                                distance_words(c.gap, unit), QString::number(c.steps, 'f', 2)});
        for (int k = 0; k < columns; ++k) {
            line->setTextAlignment(k, Qt::AlignRight | Qt::AlignVCenter);
            line->setToolTip(k, tr("Loop from frame %1 over %2 frames: the pose after the seam is %3 from the one it "
                                   "should follow, %4 times a usual step")
                                    .arg(c.start)
                                    .arg(c.length)
                                    .arg(distance_words(c.gap, unit), number_text(c.steps, 2)));
        }
    }
    setVisible(!found_.empty());
    updateGeometry();
}

void FoundLoops::set_chosen(std::int64_t start, std::int64_t length) {
    QTreeWidgetItem* line = nullptr;
    for (std::size_t i = 0; i < found_.size(); ++i) {
        if (found_[i].start == start && found_[i].length == length) line = topLevelItem(static_cast<int>(i));
    }
    clearSelection();
    if (!line) return;
    setCurrentItem(line);
    line->setSelected(true);
}

QSize FoundLoops::sizeHint() const { // every line, so that none is scrolled to
    const int line = topLevelItemCount() > 0 ? sizeHintForRow(0) : 0;
    return {280, header()->sizeHint().height() + line * topLevelItemCount() + 2 * frameWidth() + 6};
}

} // namespace garland
