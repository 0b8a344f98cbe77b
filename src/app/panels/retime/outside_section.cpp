#include "app/panels/retime/sections.h"

#include "app/theme/number_text.h"

#include <QGridLayout>

namespace garland {

OutsideSection::OutsideSection(Document& document, Viewing& viewing, TimeMapView& map)
    : RetimeSection(document, viewing, map) {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(6);
    grid->setVerticalSpacing(5);
    add_side(grid, true);
    add_side(grid, false);
    last_is_first_ = new QCheckBox(tr("last pose is the first"));
    last_is_first_->setToolTip(
        tr("The span ends on the pose it began with, so a repeat's period is one frame shorter"));
    turn_twice_ = new QCheckBox(tr("turn frame shown twice"));
    turn_twice_->setToolTip(tr("There-and-back shows each turning frame for two frames instead of one"));
    connect(last_is_first_, &QCheckBox::clicked, this, [this](bool on) {
        edit_timing(tr("Set the repeat's period"),
                    [&](Timing& t) -> Result<void> { return t.last_is_first = on, Result<void>{}; });
    });
    connect(turn_twice_, &QCheckBox::clicked, this, [this](bool on) {
        edit_timing(tr("Set the turning frames"),
                    [&](Timing& t) -> Result<void> { return t.turn_twice = on, Result<void>{}; });
    });
    grid->addWidget(last_is_first_, 0, 4);
    grid->addWidget(turn_twice_, 1, 4);
    period_ = make_label({}, "muted");
    period_->setWordWrap(true);
    grid->addWidget(period_, 2, 0, 1, 5);
    add_slider_row(grid);
    grid->setColumnStretch(5, 1);
    grid->setRowStretch(3, 1);
}

void OutsideSection::add_side(QGridLayout* grid, bool is_before) {
    const QStringList names{tr("hold"), tr("repeat"), tr("there-and-back"), tr("continue"), tr("hidden")};
    const QString side = is_before ? tr("before") : tr("after");
    auto* mode = make_choice(names, is_before ? tr("Before the timing") : tr("After the timing"),
                             is_before ? tr("What is shown before the timing starts")
                                       : tr("What is shown after the timing ends"),
                             [this, is_before, side](int i) {
                                 edit_timing(tr("Set what comes %1").arg(side), [&](Timing& t) -> Result<void> {
                                     (is_before ? t.before : t.after).mode = static_cast<OutsideMode>(i);
                                     return {};
                                 });
                             });
    auto* count = number(Quantity::plain, 0, 1e9, 0, tr("Passes %1").arg(side),
                         tr("How many more passes are played; 0 is endless. Then the last pose is held."));
    count->set_word(0, tr("endless"));
    connect(count, &NumberField::edited, this, [this, is_before, side](double v) {
        edit_timing(
            tr("Set passes %1").arg(side),
            [&](Timing& t) -> Result<void> {
                (is_before ? t.before : t.after).count = static_cast<int>(v);
                return {};
            },
            QStringLiteral("passes-") + side);
    });
    const int row = is_before ? 0 : 1;
    grid->addWidget(make_label(is_before ? tr("Before") : tr("After")), row, 0);
    grid->addWidget(mode, row, 1);
    grid->addWidget(count, row, 2);
    grid->addWidget(make_label(tr("more passes"), "muted"), row, 3);
    (is_before ? before_ : after_) = mode;
    (is_before ? before_count_ : after_count_) = count;
}

void OutsideSection::add_slider_row(QGridLayout* grid) {
    add_slider_ = make_button(tr("Add a slider"),
                              tr("One value from 0 to 100 % that plays the whole timing, with keys of its own"));
    drop_slider_ = make_button(tr("Remove the slider"), tr("Play the timing by itself again"));
    connect(add_slider_, &QPushButton::clicked, this, [this] {
        const bool done = edit_timing(tr("Play the timing with a slider"), [](Timing& t) -> Result<void> {
            const double first = span_first(t).value, length = std::max(form_length(t), 1.0);
            t.slider = TimeMap{{{OutputFrame(first), SourceFrame(0)}, {OutputFrame(first + length), SourceFrame(100)}}};
            return {};
        });
        if (done) map_.set_view(MapView::slider);
    });
    connect(drop_slider_, &QPushButton::clicked, this, [this] {
        edit_timing(tr("Remove the slider"), [](Timing& t) -> Result<void> {
            t.slider.reset();
            return {};
        });
    });
    grid->addWidget(add_slider_, 2, 5, Qt::AlignRight);
    grid->addWidget(drop_slider_, 2, 5, Qt::AlignRight);
}

void OutsideSection::refresh() {
    const Timing* t = timing();
    for (QWidget* w : std::initializer_list<QWidget*>{before_, after_, last_is_first_, turn_twice_})
        w->setEnabled(t != nullptr);
    add_slider_->setVisible(t && !t->slider);
    drop_slider_->setVisible(t && t->slider);
    if (!t) return;
    before_->setCurrentIndex(static_cast<int>(t->before.mode));
    after_->setCurrentIndex(static_cast<int>(t->after.mode));
    before_count_->set_value(t->before.count);
    after_count_->set_value(t->after.count);
    auto folds = [](const Outside& o) {
        return o.mode == OutsideMode::repeat || o.mode == OutsideMode::there_and_back;
    };
    before_count_->setEnabled(folds(t->before));
    after_count_->setEnabled(folds(t->after));
    last_is_first_->setChecked(t->last_is_first);
    turn_twice_->setChecked(t->turn_twice);
    QString words;
    if (folds(t->after)) {
        const double pass = pass_length(*t, t->after.mode);
        const double period = t->after.mode == OutsideMode::there_and_back ? 2 * pass : pass;
        const Rate rate = document_.project().settings.rate;
        words = tr("Repeats every %1 output frames (%2 s)")
                    .arg(number_text(period), number_text(period / rate.per_second()));
        const Tempo& tempo = document_.project().settings.tempo;
        if (tempo.on) words += tr(", %1 beats").arg(number_text(period / frames_per_beat(tempo, rate)));
    }
    period_->setText(words);
}

} // namespace garland
