#include "app/panels/arrange/wobble_card.h"

namespace garland {

namespace {

using enum Quantity;
const QString axes[] = {"x", "y", "z"};

QHBoxLayout* start_row(QWidget*& holder) {
    holder = new QWidget;
    auto* row = new QHBoxLayout(holder);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(5);
    return row;
}

} // namespace

WobbleCard::WobbleCard(Document& document, Viewing& viewing, QWidget* parent)
    : QFrame(parent), document_(document), viewing_(viewing) {
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 8, 10, 8);
    column->setSpacing(6);
    add_head(column);
    add_amounts(column);
    add_end(column);
}

void WobbleCard::add_head(QVBoxLayout* column) {
    auto* head = new QHBoxLayout;
    on_ = new QCheckBox(tr("Wobble"));
    on_->setToolTip(tr("Copies sway around their places (smooth noise), even while the pose is held"));
    connect(on_, &QCheckBox::clicked, this,
            [this](bool on) { change(on ? tr("Wobble on") : tr("Wobble off"), [on](Wobble& w) { w.on = on; }); });
    whose_ = make_choice({tr("of this arrangement"), tr("of the source, everywhere")}, tr("What wobbles"),
                         tr("The copies of this arrangement, or all copies of its source"), [this](int) { refresh(); });
    together_ = new QCheckBox(tr("all alike"));
    together_->setToolTip(tr("All copies move together instead of each by itself"));
    connect(together_, &QCheckBox::clicked, this,
            [this](bool on) { change(tr("Set whether copies wobble alike"), [on](Wobble& w) { w.together = on; }); });
    head->addWidget(on_);
    head->addWidget(whose_);
    head->addStretch(1);
    head->addWidget(together_);
    column->addLayout(head);
}

void WobbleCard::add_amounts(QVBoxLayout* column) {
    auto* places = start_row(places_);
    places->addWidget(make_label(tr("Place")));
    for (int k = 0; k < 3; ++k) {
        add(
            places, axes[k], metres, 0, 1e6, 3, 0.05, tr("Up to so far along %1, either way").arg(axes[k]),
            [k](const Wobble& w) { return w.position[k]; }, [k](Wobble& w, double v) { w.position[k] = v; })
            ->setAccessibleName(tr("Wobble place %1").arg(axes[k]));
    }
    add(
        places, tr("size"), per_cent, 0, 99, 1, 1, tr("Largest size change"),
        [](const Wobble& w) { return w.size * 100; }, [](Wobble& w, double v) { w.size = v / 100; });
    places->addStretch(1);
    column->addWidget(places_);

    auto* turns = start_row(turns_);
    const int order[] = {1, 0, 2};
    const QString names[] = {tr("turn"), tr("pitch"), tr("bank")};
    const QString tips[] = {tr("Largest turn about the vertical axis, either way"),
                            tr("Up to so much forward and back: about the copy's own x"),
                            tr("Up to so much to the sides: about the copy's own z")};
    for (int n = 0; n < 3; ++n) {
        const int k = order[n];
        add(
            turns, names[n], degrees, 0, 36000, 2, 1, tips[n], [k](const Wobble& w) { return w.turn[k]; },
            [k](Wobble& w, double v) { w.turn[k] = v; });
    }
    turns->addStretch(1);
    column->addWidget(turns_);

    auto* amounts = start_row(amounts_);
    add(
        amounts, tr("changes per second"), plain, 0, 1000, 2, 0.1, tr("How fast it changes"),
        [](const Wobble& w) { return w.rate; }, [](Wobble& w, double v) { w.rate = v; });
    add(
        amounts, tr("seed"), plain, 0, 1e9, 0, 1, tr("Each seed gives another wobble"),
        [](const Wobble& w) { return static_cast<double>(w.seed); },
        [](Wobble& w, double v) { w.seed = static_cast<std::uint64_t>(v); });
    amounts->addStretch(1);
    column->addWidget(amounts_);
}

void WobbleCard::add_end(QVBoxLayout* column) {
    auto* ends = start_row(ends_);
    end_ = make_choice(
        {tr("never ends"), tr("fades out"), tr("freezes"), tr("settles")}, tr("How the wobble ends"),
        tr("Fades out: back to the copy's own place. Freezes: where it was at that frame. Settles: at a given place."),
        [this](int i) {
            change(tr("Set how the wobble ends"), [i](Wobble& w) { w.end = static_cast<WobbleEnd>(i); });
        });
    ends->addWidget(end_);
    add(
        ends, tr("at"), output_frames, -frame_limit, frame_limit, 2, 1, tr("The output frame at which it ends"),
        [](const Wobble& w) { return w.end_at.value; }, [](Wobble& w, double v) { w.end_at = OutputFrame(v); },
        [](const Wobble& w) { return w.end != WobbleEnd::never; });
    end_here_ = make_button(tr("Here"), tr("End it at the playhead"));
    connect(end_here_, &QPushButton::clicked, this, [this] {
        change(tr("End the wobble at the playhead"), [this](Wobble& w) { w.end_at = viewing_.frame(); });
    });
    ends->addWidget(end_here_);
    add(
        ends, tr("ease over"), output_frames, 0, 1e6, 2, 1, tr("How many output frames fading out or settling takes"),
        [](const Wobble& w) { return w.ease; }, [](Wobble& w, double v) { w.ease = v; },
        [](const Wobble& w) { return w.end == WobbleEnd::let_go || w.end == WobbleEnd::settle; });
    ends->addStretch(1);
    column->addWidget(ends_);
    auto* settles = start_row(settles_);
    for (int k = 0; k < 3; ++k) {
        add(
            settles, axes[k], metres, -1e6, 1e6, 3, 0.05, tr("Where it settles, from the copy's own place"),
            [k](const Wobble& w) { return w.settle_position[k]; },
            [k](Wobble& w, double v) { w.settle_position[k] = v; })
            ->setAccessibleName(tr("Wobble settles at %1").arg(axes[k]));
    }
    add(
        settles, tr("turn"), degrees, -36000, 36000, 2, 1, tr("The turn it settles at"),
        [](const Wobble& w) { return w.settle_turn.y; }, [](Wobble& w, double v) { w.settle_turn.y = v; });
    add(
        settles, tr("size"), per_cent, -99, 1e5, 1, 1, tr("How much larger it settles"),
        [](const Wobble& w) { return w.settle_size * 100; }, [](Wobble& w, double v) { w.settle_size = v / 100; });
    settles->addStretch(1);
    column->addWidget(settles_);
}

NumberField* WobbleCard::add(QHBoxLayout* row, const QString& label, Quantity quantity, double low, double high,
                             int decimals, double step, const QString& tip, std::function<double(const Wobble&)> get,
                             std::function<void(Wobble&, double)> set, std::function<bool(const Wobble&)> shown) {
    auto* field = make_number(quantity, low, high, decimals, tr("Wobble %1").arg(label), tip);
    field->set_step(step);
    field->setMinimumWidth(40);
    field->setMaximumWidth(62);
    auto* words = make_label(label);
    row->addWidget(words);
    row->addWidget(field);
    fields_.push_back({field, words, std::move(get), std::move(shown)});
    const QString merge = QStringLiteral("wobble-%1").arg(fields_.size());
    connect(field, &NumberField::edited, this, [this, set = std::move(set), merge](double v) {
        change(
            tr("Set the wobble"), [&](Wobble& w) { set(w, v); }, merge);
    });
    connect(field, &NumberField::settled, &document_, &Document::end_merge);
    return field;
}

const Wobble* WobbleCard::wobble() const {
    if (whose_->currentIndex() == 1) {
        const SourceSpec* s = document_.project().source(viewing_.source());
        return s ? &s->wobble : nullptr;
    }
    const Arrangement* a = document_.project().arrangement(viewing_.arrangement());
    return a ? &a->wobble : nullptr;
}

void WobbleCard::change(const QString& words, const std::function<void(Wobble&)>& set, const QString& merge) {
    const bool source = whose_->currentIndex() == 1;
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            if (source) {
                if (SourceSpec* s = p.source(viewing_.source())) set(s->wobble);
            } else if (Arrangement* a = p.arrangement(viewing_.arrangement())) {
                set(a->wobble);
            }
            return {};
        },
        merge);
}

void WobbleCard::refresh() {
    const Wobble* w = wobble();
    setEnabled(w != nullptr);
    if (!w) return;
    on_->setChecked(w->on);
    together_->setChecked(w->together);
    together_->setVisible(w->on);
    for (QWidget* row : {places_, turns_, amounts_, ends_}) row->setVisible(w->on);
    settles_->setVisible(w->on && w->end == WobbleEnd::settle);
    end_->setCurrentIndex(static_cast<int>(w->end));
    end_here_->setVisible(w->end != WobbleEnd::never);
    for (const Field& f : fields_) {
        f.field->set_rate(document_.project().settings.rate);
        f.field->set_value(f.get(*w));
        const bool shown = !f.shown || f.shown(*w);
        f.field->setVisible(shown);
        f.label->setVisible(shown);
    }
}

} // namespace garland
