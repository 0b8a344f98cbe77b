#include "app/benches/retime/retime_bench.h"

#include "core/base/numbers.h"
#include "core/time/map_edits.h"

#include <QGridLayout>
#include <cmath>

namespace garland {

namespace {
QString text(double v) {
    return QString::fromStdString(short_number(v));
}
const QStringList outside_names{QObject::tr("hold"), QObject::tr("repeat"), QObject::tr("there-and-back"),
                                QObject::tr("run on"), QObject::tr("absent")};
} // namespace

RetimeBench::RetimeBench(Document& document, Viewing& viewing, QWidget* parent)
    : Bench(tr("Retime"), false, document, viewing, parent) {
    timings_ =
        make_choice({}, tr("Timing"), tr("Which timing is shown; picking a copy shows that copy's"), [this](int i) {
            const TimingId id(timings_->itemData(i).toULongLong());
            for (const Arrangement& a : document_.project().arrangements) {
                if (a.timing == id) return viewing_.set_arrangement(a.id);
            }
        });
    head()->addWidget(timings_);

    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    auto* hold = make_button(tr("Hold here"), tr("Hold the pose at the playhead and push the rest later (H)"));
    hold->setObjectName("primary");
    hold_frames_ =
        make_number(Quantity::output_frames, 1, 1e6, 0, tr("Frames to hold"), tr("How long Hold here holds"));
    hold_frames_->set_value(12);
    hold_frames_->setMaximumWidth(64);
    hold_frames_->setMinimumWidth(52);
    auto* reverse = make_button(tr("Reverse"), tr("Play the whole timing backward (V)"));
    auto* fit = make_button(tr("Fit to range"), tr("Play the whole source once over the output range, at one speed"));
    auto* start = make_button(tr("Start here"), tr("Move the whole timing so that it starts at the playhead"));
    connect(hold, &QPushButton::clicked, this, &RetimeBench::hold_here);
    connect(reverse, &QPushButton::clicked, this, &RetimeBench::reverse_all);
    connect(fit, &QPushButton::clicked, this, &RetimeBench::fit_to_range);
    connect(start, &QPushButton::clicked, this, &RetimeBench::start_here);
    buttons->addWidget(hold);
    buttons->addWidget(hold_frames_);
    for (auto* b : {reverse, fit, start}) buttons->addWidget(b);
    buttons->addStretch(1);
    body()->addLayout(buttons);

    map_ = new TimeMapView(document, viewing);
    body()->addWidget(map_, 1);

    key_row_ = new QWidget;
    auto* key = new QHBoxLayout(key_row_);
    key->setContentsMargins(0, 0, 0, 0);
    key->setSpacing(6);
    key_frame_ = make_number(Quantity::output_frames, -frame_limit, frame_limit, 3, tr("Output frame of the key"),
                             tr("The output frame of the picked key"));
    key_source_ = make_number(Quantity::source_frames, -frame_limit, frame_limit, 3, tr("Source frame of the key"),
                              tr("The source frame that the picked key shows"));
    toward_ =
        make_choice({tr("step"), tr("linear"), tr("smooth"), tr("free")}, tr("Towards the next key"),
                    tr("How the curve goes from this key to the next. Smooth never leaves the two keys' poses; free "
                       "keeps the slopes that cutting a smooth curve left."),
                    [this](int i) {
                        edit_map(tr("Set the curve after a key"), [&](const TimeMap& map) -> Result<TimeMap> {
                            TimeMap next = map;
                            next.keys.at(static_cast<std::size_t>(map_->selected())).toward = static_cast<Toward>(i);
                            return next;
                        });
                    });
    auto* remove = make_button(tr("Remove key"), tr("Remove the picked key (Delete)"));
    connect(remove, &QPushButton::clicked, map_, &TimeMapView::remove_selected);
    key->addWidget(make_label(tr("Key at")));
    key->addWidget(key_frame_);
    key->addWidget(make_label(tr("shows")));
    key->addWidget(key_source_);
    key->addWidget(make_label(tr("then")));
    key->addWidget(toward_);
    key->addWidget(remove);
    key->addStretch(1);
    body()->addWidget(key_row_);
    auto moved = [this](double) {
        const int i = map_->selected();
        if (i < 0) return;
        edit_map(
            tr("Move a key"),
            [&](const TimeMap& map) {
                return move_key(map, static_cast<std::size_t>(i), OutputFrame(key_frame_->value()),
                                SourceFrame(key_source_->value()));
            },
            QStringLiteral("key-fields"));
    };
    for (auto* field : {key_frame_, key_source_}) {
        connect(field, &NumberField::edited, this, moved);
        connect(field, &NumberField::settled, &document_, &Document::end_merge);
    }

    auto* outside = new QGridLayout;
    outside->setHorizontalSpacing(6);
    outside->setVerticalSpacing(5);
    auto make_side = [&](bool is_before, QComboBox*& mode, NumberField*& count) {
        const QString side = is_before ? tr("before") : tr("after");
        mode =
            make_choice(outside_names, is_before ? tr("Before the timing") : tr("After the timing"),
                        is_before ? tr("What is shown before the first key") : tr("What is shown after the last key"),
                        [this, is_before, side](int i) {
                            edit_timing(tr("Set what comes %1").arg(side), [&](Timing& t) {
                                (is_before ? t.before : t.after).mode = static_cast<OutsideMode>(i);
                            });
                        });
        count = make_number(Quantity::plain, 0, 1e9, 0, tr("Passes %1").arg(side),
                            tr("How many more passes are played; 0 is endless. Then the last pose is held."));
        count->setMaximumWidth(62);
        count->setMinimumWidth(46);
        connect(count, &NumberField::edited, this, [this, is_before, side](double v) {
            edit_timing(
                tr("Set passes %1").arg(side),
                [&](Timing& t) { (is_before ? t.before : t.after).count = static_cast<int>(v); },
                QStringLiteral("passes-") + side);
        });
    };
    make_side(true, before_, before_count_);
    make_side(false, after_, after_count_);
    last_is_first_ = new QCheckBox(tr("last pose is the first"));
    last_is_first_->setToolTip(
        tr("The span ends on the pose it began with, so a repeat's period is one frame shorter"));
    turn_twice_ = new QCheckBox(tr("turn frame shown twice"));
    turn_twice_->setToolTip(tr("There-and-back shows each turning frame for two frames instead of one"));
    connect(last_is_first_, &QCheckBox::clicked, this,
            [this](bool on) { edit_timing(tr("Set the repeat's period"), [&](Timing& t) { t.last_is_first = on; }); });
    connect(turn_twice_, &QCheckBox::clicked, this,
            [this](bool on) { edit_timing(tr("Set the turning frames"), [&](Timing& t) { t.turn_twice = on; }); });
    outside->addWidget(make_label(tr("Before")), 0, 0);
    outside->addWidget(before_, 0, 1);
    outside->addWidget(before_count_, 0, 2);
    outside->addWidget(make_label(tr("passes, 0: endless"), "muted"), 0, 3);
    outside->addWidget(last_is_first_, 0, 4);
    outside->addWidget(make_label(tr("After")), 1, 0);
    outside->addWidget(after_, 1, 1);
    outside->addWidget(after_count_, 1, 2);
    outside->addWidget(make_label(tr("passes, 0: endless"), "muted"), 1, 3);
    outside->addWidget(turn_twice_, 1, 4);
    outside->setColumnStretch(5, 1);
    body()->addLayout(outside);

    trace_ = make_label({}, "readout");
    trace_->setWordWrap(true);
    trace_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    trace_->setAccessibleName(tr("Trace"));
    body()->addWidget(trace_);

    connect(&document_, &Document::changed, this, &RetimeBench::refresh);
    connect(&viewing_, &Viewing::selection_changed, this, &RetimeBench::refresh);
    connect(&viewing_, &Viewing::frame_changed, this, &RetimeBench::update_trace);
    connect(map_, &TimeMapView::key_selected, this, &RetimeBench::update_key_fields);
    connect(map_, &TimeMapView::readout, this, [this](const QString& words) {
        hover_ = words;
        update_trace();
    });
    refresh();
}

void RetimeBench::refresh() {
    const Project& p = document_.project();
    const Timing* t = p.timing(viewing_.timing());
    timings_->clear();
    for (const Timing& timing : p.timings) {
        timings_->addItem(QString::fromStdString(timing.name), QVariant::fromValue<qulonglong>(timing.id.value));
    }
    timings_->setVisible(p.timings.size() > 1);
    if (t) timings_->setCurrentIndex(timings_->findData(QVariant::fromValue<qulonglong>(t->id.value)));
    const SourceSpec* source = p.source(viewing_.source());
    if (t && source) {
        set_note(tr("%1 · timing “%2”").arg(QString::fromStdString(source->name), QString::fromStdString(t->name)));
        before_->setCurrentIndex(static_cast<int>(t->before.mode));
        after_->setCurrentIndex(static_cast<int>(t->after.mode));
        before_count_->set_value(t->before.count);
        after_count_->set_value(t->after.count);
        auto counts = [](const Outside& o) {
            return o.mode == OutsideMode::repeat || o.mode == OutsideMode::there_and_back;
        };
        before_count_->setEnabled(counts(t->before));
        after_count_->setEnabled(counts(t->after));
        last_is_first_->setChecked(t->last_is_first);
        turn_twice_->setChecked(t->turn_twice);
    } else {
        set_note({});
    }
    for (QWidget* w : std::initializer_list<QWidget*>{before_, after_, last_is_first_, turn_twice_})
        w->setEnabled(t != nullptr);
    update_key_fields();
    update_trace();
}

void RetimeBench::update_key_fields() {
    const Timing* t = document_.project().timing(viewing_.timing());
    const int i = map_->selected();
    const bool there = t && i >= 0 && i < static_cast<int>(t->map.keys.size());
    key_row_->setEnabled(there);
    if (!there) return;
    const Key& k = t->map.keys[static_cast<std::size_t>(i)];
    key_frame_->set_rate(document_.project().settings.rate);
    key_source_->set_rate(document_.project().settings.rate);
    key_frame_->set_value(k.at.value);
    key_source_->set_value(k.source.value);
    toward_->setCurrentIndex(static_cast<int>(k.toward));
}

void RetimeBench::update_trace() {
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

void RetimeBench::edit_map(const QString& words, const std::function<Result<TimeMap>(const TimeMap&)>& change,
                           const QString& merge) {
    const TimingId id = viewing_.timing();
    if (!document_.project().timing(id)) return;
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            GARLAND_TRY(map, change(p.timing(id)->map));
            p.timing(id)->map = std::move(map);
            return {};
        },
        merge);
}

void RetimeBench::edit_timing(const QString& words, const std::function<void(Timing&)>& change, const QString& merge) {
    const TimingId id = viewing_.timing();
    if (!document_.project().timing(id)) return;
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            change(*p.timing(id));
            return {};
        },
        merge);
}

void RetimeBench::hold_here() {
    const OutputFrame at = viewing_.frame();
    const double n = hold_frames_->value();
    const Timing* t = document_.project().timing(viewing_.timing());
    if (!t) return;
    const double pose = TimingPlan(*t).at(at).source;
    edit_map(tr("Hold source frame %1 for %2 frames from frame %3").arg(text(pose), text(n), text(at.value)),
             [&](const TimeMap& map) { return hold_at(map, at, n); });
}

void RetimeBench::reverse_all() {
    edit_map(tr("Reverse the timing"), [](const TimeMap& map) { return reverse(map, map.first(), map.last()); });
}

void RetimeBench::fit_to_range() {
    const auto s = document_.show()->samplers.find(viewing_.source());
    if (s == document_.show()->samplers.end()) return;
    const FrameRange range = document_.project().settings.range;
    edit_map(tr("Fit the source to the output range"), [&](const TimeMap&) {
        return fit(s->second.clock().first, s->second.clock().last(), OutputFrame(static_cast<double>(range.first)),
                   OutputFrame(static_cast<double>(range.last)));
    });
}

void RetimeBench::start_here() {
    const OutputFrame at = viewing_.frame();
    edit_map(tr("Start the timing at frame %1").arg(text(at.value)),
             [&](const TimeMap& map) { return start_at(map, at); });
}

void RetimeBench::step_key(int direction) {
    const Timing* t = document_.project().timing(viewing_.timing());
    if (!t) return;
    const double now = viewing_.frame().value;
    double best = now;
    for (const Key& k : t->map.keys) {
        if (direction > 0 && k.at.value > now && (best == now || k.at.value < best)) best = k.at.value;
        if (direction < 0 && k.at.value < now && (best == now || k.at.value > best)) best = k.at.value;
    }
    viewing_.set_frame(best);
}

} // namespace garland
