#include "app/benches/vary/vary_bench.h"

#include "app/theme/tokens.h"
#include "core/base/numbers.h"

#include <QCheckBox>
#include <QPainter>
#include <QRandomGenerator>
#include <cmath>

namespace garland {

namespace {

QString amount(const Spread& s, double v) {
    if (s.target == Target::delay) return QString::fromStdString(delay_words(v));
    const QString number = QString::fromStdString(short_number(std::abs(v), 2));
    return v == 0  ? QObject::tr("as it is")
           : v > 0 ? QObject::tr("%1 % faster").arg(number)
                   : QObject::tr("%1 % slower").arg(number);
}

// How many copies get which value.
class Histogram : public QWidget {
  public:
    Histogram() {
        setFixedHeight(46);
        setAccessibleName(QObject::tr("How many copies get which value"));
    }
    void set_values(std::vector<double> values, const QString& low, const QString& high) {
        values_ = std::move(values);
        low_ = low;
        high_ = high;
        update();
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        const Tokens& t = tokens();
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(Qt::NoPen);
        p.setBrush(t.ground);
        p.drawRoundedRect(rect(), 4, 4);
        if (values_.empty()) return;
        const auto [low, high] = std::minmax_element(values_.begin(), values_.end());
        const int bins = 48;
        std::vector<int> count(bins);
        for (double v : values_) {
            const double x = *high > *low ? (v - *low) / (*high - *low) : 0.5;
            ++count[static_cast<std::size_t>(std::min(bins - 1, static_cast<int>(x * bins)))];
        }
        const int most = *std::max_element(count.begin(), count.end());
        const double wide = (width() - 12.0) / bins;
        p.setBrush(t.accent);
        for (int b = 0; b < bins; ++b) {
            const int n = count[static_cast<std::size_t>(b)];
            if (n == 0) continue;
            const double h = std::max(2.0, 24.0 * n / most);
            p.drawRect(QRectF(6 + b * wide, 29 - h, std::max(wide - 1, 1.0), h));
        }
        p.setPen(t.muted);
        p.setFont(text_font(7));
        p.drawText(QRectF(6, 31, width() - 12, 13), Qt::AlignLeft, low_);
        p.drawText(QRectF(6, 31, width() - 12, 13), Qt::AlignRight, high_);
    }

  private:
    std::vector<double> values_;
    QString low_, high_;
};

} // namespace

QString sentence(const Spread& s, std::int64_t copies) {
    const QString what = s.target == Target::delay ? QObject::tr("<b>Delay</b>") : QObject::tr("<b>Speed</b>");
    QString how;
    switch (s.driver) {
    case Driver::chance:
        how = QObject::tr("by <b>chance</b>, from <b>%1</b> to <b>%2</b>").arg(amount(s, s.from), amount(s, s.to));
        break;
    case Driver::order_step:
        how = QObject::tr("by <b>order</b>, every copy <b>%1</b> than the one before, the first %2")
                  .arg(amount(s, s.to), amount(s, s.from));
        break;
    case Driver::order_total:
        how = QObject::tr("by <b>order</b>, from <b>%1</b> at the first to <b>%2</b> at the last of %3 copies")
                  .arg(amount(s, s.from), amount(s, s.to))
                  .arg(copies);
        break;
    }
    return what + QLatin1Char(' ') + how;
}

VaryBench::VaryBench(Document& document, Viewing& viewing, QWidget* parent)
    : Bench(tr("Vary"), true, document, viewing, parent) {
    auto* delay = make_button(tr("Add delay"), tr("Give every copy its own delay"));
    delay->setObjectName("primary");
    auto* speed = make_button(tr("Add speed"), tr("Give every copy its own speed"));
    connect(delay, &QPushButton::clicked, this, [this] { add_spread(Target::delay); });
    connect(speed, &QPushButton::clicked, this, [this] { add_spread(Target::speed); });
    head()->addWidget(delay);
    head()->addWidget(speed);
    cards_ = new QVBoxLayout;
    cards_->setSpacing(10);
    body()->addLayout(cards_);
    auto* row = new QHBoxLayout;
    nudges_ = make_label({}, "muted");
    nudges_->setWordWrap(true);
    clear_nudges_ = make_button(tr("Clear nudges"), tr("Take all hand nudges of this arrangement back"));
    connect(clear_nudges_, &QPushButton::clicked, this, [this] {
        const ArrangementId id = viewing_.arrangement();
        document_.edit(tr("Clear nudges"), [&](Project& p) -> Result<void> {
            p.arrangement(id)->nudges.clear();
            return {};
        });
    });
    row->addWidget(nudges_, 1);
    row->addWidget(clear_nudges_);
    body()->addLayout(row);
    body()->addStretch(1);
    connect(&document_, &Document::changed, this, &VaryBench::refresh);
    connect(&viewing_, &Viewing::selection_changed, this, &VaryBench::refresh);
    refresh();
}

void VaryBench::add_spread(Target target) {
    const ArrangementId id = viewing_.arrangement();
    document_.edit(target == Target::delay ? tr("Add a delay") : tr("Add a speed"), [&](Project& p) -> Result<void> {
        Arrangement* a = p.arrangement(id);
        if (!a)
            return fail(Error{ErrorCode::invalid, "there are no copies to vary yet"}.advise("gather a source first"));
        Spread s;
        s.id = SpreadId(p.next_id++);
        s.target = target;
        s.seed = 1 + a->spreads.size();
        if (target == Target::speed) s.from = -10, s.to = 10;
        a->spreads.push_back(s);
        return {};
    });
}

void VaryBench::edit_spread(SpreadId id, const QString& words, const std::function<void(Spread&)>& change,
                            const QString& merge) {
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            for (Arrangement& a : p.arrangements) {
                for (Spread& s : a.spreads) {
                    if (s.id == id) change(s);
                }
            }
            return {};
        },
        merge);
    refresh();
}

void VaryBench::refresh() {
    const Arrangement* a = document_.project().arrangement(viewing_.arrangement());
    std::vector<SpreadId> now;
    if (a) {
        for (const Spread& s : a->spreads) now.push_back(s.id);
    }
    const bool same = a && a->id == shown_arrangement_ && now == shown_ && !now.empty();
    if (!same) {
        clear_layout(cards_);
        updates_.clear();
        shown_ = now;
        shown_arrangement_ = a ? a->id : ArrangementId();
        if (!a || a->spreads.empty()) {
            auto* words =
                make_label(a ? tr("All copies move alike. Add a delay so that each starts at its own time, or a speed "
                                  "so that they drift apart.")
                             : tr("There are no copies to vary yet. Gather a source first."),
                           "muted");
            words->setWordWrap(true);
            cards_->addWidget(words);
        } else {
            for (const Spread& s : a->spreads) cards_->addWidget(make_spread_card(s, *a));
        }
    }
    if (a) {
        for (std::size_t i = 0; i < updates_.size(); ++i) updates_[i](a->spreads[i], *a);
    }
    const std::size_t nudges = a ? a->nudges.size() : 0;
    nudges_->setText(nudges
                         ? tr("%1 nudged by hand; a nudge adds to what the spreads give.")
                               .arg(QString::fromStdString(counted(static_cast<long long>(nudges), "copy", "copies")))
                         : tr("Drag a row of the Loom sideways to nudge one copy by hand."));
    clear_nudges_->setVisible(nudges > 0);
    set_note(a ? QString::fromStdString(a->name) : QString());
}

QWidget* VaryBench::make_spread_card(const Spread& spread, const Arrangement& arrangement) {
    auto* card = make_card();
    auto* column = new QVBoxLayout(card);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(7);
    const SpreadId id = spread.id;
    const ArrangementId owner = arrangement.id;
    const bool delay = spread.target == Target::delay;
    const QString key = QStringLiteral("spread-%1-").arg(id.value);

    auto* head = new QHBoxLayout;
    auto* on = new QCheckBox;
    on->setAccessibleName(tr("On"));
    on->setToolTip(tr("Whether this spread counts"));
    connect(on, &QCheckBox::clicked, this, [this, id](bool v) {
        edit_spread(id, v ? tr("Switch a spread on") : tr("Switch a spread off"), [&](Spread& s) { s.on = v; });
    });
    head->addWidget(on);
    auto* words = make_label({});
    words->setWordWrap(true);
    head->addWidget(words, 1);
    auto* remove = make_button(tr("Remove"), tr("Remove this spread"));
    connect(remove, &QPushButton::clicked, this, [this, id, owner] {
        document_.edit(tr("Remove a spread"), [&](Project& p) -> Result<void> {
            if (auto* a = p.arrangement(owner)) std::erase_if(a->spreads, [&](const Spread& s) { return s.id == id; });
            return {};
        });
    });
    head->addWidget(remove, 0, Qt::AlignTop);
    column->addLayout(head);

    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    auto* driver = make_choice({tr("chance"), tr("order, per step"), tr("order, in total")}, tr("Driver"),
                               tr("Chance: any value between, by seed. Order per step: so much more for every copy. "
                                  "Order in total: from the first copy to the last."),
                               [this, id](int i) {
                                   edit_spread(id, tr("Set what drives a spread"),
                                               [&](Spread& s) { s.driver = static_cast<Driver>(i); });
                               });
    row->addWidget(driver);
    const Quantity quantity = delay ? Quantity::output_frames : Quantity::per_cent;
    const double least = delay ? -1e6 : -99;
    auto* from_label = make_label({});
    auto* from = make_number(quantity, least, 1e6, 3, tr("From"),
                             delay ? tr("Frames later; below 0 is ahead") : tr("Per cent faster; below 0 is slower"));
    auto* to_label = make_label({});
    auto* to = make_number(quantity, least, 1e6, 3, tr("To"),
                           delay ? tr("Frames later; below 0 is ahead") : tr("Per cent faster; below 0 is slower"));
    for (auto [field, low] : {std::pair{from, true}, std::pair{to, false}}) {
        field->setMaximumWidth(84);
        connect(field, &NumberField::edited, this, [this, id, low, key](double v) {
            edit_spread(
                id, tr("Set the amount of a spread"), [&](Spread& s) { (low ? s.from : s.to) = v; },
                key + (low ? "from" : "to"));
        });
        connect(field, &NumberField::settled, &document_, &Document::end_merge);
    }
    row->addWidget(from_label);
    row->addWidget(from);
    row->addWidget(to_label);
    row->addWidget(to);
    row->addStretch(1);
    column->addLayout(row);

    auto* more = new QHBoxLayout;
    more->setSpacing(6);
    auto* seed_label = make_label(tr("Seed"));
    auto* seed = make_number(Quantity::plain, 0, 9007199254740991.0, 0, tr("Seed"),
                             tr("The same seed always gives the same values"));
    seed->setMaximumWidth(120);
    connect(seed, &NumberField::edited, this, [this, id, key](double v) {
        edit_spread(
            id, tr("Set a seed"), [&](Spread& s) { s.seed = static_cast<std::uint64_t>(v); }, key + "seed");
    });
    auto* another = make_button(tr("Another"), tr("Try another seed"));
    connect(another, &QPushButton::clicked, this, [this, id] {
        edit_spread(id, tr("Set a seed"),
                    [&](Spread& s) { s.seed = QRandomGenerator::global()->bounded(1u, 1'000'000u); });
    });
    auto* whole = new QCheckBox(tr("whole frames"));
    whole->setToolTip(tr("Round every delay to whole output frames, so that copies can share poses"));
    whole->setVisible(delay);
    connect(whole, &QCheckBox::clicked, this,
            [this, id](bool v) { edit_spread(id, tr("Set whole frames"), [&](Spread& s) { s.whole_frames = v; }); });
    more->addWidget(seed_label);
    more->addWidget(seed);
    more->addWidget(another);
    more->addWidget(whole);
    more->addStretch(1);
    column->addLayout(more);
    auto* histogram = new Histogram;
    column->addWidget(histogram);

    updates_.push_back([=, this](const Spread& s, const Arrangement& a) {
        on->setChecked(s.on);
        words->setText(sentence(s, copies_in(a)));
        words->setEnabled(s.on);
        driver->setCurrentIndex(static_cast<int>(s.driver));
        from->set_rate(document_.project().settings.rate);
        to->set_rate(document_.project().settings.rate);
        from->set_value(s.from);
        to->set_value(s.to);
        const bool chance = s.driver == Driver::chance, step = s.driver == Driver::order_step;
        from_label->setText(step ? tr("first") : tr("from"));
        to_label->setText(step ? tr("then each") : tr("to"));
        seed->set_value(static_cast<double>(s.seed));
        for (QWidget* w : std::initializer_list<QWidget*>{seed_label, seed, another}) w->setVisible(chance);
        whole->setChecked(s.whole_frames);
        std::size_t index = 0;
        for (const ArrangementShow& show : document_.show()->arrangements) {
            if (show.id != a.id) continue;
            std::vector<double> values;
            values.reserve(show.places.size());
            for (const Placement& p : show.places) {
                values.push_back(value_of(s, p.id, static_cast<std::int64_t>(index++),
                                          static_cast<std::int64_t>(show.places.size())));
            }
            if (values.empty()) break;
            const auto [low, high] = std::minmax_element(values.begin(), values.end());
            const QString low_words = amount(s, *low), high_words = amount(s, *high);
            histogram->set_values(std::move(values), low_words, high_words);
        }
    });
    return card;
}

} // namespace garland
