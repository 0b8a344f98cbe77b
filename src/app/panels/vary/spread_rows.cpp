// What a spread's driver asks for, and how much of it there is when: rows of its card.
#include "app/panels/vary/histogram.h"
#include "app/panels/vary/spread_card.h"

#include <QRandomGenerator>
#include <QSet>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {

namespace {

auto driven_by(std::initializer_list<Driver> list) {
    return [all = std::vector<Driver>(list)](const Spread& s) {
        return std::find(all.begin(), all.end(), s.by.kind) != all.end();
    };
}

} // namespace

} // namespace

void SpreadCard::add_driver_rows(QVBoxLayout* column) {
    using enum Driver;
    const Quantity m = Quantity::metres, n = Quantity::plain;
    QHBoxLayout* row = add_row(column);
    auto seeded = [](const S& s) {
        return s.by.kind == chance || s.by.kind == even_space || s.by.kind == noise || s.target == Target::visibility;
    };
    fields_.number(
        row, tr("Seed"), n, 0, 9007199254740991.0, 0, 1, tr("The same seed always gives the same values"),
        [](const S& s) { return static_cast<double>(s.by.seed); },
        [](S& s, double v) { s.by.seed = static_cast<std::uint64_t>(v); }, seeded);
    auto* another = make_button(tr("Another"), tr("Try another seed"));
    connect(another, &QPushButton::clicked, this, [this] {
        edit(tr("Set a seed"), [&](S& s) { s.by.seed = QRandomGenerator::global()->bounded(1u, 1'000'000u); });
    });
    row->addWidget(another);
    fields_.keep({another}, seeded);
    fields_.check(
        row, tr("bell curve"), tr("Most values near the middle, few at the ends"), [](const S& s) { return s.by.bell; },
        [](S& s, bool v) { s.by.bell = v; }, driven_by({chance}));
    fields_.number(
        row, tr("Patch"), m, 0.001, 1e6, 2, 0.5, tr("How wide a patch of the noise is"),
        [](const S& s) { return s.by.noise.patch; }, [](S& s, double v) { s.by.noise.patch = v; }, driven_by({noise}));
    fields_.number(
        row, tr("Octaves"), n, 1, 8, 0, 1, tr("Smaller patches within the patches"),
        [](const S& s) { return s.by.noise.detail; }, [](S& s, double v) { s.by.noise.detail = static_cast<int>(v); },
        driven_by({noise}));
    close_row(row);
    add_space_rows(column);
}

// What the drivers that go by places ask for: their rows are never seen together.
void SpreadCard::add_space_rows(QVBoxLayout* column) {
    using enum Driver;
    const Quantity m = Quantity::metres, n = Quantity::plain;
    QHBoxLayout* row = add_row(column);
    auto drifts = [](const S& s) {
        return s.by.kind == noise && s.target != Target::speed && s.target != Target::variant;
    };
    fields_.vector(
        row, {tr("Drift x"), tr("drift y"), tr("drift z")}, Quantity::metres_per_second, 1e6, 0.1,
        tr("How far the pattern moves per second; upward (y) it changes in place"),
        [](auto& s) -> auto& { return s.by.noise.drift; }, drifts);
    fields_.check(
        row, tr("along the path"), tr("From where the row, ring or curve begins to where it ends"),
        [](const S& s) { return s.by.gradient.along_path; }, [](S& s, bool v) { s.by.gradient.along_path = v; },
        driven_by({gradient}));
    fields_.vector(
        row, {tr("Axis x"), tr("axis y"), tr("axis z")}, n, 1, 0.1, tr("The direction in which it grows"),
        [](auto& s) -> auto& { return s.by.gradient.axis; },
        [](const S& s) { return s.by.kind == gradient && !s.by.gradient.along_path; });
    fields_.vector(
        row, {tr("Centre x"), tr("centre y"), tr("centre z")}, m, 1e6, 0.1,
        tr("The place from which the distance counts"), [](auto& s) -> auto& { return s.by.distance.centre; },
        driven_by({distance}));
    fields_
        .number(
            row, tr("Reach"), m, 0, 1e6, 2, 0.5, tr("The distance at which the driver ends; 0: at the farthest copy"),
            [](const S& s) { return s.by.distance.reach; }, [](S& s, double v) { s.by.distance.reach = v; },
            driven_by({distance}))
        ->set_word(0, tr("farthest"));
    add_attribute_fields(row);
    close_row(row);
}

void SpreadCard::add_attribute_fields(QHBoxLayout* row) {
    using enum Driver;
    attribute_ = new QComboBox;
    attribute_->setEditable(true);
    attribute_->setAccessibleName(tr("Attribute"));
    attribute_->setToolTip(tr("An attribute of the points that carry the copies"));
    attribute_->setMinimumWidth(110);
    auto set_attribute = [this] {
        const std::string name = attribute_->currentText().toStdString();
        if (const S* s = spread(); s && s->by.kind == attribute && s->by.carrier.attribute != name)
            edit(tr("Set the attribute of a spread"), [&](S& t) { t.by.carrier.attribute = name; });
    };
    connect(attribute_, &QComboBox::activated, this, set_attribute);
    connect(attribute_->lineEdit(), &QLineEdit::editingFinished, this, set_attribute);
    row->addWidget(attribute_);
    fields_.keep({attribute_}, driven_by({attribute}), [this](const S& s) {
        QStringList names;
        for (const ArrangementShow& a : document_.show()->arrangements) {
            if (a.id != owner_ || !a.shown.set->ground.carriers) continue;
            for (const CarrierValues& v : a.shown.set->ground.carriers->attributes)
                names << QString::fromStdString(v.name);
        }
        names.removeDuplicates();
        QStringList now;
        for (int i = 0; i < attribute_->count(); ++i) now << attribute_->itemText(i);
        if (names != now) {
            attribute_->clear();
            attribute_->addItems(names);
        }
        attribute_->setCurrentText(QString::fromStdString(s.by.carrier.attribute));
    });
    fields_.check(
        row, tr("the value unchanged"), tr("The attribute's own number is the value: frames, per cent or degrees"),
        [](const S& s) { return s.by.carrier.as_it_is; }, [](S& s, bool v) { s.by.carrier.as_it_is = v; },
        driven_by({attribute}));
}

void SpreadCard::add_shapes(QVBoxLayout* column) {
    auto* row = add_row(column);
    auto* shape = new QVBoxLayout;
    shape->setSpacing(2);
    auto* shape_words = make_label(tr("response"), "muted");
    shape->addWidget(shape_words);
    curve_ = new CurveEdit(0, 1, 0, true);
    curve_->setAccessibleName(tr("Curve of the spread"));
    connect(curve_, &CurveEdit::edited, this, [this](const KeyedCurve& c) {
        edit(
            tr("Set the curve of a spread"), [&](S& s) { s.curve = c; },
            QStringLiteral("spread-%1-curve").arg(id_.value));
    });
    connect(curve_, &CurveEdit::settled, &document_, &Document::end_merge);
    shape->addWidget(curve_);
    row->addLayout(shape);
    auto bends = [](const S& s) {
        return s.by.kind != Driver::order_step && !(s.by.kind == Driver::attribute && s.by.carrier.as_it_is);
    };
    fields_.keep({shape_words, curve_}, bends, [this](const S& s) { curve_->set_curve(s.curve); });

    add_strength(row);
    auto* gives = new QVBoxLayout;
    gives->setSpacing(2);
    keys_words_ = make_label({}, "muted");
    gives->addWidget(keys_words_);
    histogram_ = new Histogram;
    gives->addWidget(histogram_);
    row->addLayout(gives, 1);
}

// Its weight over the whole shot, and keyed over the output range.
void SpreadCard::add_strength(QHBoxLayout* row) {
    auto* amount = new QVBoxLayout;
    amount->setSpacing(2);
    auto* amount_row = new QHBoxLayout;
    amount_row->setSpacing(4);
    fields_
        .number(
            amount_row, tr("strength"), Quantity::per_cent, 0, 100, 1, 5,
            tr("Weight of this spread over the whole shot"), [](const S& s) { return s.strength.share * 100; },
            [](S& s, double v) { s.strength.share = v / 100; })
        ->setMaximumWidth(60);
    unkey_ =
        make_button(tr("Remove keys"), tr("Remove the keys of its strength: all of it counts throughout the shot"));
    connect(unkey_, &QPushButton::clicked, this,
            [this] { edit(tr("Remove the strength keys of a spread"), [](S& s) { s.strength.keys.clear(); }); });
    amount_row->addWidget(unkey_);
    amount_row->addStretch(1);
    amount->addLayout(amount_row);
    amount_ = new CurveEdit(0, 1, 1, false);
    amount_->setAccessibleName(tr("Strength over the output range"));
    amount_->setToolTip(tr("Weight of this spread over the output range:\n") + amount_->toolTip());
    connect(amount_, &CurveEdit::edited, this, [this](const KeyedCurve& c) {
        const FrameRange range = document_.project().settings.range;
        KeyedCurve keys = c;
        for (CurveKey& k : keys)
            k.at = std::round(static_cast<double>(range.first) + k.at * static_cast<double>(range.count() - 1));
        keys.erase(
            std::unique(keys.begin(), keys.end(), [](const CurveKey& x, const CurveKey& y) { return x.at == y.at; }),
            keys.end());
        edit(
            tr("Key the strength of a spread"), [&](S& s) { s.strength.keys = keys; },
            QStringLiteral("spread-%1-amount").arg(id_.value));
    });
    connect(amount_, &CurveEdit::settled, &document_, &Document::end_merge);
    amount->addWidget(amount_);
    row->addLayout(amount);
    fields_.keep(
        {amount_}, [](const S& s) { return s.target != Target::variant; },
        [this](const S& s) {
            const FrameRange range = document_.project().settings.range;
            amount_->set_steps(static_cast<int>(std::clamp<std::int64_t>(range.count() - 1, 1, 1'000'000)));
            KeyedCurve keys = s.strength.keys;
            for (CurveKey& k : keys)
                k.at = std::clamp((k.at - static_cast<double>(range.first)) /
                                      static_cast<double>(std::max<std::int64_t>(range.count() - 1, 1)),
                                  0.0, 1.0);
            amount_->set_curve(keys);
        });
}

} // namespace garland
