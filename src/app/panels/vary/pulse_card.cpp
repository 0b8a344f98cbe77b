#include "app/panels/vary/pulse_card.h"

#include "app/panels/vary/drive_words.h"

namespace garland {

PulseCard::PulseCard(Document& document, ArrangementId owner, SpreadId id, Together<SpreadId>& together,
                     QWidget* parent)
    : QFrame(parent), document_(document), owner_(owner), id_(id), together_(together),
      fields_(document, this, QStringLiteral("pulse-%1").arg(id.value),
              [this](const QString& words, const std::function<void(Pulse&)>& change, const QString& merge) {
                  edit(words, change, merge);
              }) {
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(7);
    add_head(column);
    add_wave(column);
    add_gifts(column);
    add_response(column);
}

void PulseCard::add_head(QVBoxLayout* column) {
    auto* head = new QHBoxLayout;
    on_ = new QCheckBox;
    on_->setAccessibleName(tr("On"));
    on_->setToolTip(tr("Whether this pulse counts"));
    connect(on_, &QCheckBox::clicked, this, [this](bool v) {
        edit(v ? tr("Switch a pulse on") : tr("Switch a pulse off"), [&](Pulse& p) { p.on = v; });
    });
    head->addWidget(on_, 0, Qt::AlignTop);
    words_ = make_label({});
    words_->setWordWrap(true);
    head->addWidget(words_, 1);
    joined_ = add_together(head, together_, id_,
                           tr("Change all pulses that are marked so at once: a number that is dragged changes each by "
                              "as much, one that is typed is given to all"));
    auto* remove = make_button(tr("Remove"), tr("Remove this pulse"));
    connect(remove, &QPushButton::clicked, this, &PulseCard::remove);
    head->addWidget(remove, 0, Qt::AlignTop);
    column->addLayout(head);
    add_card_menu(this, [this] { return menu(); });
}

// The pulses of the arrangement change as a list, and this card may go with it.
void PulseCard::edit_list(const QString& words, const ChangeEntry<Pulse>& change) {
    document_.edit(words, [&change, owner = owner_, id = id_](Project& p) -> Result<void> {
        Arrangement* a = p.arrangement(owner);
        return a ? change_entry(p, a->pulses, id, change) : Result<void>{};
    });
}

void PulseCard::remove() {
    edit_list(tr("Remove a pulse"), [](Project&, std::vector<Pulse>& list, std::size_t place) {
        list.erase(list.begin() + static_cast<std::ptrdiff_t>(place));
    });
}

std::optional<CardMenu> PulseCard::menu() {
    const Arrangement* a = document_.project().arrangement(owner_);
    const Pulse* own = pulse();
    if (!a || !own) return {};
    const QPointer<PulseCard> card(this);
    CardMenu out = entry_menu<Pulse>(
        a->pulses, id_,
        [card](const QString& words, const auto& change) {
            if (card) card->edit_list(words, change);
        },
        tr("Duplicate a pulse"), tr("Move a pulse"));
    out.on = own->on;
    out.set_on = [card](bool on) {
        if (card) card->edit(on ? tr("Switch a pulse on") : tr("Switch a pulse off"), [on](Pulse& p) { p.on = on; });
    };
    out.remove = [card] {
        if (card) card->remove();
    };
    return out;
}

void PulseCard::add_wave(QVBoxLayout* column) {
    auto* row = add_row(column);
    fields_.number(
        row, tr("Starts at"), Quantity::output_frames, -1e6, 1e6, 2, 1,
        tr("The output frame at which it begins; later by each copy's own delay"),
        [](const Pulse& p) { return p.wave.start.value; }, [](Pulse& p, double v) { p.wave.start = OutputFrame(v); });
    fields_.number(
        row, tr("rises in"), Quantity::output_frames, 0.01, 1e6, 2, 1, tr("Output frames of one rise"),
        [](const Pulse& p) { return p.wave.frames; }, [](Pulse& p, double v) { p.wave.frames = v; });
    fields_.choice(
        row, tr("then"), {tr("hold"), tr("repeat"), tr("there and back")}, tr("What follows a rise"),
        [](const Pulse& p) { return static_cast<int>(p.wave.after); },
        [](Pulse& p, int i) { p.wave.after = static_cast<WaveAfter>(i); });
    fields_
        .number(
            row, tr("passes"), Quantity::plain, 0, 1e6, 0, 1, tr("Total passes: 1 there, 2 there and back; 0: endless"),
            [](const Pulse& p) { return p.wave.passes; },
            [](Pulse& p, double v) { p.wave.passes = static_cast<int>(v); },
            [](const Pulse& p) { return p.wave.after != WaveAfter::hold; })
        ->set_word(0, tr("endless"));
    close_row(row);
}

void PulseCard::add_gifts(QVBoxLayout* column) {
    auto* row = add_row(column);
    const QString tip = tr("Metres at full level");
    fields_.number(
        row, tr("Lift"), Quantity::metres, -1e6, 1e6, 2, 0.1, tr("Metres upward at full level"),
        [](const Pulse& p) { return p.lift.y; }, [](Pulse& p, double v) { p.lift.y = v; });
    fields_.number(
        row, tr("along x"), Quantity::metres, -1e6, 1e6, 2, 0.1, tip, [](const Pulse& p) { return p.lift.x; },
        [](Pulse& p, double v) { p.lift.x = v; });
    fields_.number(
        row, tr("along z"), Quantity::metres, -1e6, 1e6, 2, 0.1, tip, [](const Pulse& p) { return p.lift.z; },
        [](Pulse& p, double v) { p.lift.z = v; });
    close_row(row);
    row = add_row(column);
    fields_.number(
        row, tr("Turn"), Quantity::degrees, -36000, 36000, 1, 5, tr("Degrees about the vertical at full level"),
        [](const Pulse& p) { return p.turn; }, [](Pulse& p, double v) { p.turn = v; });
    fields_.number(
        row, tr("size"), Quantity::plain, 0.001, 1000, 2, 0.1, tr("Times a copy's own size at full level"),
        [](const Pulse& p) { return p.size; }, [](Pulse& p, double v) { p.size = v; });
    fields_.check(
        row, tr("hides copies at 0"), tr("Copies are shown only while it is above 0"),
        [](const Pulse& p) { return p.hides; }, [](Pulse& p, bool v) { p.hides = v; });
    close_row(row);
}

void PulseCard::add_response(QVBoxLayout* column) {
    auto* row = add_row(column);
    auto* label = make_label(tr("response"), "muted");
    curve_ = new CurveEdit(0, 1, 0, true);
    curve_->setAccessibleName(tr("Response of the pulse"));
    connect(curve_, &CurveEdit::edited, this, [this](const KeyedCurve& c) {
        edit(
            tr("Set the response of a pulse"), [&](Pulse& p) { p.wave.response = c; },
            QStringLiteral("pulse-%1-curve").arg(id_.value));
    });
    connect(curve_, &CurveEdit::settled, &document_, &Document::end_merge);
    row->addWidget(label, 0, Qt::AlignTop);
    row->addWidget(curve_);
    close_row(row);
    fields_.keep({label, curve_}, {}, [this](const Pulse& p) { curve_->set_curve(p.wave.response); });
}

const Pulse* PulseCard::pulse() const {
    const Arrangement* a = document_.project().arrangement(owner_);
    if (!a) return nullptr;
    for (const Pulse& p : a->pulses) {
        if (p.id == id_) return &p;
    }
    return nullptr;
}

void PulseCard::edit(const QString& words, const std::function<void(Pulse&)>& change, const QString& merge) {
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            if (Arrangement* a = p.arrangement(owner_)) {
                for (Pulse& x : a->pulses) {
                    if (together_.joins(id_, x.id)) change(x);
                }
            }
            return {};
        },
        merge);
    refresh();
}

void PulseCard::refresh() {
    const Pulse* p = pulse();
    if (!p) return;
    on_->setChecked(p->on);
    words_->setText(pulse_words(*p));
    words_->setEnabled(p->on);
    show_together(joined_, together_, id_, document_.project().arrangement(owner_)->pulses.size());
    fields_.refresh(*p);
}

} // namespace garland
