#include "app/panels/retime/retime_panel.h"

#include "core/base/numbers.h"
#include "core/project/timings.h"

#include <cmath>

namespace garland {

RetimePanel::RetimePanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Retime"), false, document, viewing, parent) {
    map_ = new TimeMapView(document, viewing);
    views_ = new Segments({tr("position"), tr("speed"), tr("slider")},
                          {tr("Which source frame is shown: keys are poses"),
                           tr("How fast the source runs: keys are speeds; the source is their integral"),
                           tr("The slider, 0 to 100 % of the whole timing")});
    views_->setAccessibleName(tr("What the map shows"));
    connect(views_, &Segments::chosen, this, [this](int i) { map_->set_view(static_cast<MapView>(i)); });
    timings_ =
        make_choice({}, tr("Timing"), tr("Which timing is shown; selecting a copy shows that copy's"), [this](int i) {
            const TimingId id(timings_->itemData(i).toULongLong());
            for (const Arrangement& a : document_.project().arrangements) {
                if (a.timing == id) return viewing_.set_arrangement(a.id);
            }
        });
    timings_->setMaximumWidth(130);
    head()->addWidget(views_);
    head()->addWidget(timings_);

    operations_ = new OperationsSection(document, viewing, *map_);
    body()->addWidget(operations_);
    body()->addWidget(map_, 1);

    tabs_ = new Segments({tr("keys"), tr("phrases"), tr("before and after"), tr("beats"), tr("camera"), tr("timings")},
                         {tr("The selected keys in numbers"), tr("Ranges of the source, played one after another"),
                          tr("What is shown outside the timing's own span"), tr("A tempo grid, and named markers"),
                          tr("The camera's own keys, on the output clock"),
                          tr("All timings, who uses which; curve files")});
    tabs_->setAccessibleName(tr("Below the map"));
    connect(tabs_, &Segments::chosen, this, &RetimePanel::show_panel);
    body()->addWidget(tabs_);
    stack_ = new QStackedWidget;
    phrases_ = new PhrasesSection(document, viewing, *map_);
    shared_ = new TimingsSection(document, viewing, *map_);
    panels_ = {new KeysSection(document, viewing, *map_),    phrases_,
               new OutsideSection(document, viewing, *map_), new BeatsSection(document, viewing, *map_),
               new CameraSection(document, viewing, *map_),  shared_};
    for (RetimeSection* panel : panels_) stack_->addWidget(panel);
    body()->addWidget(stack_);
    panels_.push_back(operations_);

    trace_ = make_label({}, "readout");
    trace_->setWordWrap(true);
    trace_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    trace_->setAccessibleName(tr("Trace"));
    trace_->setMinimumHeight(2 * trace_->fontMetrics().lineSpacing() + 12); // the map keeps its size while words change
    body()->addWidget(trace_);

    connect(&document_, &Document::changed, this, &RetimePanel::refresh);
    connect(&viewing_, &Viewing::selection_changed, this, &RetimePanel::refresh);
    connect(&viewing_, &Viewing::frame_changed, this, &RetimePanel::update_trace);
    connect(map_, &TimeMapView::view_changed, this, &RetimePanel::refresh);
    connect(map_, &TimeMapView::readout, this, [this](const QString& words) {
        hover_ = words;
        update_trace();
    });
    show_panel(0);
    refresh();
}

void RetimePanel::show_panel(int index) {
    stack_->setCurrentIndex(index);
    tabs_->set_current(index);
    // Only the shown panel asks for room; the map gets the rest.
    const bool converted = index == 0 && !map_->keys_are_own();
    const int heights[] = {converted ? 92 : 68, 184, 100, 146, 146, 152};
    stack_->setFixedHeight(heights[index]);
    panels_[static_cast<std::size_t>(index)]->refresh();
}

void RetimePanel::refresh() {
    const Project& p = document_.project();
    const Timing* t = p.timing(viewing_.timing());
    timings_->clear();
    for (const Timing& timing : p.timings) { // those that nobody follows are in the timings tab
        if (users_of(p, timing.id).empty()) continue;
        timings_->addItem(QString::fromStdString(timing.name), QVariant::fromValue<qulonglong>(timing.id.value));
    }
    timings_->setVisible(timings_->count() > 1);
    if (t) timings_->setCurrentIndex(timings_->findData(QVariant::fromValue<qulonglong>(t->id.value)));
    const SourceSpec* source = p.source(viewing_.source());
    set_note(t && source
                 ? tr("%1 · timing “%2”").arg(QString::fromStdString(source->name), QString::fromStdString(t->name))
                 : QString());
    views_->button(2)->setVisible(t && t->slider);
    views_->set_current(static_cast<int>(map_->view()));
    operations_->refresh();
    show_panel(stack_->currentIndex());
    update_trace();
}

void RetimePanel::update_trace() {
    if (!hover_.isEmpty()) {
        trace_->setText(hover_);
        return;
    }
    const std::int64_t copy = viewing_.current_copy();
    auto t = copy < 0 ? fail(ErrorCode::not_found, "") : trace(*document_.show(), copy, viewing_.frame());
    trace_->setText(t ? QString::fromStdString(t->line) : tr("No copy to trace yet."));
    if (!t) return;
    QString all;
    for (const TraceStage& s : t->stages) {
        all += QStringLiteral("%1: %2\n").arg(QString::fromStdString(s.name), QString::fromStdString(s.words));
    }
    trace_->setToolTip(all.trimmed());
}

void RetimePanel::hold_here() {
    operations_->run_hold();
}

void RetimePanel::reverse_all() {
    operations_->run_reverse();
}

void RetimePanel::choose(OperationKind kind) {
    operations_->choose(kind);
    operations_->focus_first();
}

void RetimePanel::step_key(int direction) {
    const Timing* t = document_.project().timing(viewing_.timing());
    if (!t) return;
    std::vector<double> places;
    if (t->slider) {
        for (const Key& k : t->slider->keys) places.push_back(k.at.value);
    } else if (t->form == TimingForm::phrases) {
        for (OutputFrame f : boundaries(t->phrases, t->turn_twice)) places.push_back(f.value);
    } else if (t->form == TimingForm::speeds) {
        for (const SpeedKey& k : t->speeds.keys) places.push_back(k.at.value);
    } else {
        for (const Key& k : t->map.keys) places.push_back(k.at.value);
    }
    const double now = viewing_.frame().value;
    double best = now;
    for (double at : places) {
        if (direction > 0 && at > now && (best == now || at < best)) best = at;
        if (direction < 0 && at < now && (best == now || at > best)) best = at;
    }
    viewing_.set_frame(best);
}

} // namespace garland
