// All copies agree at one moment: the last tab of the Vary step.
#include "app/panels/vary/vary_panel.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"
#include "core/project/varying.h"

namespace garland {

void VaryPanel::add_meeting() {
    meeting_ = make_card();
    auto* column = new QVBoxLayout(meeting_);
    column->setContentsMargins(12, 8, 12, 10);
    column->setSpacing(6);
    column->addWidget(make_label(tr("Meet"), "heading"));
    meeting_words_ = make_label({}, "muted");
    meeting_words_->setWordWrap(true);
    column->addWidget(meeting_words_);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    auto field = [&](const QString& words, double low, double value, const QString& tip) {
        auto* f = make_number(Quantity::output_frames, low, 1e6, 2, words, tip);
        f->set_value(value);
        f->setMaximumWidth(72);
        row->addWidget(make_label(words));
        row->addWidget(f);
        return f;
    };
    meet_at_ = field(tr("at frame"), -1e6, 96, tr("The output frame at which all copies show the same source frame"));
    auto* here = make_button(tr("Here"), tr("At the playhead"));
    connect(here, &QPushButton::clicked, this, [this] { meet_at_->set_value(viewing_.frame().value); });
    row->addWidget(here);
    ease_ = field(tr("easing over"), 1, 36, tr("How many output frames they take to come together, and to part again"));
    stay_ = field(tr("staying"), 0, 0, tr("How many output frames they stay together"));
    row->addStretch(1);
    column->addLayout(row);
    row = new QHBoxLayout;
    row->setSpacing(6);
    meet_chosen_ = new QCheckBox(tr("showing source frame"));
    meet_chosen_->setToolTip(tr("Move the timing so that the copies show this source frame there; otherwise they show "
                                "what the timing shows there by itself"));
    meet_source_ = make_number(Quantity::source_frames, -frame_limit, frame_limit, 2, tr("Source frame they meet at"),
                               tr("The source frame that all copies show there"));
    meet_source_->setMaximumWidth(72);
    meet_source_->setEnabled(false);
    connect(meet_chosen_, &QCheckBox::toggled, meet_source_, &QWidget::setEnabled);
    row->addWidget(meet_chosen_);
    row->addWidget(meet_source_);
    row->addStretch(1);
    column->addLayout(row);
    row = new QHBoxLayout;
    row->setSpacing(6);
    auto* meet_button = make_button(
        tr("Meet"), tr("Key the strengths of all delays so that the copies agree there, and count speeds from there"));
    connect(meet_button, &QPushButton::clicked, this, [this] { meet(true); });
    auto* off = make_button(tr("Remove meeting"), tr("Remove those keys"));
    connect(off, &QPushButton::clicked, this, [this] { meet(false); });
    row->addWidget(meet_button);
    row->addWidget(off);
    row->addStretch(1);
    column->addLayout(row);
    row = new QHBoxLayout;
    backward_ = make_label({}, "alert");
    backward_->setWordWrap(true);
    longer_ = make_button({}, tr("Make the ease long enough that no copy runs backward"));
    connect(longer_, &QPushButton::clicked, this, [this] {
        const TwinState* state = viewing_.twins().of(viewing_.arrangement());
        if (!state || !state->backward) return;
        ease_->set_value(state->backward->longer_ease(ease_->value()));
        meet(true);
    });
    row->addWidget(backward_, 1);
    row->addWidget(longer_, 0, Qt::AlignTop);
    column->addLayout(row);
    column_->addWidget(meeting_);
}

void VaryPanel::meet(bool on) {
    const Arrangement* a = document_.project().arrangement(viewing_.arrangement());
    if (!a) return;
    if (!on) {
        auto done = without_meeting(*a);
        if (!done) return emit document_.problem(done.error());
        edit_arrangement(words_text(done->words), [&](Arrangement& b) -> Result<void> {
            b = done->arrangement;
            return {};
        });
        return;
    }
    MeetOrder order{OutputFrame(meet_at_->value()), ease_->value(), stay_->value(), {}};
    if (meet_chosen_->isChecked()) order.source = SourceFrame(meet_source_->value());
    Project trial = document_.project(); // its words are those of the undo step
    auto done = meet_in(trial, a->id, order);
    if (!done) return emit document_.problem(done.error());
    document_.edit(words_text(done->words), [&](Project& p) -> Result<void> {
        p = trial;
        return {};
    });
    if (!done->note.empty()) set_note(QString::fromStdString(done->note));
}

void VaryPanel::show_backward(const TwinState* state) {
    const bool back = state && state->backward;
    backward_->setVisible(back);
    longer_->setVisible(back);
    if (!back) return;
    const BackwardRun& run = *state->backward;
    backward_->setText(tr("%1 backward between frames %2 and %3: delays there grow by up to %4 frames per frame.")
                           .arg(QString::fromStdString(counted(run.copies, "copy runs", "copies run")),
                                number_text(run.first.value), number_text(run.last.value),
                                number_text(run.steepest, 2)));
    longer_->setText(tr("Ease over %1 frames").arg(number_text(run.longer_ease(ease_->value()))));
}

} // namespace garland
