// The fields of computed water on its source's card.
#include "app/panels/gather/source_card.h"
#include "app/theme/number_text.h"

namespace garland {

void SourceCard::add_water(const SourceSpec& spec) {
    const WaterSpec& w = *spec.water;
    auto* form = new PairForm;
    auto put = [form](const QString& label, QWidget* field) { form->put(label, field); };
    auto number = [&](const QString& label, const QString& tip, Quantity quantity, double low, double high,
                      int decimals, double step, double now, auto set) {
        auto* field = make_number(quantity, low, high, decimals, label, tip);
        field->set_step(step);
        field->set_value(now);
        connect(field, &NumberField::edited, this, [this, label, set](double v) {
            change(
                tr("Set the water's %1").arg(label.toLower()),
                [&](SourceSpec& s) -> Result<void> {
                    set(*s.water, v);
                    return {};
                },
                "water-" + label);
        });
        put(label, field);
        return field;
    };
    using W = WaterSpec;
    number(tr("Wind speed"), tr("A fully developed sea has waves of %1 m").arg(number_text(risen_height(w.wind), 2)),
           Quantity::metres_per_second, 0.1, 100, 2, 0.2, w.wind, [](W& x, double v) { x.wind = v; });
    number(tr("Wind direction"), tr("Where the wind blows to, about the vertical axis; 0 is along +x"),
           Quantity::degrees, -360, 360, 1, 5, w.direction, [](W& x, double v) { x.direction = v; });
    number(tr("Wave height"), tr("The significant height: the mean of the highest third of the waves"),
           Quantity::metres, 0, 100, 3, 0.02, w.height, [](W& x, double v) { x.height = v; });
    number(tr("Choppiness"), tr("0: waves only rise and fall; about 1: crests are sharp"), Quantity::plain, 0, 10, 2,
           0.05, w.choppiness, [](W& x, double v) { x.choppiness = v; });
    number(tr("Shown area"), tr("Side of the square that is shown"), Quantity::metres, 0.01, 1e5, 2, 1, w.size,
           [](W& x, double v) { x.size = v; });
    number(tr("Tile length"), tr("Metres after which the first layer repeats"), Quantity::metres, 0.01, 1e5, 2, 1,
           w.patch, [](W& x, double v) { x.patch = v; });
    number(tr("Shortest wave"), tr("Shorter waves are damped away"), Quantity::metres, 0, 1e4, 3, 0.02, w.smallest,
           [](W& x, double v) { x.smallest = v; });
    number(tr("Damp upwind waves"), tr("How strongly waves that run against the wind are damped"), Quantity::per_cent,
           0, 100, 0, 5, w.against * 100, [](W& x, double v) { x.against = v / 100; });
    QStringList sizes;
    for (int n = 64; n <= 1024; n *= 2) sizes << QString::number(n);
    auto* resolution = make_choice(sizes, tr("Grid"), tr("Samples along a tile's side"), [this](int i) {
        change(tr("Set the water's grid"), [&](SourceSpec& s) -> Result<void> {
            s.water->resolution = 64 << i;
            return {};
        });
    });
    resolution->setCurrentIndex(std::max<int>(0, static_cast<int>(sizes.indexOf(QString::number(w.resolution)))));
    put(tr("Grid"), resolution);
    number(tr("Layers"), tr("Each layer tiles at a different length, which hides the repetition"), Quantity::plain, 1,
           4, 0, 1, w.layers, [](W& x, double v) { x.layers = static_cast<int>(v); });
    number(tr("Loop length"), tr("Frames after which the surface is the same again; 0: it never repeats"),
           Quantity::source_frames, 0, 1'000'000, 0, 1, static_cast<double>(w.loop),
           [](W& x, double v) { x.loop = static_cast<std::int64_t>(v); })
        ->set_word(0, tr("never"));
    if (w.loop <= 0) {
        number(tr("Frames"), tr("How many frames there are"), Quantity::source_frames, 1, 1'000'000, 0, 1,
               static_cast<double>(w.frames), [](W& x, double v) { x.frames = static_cast<std::int64_t>(v); });
    }
    number(tr("Seed"), tr("Each seed gives a different sea"), Quantity::plain, 0, 1e9, 0, 1,
           static_cast<double>(w.seed), [](W& x, double v) { x.seed = static_cast<std::uint64_t>(v); });
    column_->addLayout(form);
    line(w.loop > 0
             ? tr("0…%1 is %2 frames; frame %1 shows frame 0 again, so a repeat lasts %1.").arg(w.loop).arg(w.loop + 1)
             : tr("0…%1 is %2 frames.").arg(last_frame(w)).arg(last_frame(w) + 1),
         "muted");
    add_folds(spec);
}

// Looking for folds takes up to a second at 1024 samples: found in the background, and remembered for the same water.
void SourceCard::add_folds(const SourceSpec& spec) {
    const WaterSpec& w = *spec.water;
    auto* words = make_label({}, "alert");
    words->setWordWrap(true);
    words->hide();
    column_->addWidget(words);
    auto tell = [words](const Folds& folds) {
        if (folds.share <= 0) return;
        words->setText(
            tr("• At frame 0 the surface folds over itself in %1 % of its cells. A choppiness of %2 or less avoids it.")
                .arg(number_text(folds.share * 100, 2), number_text(folds.most_choppiness, 2)));
        words->show();
    };
    static QList<std::pair<WaterSpec, Folds>> known; // of the interface thread only; the last few
    for (const auto& [water, folds] : known) {
        if (water == w) return tell(folds);
    }
    document_.jobs().start<Folds>(
        this, tr("Looking for folds"), [w, rate = spec.rate](Progress&) -> Result<Folds> { return folds_of(w, rate); },
        [w, tell](Result<Folds> folds) {
            if (!folds) return;
            known.append({w, *folds});
            if (known.size() > 16) known.removeFirst();
            tell(*folds);
        },
        JobKind::interactive);
}

} // namespace garland
