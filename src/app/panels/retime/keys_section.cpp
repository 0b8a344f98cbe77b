#include "app/panels/retime/sections.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"
#include "core/time/conversions.h"
#include "core/time/map_edits.h"

#include <QGridLayout>

namespace garland {

KeysSection::KeysSection(Document& document, Viewing& viewing, TimeMapView& map)
    : RetimeSection(document, viewing, map) {
    auto* column = rows(this);
    keys_ = new QWidget;
    auto* inner = rows(keys_);
    make_key_row(inner);
    make_scale_row(inner);
    column->addWidget(keys_);
    make_phrases_row(column);
    conversion_ = make_label({}, "muted");
    conversion_->setWordWrap(true);
    column->addWidget(conversion_);
    column->addStretch(1);

    connect(frame_, &NumberField::edited, this, &KeysSection::move_picked_keys);
    connect(value_, &NumberField::edited, this, &KeysSection::set_picked_values);
    connect(leave_, &NumberField::edited, this, &KeysSection::set_slopes);
    connect(arrive_, &NumberField::edited, this, &KeysSection::set_slopes);
    connect(&map_, &TimeMapView::keys_picked, this, [this] {
        if (map_.picked() != shown_keys_) document_.end_merge(); // steps on other keys are steps of their own
        shown_keys_ = map_.picked();
        refresh();
    });
    connect(&map_, &TimeMapView::view_changed, this, &KeysSection::refresh);
}

void KeysSection::make_key_row(QVBoxLayout* column) {
    auto* one = new QHBoxLayout;
    one->setSpacing(5);
    frame_ =
        number(Quantity::output_frames, -frame_limit, frame_limit, 3, tr("Output frame of the key"),
               tr("The output frame of the selected key; of several, that of the first: the others move along"), 70);
    value_ = number(Quantity::source_frames, -frame_limit, frame_limit, 3, tr("Source frame of the key"),
                    tr("What the selected key shows: a source frame, a speed or the slider's per cent. Several get the "
                       "number that is "
                       "typed; dragging, steps and Shift+Return change each by as much"),
                    70);
    toward_ =
        make_choice({tr("step"), tr("linear"), tr("smooth"), tr("free"), tr("hidden")}, tr("Towards the next key"),
                    tr("How the curve goes from this key to the next. Smooth never overshoots the two keys; free "
                       "follows the slopes of its two handles; hidden shows nothing until the next key."),
                    [this](int i) { set_toward(static_cast<Toward>(i)); });
    remove_ = make_button(tr("Remove key"), tr("Remove the selected keys (Delete)"));
    connect(remove_, &QPushButton::clicked, &map_, &TimeMapView::remove_picked);
    value_label_ = make_label(tr("shows"));
    one->addWidget(make_label(tr("Key at")));
    one->addWidget(frame_);
    one->addWidget(value_label_);
    one->addWidget(value_);
    one->addWidget(make_label(tr("then")));
    one->addWidget(toward_);
    arrive_label_ = make_label(tr("from ×"));
    arrive_ = number(Quantity::plain, -1000, 1000, 3, tr("Slope before the key"),
                     tr("Source frames an output frame, where the segment before it is free"), 58);
    leave_label_ = make_label(tr("to ×"));
    leave_ = number(Quantity::plain, -1000, 1000, 3, tr("Slope after the key"),
                    tr("Source frames an output frame, where the way on is free"), 58);
    for (NumberField* f : {arrive_, leave_}) f->set_step(0.05);
    for (QWidget* w : std::initializer_list<QWidget*>{arrive_label_, arrive_, leave_label_, leave_}) one->addWidget(w);
    one->addStretch(1);
    one->addWidget(remove_);
    column->addLayout(one);
}

void KeysSection::make_scale_row(QVBoxLayout* column) {
    auto* two = new QHBoxLayout;
    two->setSpacing(5);
    time_factor_ = number(
        Quantity::plain, -100, 100, 4, tr("Time factor"),
        tr("The selected keys' distances in time from the first one, times this; negative values reverse them"), 56);
    value_factor_ = number(Quantity::plain, -100, 100, 4, tr("Value factor"),
                           tr("Their differences in value from the first one, times this"), 56);
    time_factor_->set_value(1);
    value_factor_->set_value(1);
    for (NumberField* f : {time_factor_, value_factor_}) f->set_step(0.1);
    scale_ = make_button(tr("Scale"), tr("Scale the selected keys about the first of them"));
    connect(scale_, &QPushButton::clicked, this, &KeysSection::scale_picked);
    copy_ = make_button(tr("Copy"), tr("Copy the selected keys (Ctrl+C in the map)"));
    paste_ = make_button(tr("Paste"), tr("Set the copied keys from the playhead on (Ctrl+V in the map)"));
    connect(copy_, &QPushButton::clicked, &map_, &TimeMapView::copy_picked);
    connect(paste_, &QPushButton::clicked, &map_, &TimeMapView::paste);
    two->addWidget(make_label(tr("time ×")));
    two->addWidget(time_factor_);
    two->addWidget(make_label(tr("value ×")));
    two->addWidget(value_factor_);
    two->addWidget(scale_);
    two->addWidget(copy_);
    two->addWidget(paste_);
    two->addStretch(1);
    snap_frames_ = new QCheckBox(tr("snap"));
    snap_frames_->setToolTip(tr("Dragged keys land on whole frames (Shift: free)"));
    snap_beats_ = new QCheckBox(tr("to beats"));
    snap_beats_->setToolTip(tr("Dragged keys settle on a beat or a marker that is near (Shift: free)"));
    for (QCheckBox* box : {snap_frames_, snap_beats_}) {
        box->setChecked(true);
        connect(box, &QCheckBox::clicked, this,
                [this] { map_.set_snapping(snap_frames_->isChecked(), snap_beats_->isChecked()); });
        two->addWidget(box);
    }
    column->addLayout(two);
}

// What is there instead of keys where the timing is a list of phrases.
void KeysSection::make_phrases_row(QVBoxLayout* column) {
    phrases_ = new QWidget;
    auto* other = new QHBoxLayout(phrases_);
    other->setContentsMargins(0, 0, 0, 0);
    auto* told = make_label(tr("This timing is a list of phrases; it has no keys."), "muted");
    told->setWordWrap(true);
    other->addWidget(told, 1);
    auto* positions = make_button(tr("Convert to position keys"), tr("Shows the same frames; cross-fades are lost"));
    auto* speeds =
        make_button(tr("Make speed keys"), tr("Speed keys that show the same frames; jumps become runs of one frame"));
    connect(positions, &QPushButton::clicked, this, [this] { convert(false); });
    connect(speeds, &QPushButton::clicked, this, [this] { convert(true); });
    other->addWidget(positions);
    other->addWidget(speeds);
    column->addWidget(phrases_);
}

void KeysSection::set_toward(Toward toward) {
    const PickedKeys keys = map_.picked();
    map_.edit_keys(tr("Set the curve after a key"), [&](const TimeMap& was) -> Result<TimeMap> {
        TimeMap next = was;
        Timing now;
        now.map = was;
        const TimingPlan plan(now);
        for (std::size_t k : keys) {
            if (toward == Toward::free && next.keys.at(k).toward != Toward::free) {
                // The slopes it has now, so that nothing jumps.
                next.keys[k].leave = plan.at(next.keys[k].at).slope;
                if (k + 1 < next.keys.size()) {
                    const OutputFrame just(next.keys[k + 1].at.value - 1e-6);
                    next.keys[k + 1].arrive = plan.at(just).slope;
                }
            }
            next.keys.at(k).toward = toward;
        }
        return next;
    });
}

void KeysSection::scale_picked() {
    const PickedKeys keys = map_.picked();
    if (keys.empty()) return;
    const Key about = map_.keys().keys[keys.front()];
    const bool done = map_.edit_keys(tr("Scale %1 keys").arg(keys.size()), [&](const TimeMap& was) {
        return scale_keys(was, keys, about.at, time_factor_->value(), about.source, value_factor_->value());
    });
    if (done) {
        time_factor_->set_value(1);
        value_factor_->set_value(1);
    }
}

void KeysSection::convert(bool speeds) {
    const Timing* t = timing();
    if (!t) return;
    auto done = speeds ? to_speeds(*t) : to_positions(*t);
    if (!done) return emit document_.problem(done.error());
    edit_timing((speeds ? tr("Make speed keys of the timing (%1)") : tr("Make position keys of the timing (%1)"))
                    .arg(words_text(done->words)),
                [&](Timing& now) -> Result<void> {
                    now = done->timing;
                    return {};
                });
}

void KeysSection::set_slopes() {
    const int i = map_.selected();
    if (i < 0) return;
    map_.edit_keys(
        tr("Set the slopes of a key"),
        [&](const TimeMap& was) -> Result<TimeMap> {
            TimeMap next = was;
            Key& k = next.keys.at(static_cast<std::size_t>(i));
            k.leave = leave_->value();
            k.arrive = arrive_->value();
            return next;
        },
        QStringLiteral("key-slopes"));
}

void KeysSection::move_picked_keys() {
    const PickedKeys keys = map_.picked();
    if (keys.empty()) return;
    map_.edit_keys(
        keys.size() == 1 ? tr("Move a key") : tr("Move %1 keys").arg(keys.size()),
        [&](const TimeMap& was) {
            const double by = frame_->value() - was.keys.at(keys.front()).at.value;
            return move_keys(was, keys, by, 0);
        },
        QStringLiteral("key-fields"));
}

void KeysSection::set_picked_values() {
    const PickedKeys keys = map_.picked();
    if (keys.empty()) return;
    map_.edit_keys(
        keys.size() == 1 ? tr("Move a key") : tr("Set what %1 keys show").arg(keys.size()),
        [&](const TimeMap& was) -> Result<TimeMap> {
            TimeMap next = was;
            for (const std::size_t k : keys) {
                Key& key = next.keys.at(k);
                key.source = SourceFrame(keys.size() == 1 ? value_->value() : value_->edited_from(key.source.value));
            }
            return next;
        },
        QStringLiteral("key-fields"));
}

void KeysSection::refresh() {
    take_units();
    const Timing* t = timing();
    const bool phrases = t && t->form == TimingForm::phrases && map_.view() != MapView::slider;
    keys_->setVisible(!phrases);
    phrases_->setVisible(phrases);
    const auto& keys = map_.keys().keys;
    const PickedKeys& picked = map_.picked();
    const int one = map_.selected();
    const bool there = t && one >= 0;
    const bool some = t && !picked.empty();
    frame_->setEnabled(some);
    value_->setEnabled(some);
    toward_->setEnabled(!picked.empty());
    remove_->setEnabled(!picked.empty());
    copy_->setEnabled(!picked.empty());
    paste_->setEnabled(map_.can_paste());
    for (QWidget* w : std::initializer_list<QWidget*>{scale_, time_factor_, value_factor_})
        w->setEnabled(picked.size() > 1);
    remove_->setText(picked.size() > 1 ? tr("Remove %1 keys").arg(picked.size()) : tr("Remove key"));
    value_->set_quantity(map_.view() == MapView::position ? Quantity::source_frames
                         : map_.view() == MapView::speed  ? Quantity::plain
                                                          : Quantity::per_cent);
    value_->set_step(map_.view() == MapView::speed ? 0.05 : 1);
    value_label_->setText(map_.view() == MapView::position ? tr("shows")
                          : map_.view() == MapView::speed  ? tr("speed ×")
                                                           : tr("stands at"));
    const bool leave =
        there && map_.view() == MapView::position && keys[static_cast<std::size_t>(one)].toward == Toward::free;
    const bool arrive = there && map_.view() == MapView::position && one > 0 &&
                        keys[static_cast<std::size_t>(one) - 1].toward == Toward::free;
    leave_->setVisible(leave);
    leave_label_->setVisible(leave);
    arrive_->setVisible(arrive);
    arrive_label_->setVisible(arrive);
    if (some) { // of several: the first one's
        frame_->set_value(keys[picked.front()].at.value);
        value_->set_value(keys[picked.front()].source.value);
    }
    if (there) {
        const Key& k = keys[static_cast<std::size_t>(one)];
        leave_->set_value(k.leave);
        arrive_->set_value(k.arrive);
    }
    if (!picked.empty()) toward_->setCurrentIndex(static_cast<int>(keys[picked.front()].toward));
    conversion_->setVisible(t && !map_.keys_are_own() && !phrases);
    conversion_->setText(tr("Kept as %1; the first change here keeps it as %2: %3.")
                             .arg(t && t->form == TimingForm::speeds ? tr("speed keys") : tr("position keys"),
                                  map_.view() == MapView::speed ? tr("speed keys") : tr("position keys"),
                                  QString::fromStdString(map_.conversion())));
    if (!some) { // nothing is selected: nothing is shown
        frame_->set_empty();
        value_->set_empty();
        toward_->setCurrentIndex(-1);
    }
}

} // namespace garland
