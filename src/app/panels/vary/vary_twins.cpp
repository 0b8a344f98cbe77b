// Twins beside the spreads of the Vary step: how many there are, and pulling them apart.
#include "app/panels/vary/vary_panel.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"
#include "core/project/varying.h"

namespace garland {

void VaryPanel::add_twins() {
    twin_card_ = make_card();
    auto* column = new QVBoxLayout(twin_card_);
    column->setContentsMargins(12, 8, 12, 8);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    twins_ = make_label({});
    twins_->setWordWrap(true);
    twins_->setAccessibleName(tr("Twins"));
    row->addWidget(twins_, 1);
    part_all_ =
        make_button(tr("Pull apart"),
                    tr("Change delays as little as possible until every pair differs; the changes become nudges"));
    part_near_ = make_button(tr("Pull neighbours apart"),
                             tr("Only each copy and its six nearest: twins far apart are hard to notice"));
    apart_ = make_button(tr("Vary speed"), tr("Copies of different speeds drift apart: adds a spread of speed"));
    connect(part_all_, &QPushButton::clicked, this, [this] { part(0); });
    connect(part_near_, &QPushButton::clicked, this, [this] { part(6); });
    connect(apart_, &QPushButton::clicked, this, [this] { add_spread(Target::speed); });
    for (QPushButton* b : {part_all_, part_near_, apart_}) row->addWidget(b, 0, Qt::AlignTop);
    column->addLayout(row);
    limits_ = new QWidget;
    row = new QHBoxLayout(limits_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    limited_ = new QCheckBox(tr("keep delays between"));
    limited_->setToolTip(
        tr("Pulling apart moves no copy earlier or later than this; without it delays may become anything"));
    limited_->setAccessibleName(tr("Keep delays between limits"));
    row->addWidget(limited_);
    for (bool low : {true, false}) {
        auto* field =
            make_number(Quantity::output_frames, -1e6, 1e6, 2, low ? tr("Earliest delay") : tr("Latest delay"),
                        tr("Output frames later; below 0 is ahead"));
        field->setMaximumWidth(72);
        field->set_value(low ? 0 : 48);
        field->setEnabled(false);
        connect(limited_, &QCheckBox::toggled, field, &QWidget::setEnabled);
        if (!low) row->addWidget(make_label(tr("and")));
        row->addWidget(field);
        (low ? earliest_ : latest_) = field;
    }
    row->addStretch(1);
    column->addWidget(limits_);
    column_->addWidget(twin_card_);
}

void VaryPanel::part(std::size_t neighbours) {
    if (parting_) parting_->drop();
    const ShowPtr show = document_.show();
    const ArrangementId id = viewing_.arrangement();
    PartOrder order;
    order.neighbours = neighbours;
    if (limited_->isChecked()) order.low = earliest_->value(), order.high = latest_->value();
    parting_ = document_.jobs().start<PartDone>(
        this, tr("Pulling twins apart"),
        [show, id, order, project = document_.project()](Progress& p) {
            return part_twins(*show, project, id, order, p);
        },
        [this, show, id](Result<PartDone> done) {
            if (!done) {
                if (done.error().code != ErrorCode::cancelled) emit document_.problem(done.error());
                return;
            }
            if (document_.show() != show)
                return emit document_.hint(
                    tr("The project was changed while twins were looked at, so none were pulled apart: do it again"));
            document_.edit(words_text(done->words), [&](Project& p) -> Result<void> {
                p.arrangement(id)->by_hand.nudges = done->nudges;
                return {};
            });
            set_note(words_text(done->words));
        });
}

void VaryPanel::show_twins() {
    const TwinState* state = viewing_.twins().of(viewing_.arrangement());
    const bool there = state && state->copies > 1;
    twin_card_->setVisible(there || (document_.show()->copies() > 1 && !viewing_.twins().current()));
    const bool current = viewing_.twins().current();
    auto copies = [](std::int64_t n) { return QString::fromStdString(counted(n, "copy", "copies")); };
    if (!there) {
        twins_->setText(tr("Looking for twins …"));
    } else {
        QString text = state->twins == 0
                           ? tr("No twins among %1").arg(copies(state->copies))
                           : tr("%1 of %2 have a twin, %3 right beside it")
                                 .arg(state->twins)
                                 .arg(copies(state->copies))
                                 .arg(state->near_twins == 0 ? tr("none") : QString::number(state->near_twins));
        text += tr(" (%1 looked at).").arg(QString::fromStdString(counted(state->frames, "frame", "frames")));
        if (state->room >= 0) {
            text += ' ' + tr("This loop of %1 can hold %2 by delay alone.")
                              .arg(QString::fromStdString(counted_number(state->loop, "frame", "frames")),
                                   QString::fromStdString(counted(state->room, "different copy", "different copies")));
        }
        if (!current) text += ' ' + tr("Looking again …");
        twins_->setText(text);
    }
    const bool any = there && state->twins > 0;
    const bool fits = there && (state->room < 0 || state->room >= state->copies);
    twins_->setObjectName(there && !any && current ? "ok" : "");
    twins_->style()->polish(twins_);
    part_all_->setVisible(any && fits);
    part_near_->setVisible(any && state->near_twins > 0);
    apart_->setVisible(any && !fits);
    limits_->setVisible(any);
    show_backward(there ? state : nullptr);
}

} // namespace garland
