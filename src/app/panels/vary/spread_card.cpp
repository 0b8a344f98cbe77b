#include "app/panels/vary/spread_card.h"

#include "app/document/colouring.h"
#include "app/panels/vary/histogram.h"
#include "app/panels/vary/spread_words.h"
#include "core/base/numbers.h"

#include <algorithm>

namespace garland {

namespace {

constexpr Driver drivers[] = {Driver::chance,   Driver::order_step, Driver::order_total, Driver::order_loop,
                              Driver::even,     Driver::even_space, Driver::noise,       Driver::gradient,
                              Driver::distance, Driver::attribute,  Driver::zone,        Driver::sound};

} // namespace

Quantity unit_of(Target target) {
    switch (target) {
    case Target::delay: return Quantity::output_frames;
    case Target::turn: return Quantity::degrees;
    default: return Quantity::per_cent;
    }
}

void usual_amounts(Spread& s) {
    switch (s.target) {
    case Target::delay: s.from = 0, s.to = 24; break;
    case Target::speed: s.from = -10, s.to = 10; break;
    case Target::visibility: s.from = 50, s.to = 100; break;
    case Target::size: s.from = -20, s.to = 20; break;
    case Target::turn: s.from = -30, s.to = 30; break;
    case Target::variant: s.from = 0, s.to = 100; break;
    case Target::wobble: s.from = 0, s.to = 100; break;
    }
}

SpreadCard::SpreadCard(Document& document, Viewing& viewing, ArrangementId owner, const Spread& spread,
                       Together<SpreadId>& together, QWidget* parent)
    : QFrame(parent), document_(document), viewing_(viewing), owner_(owner), id_(spread.id), together_(together),
      fields_(document, this, QStringLiteral("spread-%1").arg(spread.id.value),
              [this](const QString& words, const std::function<void(S&)>& change, const QString& merge) {
                  edit(words, change, merge);
              }) {
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(7);
    add_head(column);
    add_amounts(column);
    add_driver_rows(column);
    add_shapes(column);
    note_ = make_label({}, "alert");
    note_->setWordWrap(true);
    column->addWidget(note_);
    connect(&viewing_, &Viewing::colour_changed, this, [this] {
        pattern_->setChecked(viewing_.shown_spread() == id_ && viewing_.colour() == ColourMode::spread);
    });
}

const Spread* SpreadCard::spread() const {
    const Arrangement* a = document_.project().arrangement(owner_);
    if (!a) return nullptr;
    for (const S& s : a->spreads) {
        if (s.id == id_) return &s;
    }
    return nullptr;
}

void SpreadCard::edit(const QString& words, const std::function<void(S&)>& change, const QString& merge) {
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            if (Arrangement* a = p.arrangement(owner_)) {
                for (S& s : a->spreads) {
                    if (together_.joins(id_, s.id)) change(s);
                }
            }
            return {};
        },
        merge);
    refresh();
}

void SpreadCard::add_head(QVBoxLayout* column) {
    auto* head = new QHBoxLayout;
    on_ = new QCheckBox;
    on_->setAccessibleName(tr("On"));
    on_->setToolTip(tr("Whether this spread counts; its pattern can be looked at before"));
    connect(on_, &QCheckBox::clicked, this, [this](bool v) {
        edit(v ? tr("Switch a spread on") : tr("Switch a spread off"), [&](S& s) { s.on = v; });
    });
    head->addWidget(on_, 0, Qt::AlignTop);
    words_ = make_label({});
    words_->setWordWrap(true);
    head->addWidget(words_, 1);
    joined_ = add_together(head, together_, id_,
                           tr("Change all spreads that are marked so at once: a number that is dragged changes each by "
                              "as much, one that is typed is given to all"));
    pattern_ = new QToolButton;
    pattern_->setObjectName("segment");
    pattern_->setText(tr("Show pattern"));
    pattern_->setCheckable(true);
    pattern_->setToolTip(
        tr("Colour the copies, and the ground where possible, by this spread's values, even while it is off"));
    pattern_->setAccessibleName(tr("Show pattern"));
    connect(pattern_, &QToolButton::clicked, this, [this](bool on) {
        if (!on) return viewing_.show_spread({});
        viewing_.show_spread(id_);
        viewing_.set_colour(ColourMode::spread);
    });
    head->addWidget(pattern_, 0, Qt::AlignTop);
    auto* remove = make_button(tr("Remove"), tr("Remove this spread"));
    connect(remove, &QPushButton::clicked, this, &SpreadCard::remove);
    head->addWidget(remove, 0, Qt::AlignTop);
    column->addLayout(head);
    add_card_menu(this, [this] { return menu(); });
}

// The spreads of the arrangement change as a list, and this card may go with it.
void SpreadCard::edit_list(const QString& words, const ChangeEntry<S>& change) {
    document_.edit(words, [&change, owner = owner_, id = id_](Project& p) -> Result<void> {
        Arrangement* a = p.arrangement(owner);
        return a ? change_entry(p, a->spreads, id, change) : Result<void>{};
    });
}

void SpreadCard::remove() {
    if (viewing_.shown_spread() == id_) viewing_.show_spread({});
    edit_list(tr("Remove a spread"), [](Project&, std::vector<S>& list, std::size_t place) {
        list.erase(list.begin() + static_cast<std::ptrdiff_t>(place));
    });
}

std::optional<CardMenu> SpreadCard::menu() {
    const Arrangement* a = document_.project().arrangement(owner_);
    const S* s = spread();
    if (!a || !s) return {};
    const QPointer<SpreadCard> card(this);
    CardMenu out = entry_menu<S>(
        a->spreads, id_,
        [card](const QString& words, const auto& change) {
            if (card) card->edit_list(words, change);
        },
        tr("Duplicate a spread"), tr("Move a spread"));
    out.on = s->on;
    out.set_on = [card](bool on) {
        if (card) card->edit(on ? tr("Switch a spread on") : tr("Switch a spread off"), [on](S& one) { one.on = on; });
    };
    out.remove = [card] {
        if (card) card->remove();
    };
    return out;
}

void SpreadCard::add_amounts(QVBoxLayout* column) {
    QHBoxLayout* row = add_row(column);
    target_ = make_choice(
        {tr("delay"), tr("speed"), tr("visibility"), tr("size"), tr("turn"), tr("variant"), tr("wobble strength")},
        tr("Target"), tr("What it varies"), [this](int i) {
            edit(tr("Set what a spread varies"), [&](S& s) {
                if (s.target == static_cast<Target>(i)) return;
                s.target = static_cast<Target>(i);
                usual_amounts(s);
                s.meets.reset();
                if (s.target == Target::variant) s.strength.keys.clear();
                if (s.target == Target::variant || s.target == Target::speed) s.by.noise.drift = V3d(0);
            });
        });
    row->addWidget(target_);
    row->addWidget(make_label(tr("by")));
    QStringList names;
    for (Driver d : drivers) names << QString::fromUtf8(to_text(d));
    driver_ = make_choice(
        names, tr("Driver"),
        tr("Chance: any value, by seed. Order: a fixed step per copy, in total, or round a loop.\nEven: no "
           "clumps, by order or over space. Noise, gradient, distance: by place. Attribute: of what carries the copy."),
        [this](int i) {
            edit(tr("Set what drives a spread"), [&](S& s) {
                const bool step = static_cast<Driver>(i) == Driver::order_step;
                if (step && s.by.kind != Driver::order_step && s.target == Target::delay) s.to = std::min(s.to, 3.0);
                s.by.kind = static_cast<Driver>(i);
                if (s.by.kind == Driver::attribute && s.by.carrier.attribute.empty()) s.by.carrier.attribute = "size";
                const auto& sounds = document_.project().sounds;
                if (s.by.kind == Driver::sound && !s.by.level.hearing.sound && !sounds.empty())
                    s.by.level.hearing.sound = sounds.front().id;
            });
        });
    row->addWidget(driver_);
    add_ends(row);
    close_row(row);
    add_delay_row(column);
}

// The values where the driver is 0 and 1.
void SpreadCard::add_ends(QHBoxLayout* row) {
    from_label_ = make_label({});
    to_label_ = make_label({});
    for (bool low : {true, false}) {
        auto* field = make_number(Quantity::plain, -1e6, 1e6, 3, low ? tr("From") : tr("To"),
                                  low ? tr("Value where the driver is 0") : tr("Value where the driver is 1"));
        field->setMaximumWidth(72);
        connect(field, &NumberField::edited, this, [this, low, field] {
            const S* own = spread();
            if (!own) return;
            edit(
                tr("Set a value of a spread"),
                [low, field, target = own->target](S& s) { // others may count in another unit
                    double& value = low ? s.from : s.to;
                    if (s.target == target) value = field->edited_from(value);
                },
                QStringLiteral("spread-%1-%2").arg(id_.value).arg(low));
        });
        connect(field, &NumberField::settled, &document_, &Document::end_merge);
        row->addWidget(low ? from_label_ : to_label_);
        row->addWidget(field);
        (low ? from_ : to_) = field;
    }
}

// What delays and visibility ask for besides.
void SpreadCard::add_delay_row(QVBoxLayout* column) {
    QHBoxLayout* row = add_row(column);
    auto delays = [](const S& s) { return s.target == Target::delay; };
    fields_.check(
        row, tr("whole frames"), tr("Round every delay to whole output frames, so that copies can share poses"),
        [](const S& s) { return s.whole_frames; }, [](S& s, bool v) { s.whole_frames = v; }, delays);
    fields_.check(
        row, tr("hold first pose until start"),
        tr("A delayed copy holds the timing's first pose until its own time has come, even where the timing repeats"),
        [](const S& s) { return s.after_start; }, [](S& s, bool v) { s.after_start = v; }, delays);
    fields_.number(
        row, tr("Changes per second"), Quantity::plain, 0, 1000, 2, 1,
        tr("How often per second a copy may come and go"), [](const S& s) { return s.changes; },
        [](S& s, double v) { s.changes = v; }, [](const S& s) { return s.target == Target::visibility; });
    close_row(row);
}

void SpreadCard::refresh() {
    const S* s = spread();
    if (!s) return;
    const GivenValues* given = given_by(*document_.show(), owner_, id_);
    const auto copies = given ? static_cast<std::int64_t>(given->values.size()) : 0;
    on_->setChecked(s->on);
    words_->setText(spread_words(*s, copies));
    words_->setEnabled(s->on);
    target_->setCurrentIndex(static_cast<int>(s->target));
    driver_->setCurrentIndex(static_cast<int>(s->by.kind));
    const bool step = s->by.kind == Driver::order_step, own = s->by.kind == Driver::attribute && s->by.carrier.as_it_is;
    from_label_->setText(step ? tr("first") : tr("from"));
    to_label_->setText(step ? tr("then each") : tr("to"));
    for (QWidget* w : std::initializer_list<QWidget*>{from_label_, from_, to_label_, to_}) w->setVisible(!own);
    for (NumberField* f : {from_, to_}) {
        f->set_quantity(unit_of(s->target));
        f->set_rate(document_.project().settings.rate);
    }
    from_->set_value(s->from);
    to_->set_value(s->to);
    fields_.refresh(*s);
    unkey_->setVisible(!s->strength.keys.empty());
    pattern_->setChecked(viewing_.shown_spread() == id_ && viewing_.colour() == ColourMode::spread);
    show_together(joined_, together_, id_, document_.project().arrangement(owner_)->spreads.size());
    QString trouble = given ? QString::fromStdString(given->note) : QString();
    note_->setText(trouble);
    note_->setVisible(!trouble.isEmpty());
    if (!given || given->values.empty()) {
        histogram_->set_values({}, {}, {});
        keys_words_->setText(tr("no copies yet"));
        return;
    }
    const std::vector<double>& values = given->values;
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    histogram_->set_values(values, value_words(s->target, *low), value_words(s->target, *high));
    keys_words_->setText(QString::fromStdString(counted(copies, "copy", "copies")));
}

} // namespace garland
