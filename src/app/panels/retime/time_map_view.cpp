#include "app/panels/retime/time_map_view.h"

#include "app/theme/number_text.h"
#include "core/time/conversions.h"
#include "core/time/map_edits.h"
#include "io/tables/copied_text.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QMimeData>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {

constexpr int left_space = 74, right_space = 12, top_space = 18, bottom_space = 22;

// Speed keys as keys, and back: a speed stands where a key has its source.
TimeMap as_keys(const SpeedMap& speeds) {
    TimeMap map;
    for (const SpeedKey& k : speeds.keys) map.keys.push_back({k.at, SourceFrame(k.speed), k.toward});
    return map;
}
void take_keys(SpeedMap& speeds, const TimeMap& map) {
    speeds.keys.clear();
    for (const Key& k : map.keys) {
        speeds.keys.push_back({k.at, k.source.value, k.toward == Toward::step ? Toward::step : Toward::linear});
    }
}

} // namespace

TimeMapView::TimeMapView(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing), pictures_(document) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Time map"));
    setMinimumHeight(110);
    setToolTip({});
    connect(&document_, &Document::changed, this, &TimeMapView::refresh);
    connect(&viewing_, &Viewing::frame_changed, this, qOverload<>(&QWidget::update));
    connect(&viewing_, &Viewing::selection_changed, this, [this] {
        if (shown_id_ != viewing_.timing()) {
            own_view_ = false;
            ghost_.reset();
            pick({});
        }
        refresh();
    });
    connect(&document_, &Document::opened, this, &TimeMapView::show_all);
    connect(&pictures_, &PosePictures::ready, this, qOverload<>(&QWidget::update));
    refresh();
}

const Timing* TimeMapView::timing() const {
    return document_.project().timing(viewing_.timing());
}

const SourceClock* TimeMapView::clock() const {
    const auto s = document_.show()->samplers.find(viewing_.source());
    return s == document_.show()->samplers.end() ? nullptr : &s->second.clock();
}

void TimeMapView::show_all() {
    own_view_ = false;
    refresh();
}

void TimeMapView::set_view(MapView view) {
    if (view == view_) return;
    view_ = view;
    picked_.clear();
    refresh();
    emit view_changed();
    emit keys_picked();
}

void TimeMapView::refresh() {
    const Timing* t = timing();
    shown_id_ = viewing_.timing();
    if (!t) {
        shown_ = {};
        picked_.clear();
        update();
        return;
    }
    if (view_ == MapView::slider && !t->slider) {
        view_ = MapView::position;
        picked_.clear();
        emit view_changed();
    }
    Timing drawn = *t;
    if (view_ != MapView::slider && drawn.slider) { // the slider plays the span only: nothing comes before or after
        drawn.slider.reset();
        drawn.before = drawn.after = Outside{};
    }
    const FrameRange range = document_.project().settings.range;
    const bool same =
        drawn == shown_.timing && view_ == shown_.view && viewing_.source() == shown_.source && range == shown_.range;
    if (!same || shown_.keys.keys.empty()) {
        shown_ = {};
        shown_.timing = std::move(drawn);
        shown_.view = view_;
        shown_.source = viewing_.source();
        shown_.range = range;
        shown_.plan = TimingPlan(shown_.timing);
        const TimingForm form = shown_.timing.form;
        if (form == TimingForm::phrases)
            shown_.phrase_starts = boundaries(shown_.timing.phrases, shown_.timing.turn_twice);
        if (view_ == MapView::slider) {
            shown_.keys = *shown_.timing.slider;
        } else if (view_ == MapView::position && form == TimingForm::positions) {
            shown_.keys = shown_.timing.map;
        } else if (view_ == MapView::speed && form == TimingForm::speeds) {
            shown_.keys = as_keys(shown_.timing.speeds);
        } else if (form != TimingForm::phrases) {
            shown_.own = false;
            auto other = view_ == MapView::position ? to_positions(shown_.timing) : to_speeds(shown_.timing);
            if (other) {
                shown_.conversion = other->words;
                shown_.keys = view_ == MapView::position ? other->timing.map : as_keys(other->timing.speeds);
            }
        }
        if (view_ == MapView::position) {
            const double far = form_length(shown_.timing);
            const double from = std::min(static_cast<double>(range.first), form_first(shown_.timing).value);
            const double to = std::max(static_cast<double>(range.last), form_first(shown_.timing).value + far);
            if (const SourceClock* c = clock()) {
                shown_.warnings = warnings_of(shown_.timing, c->first, c->last(), OutputFrame(from), OutputFrame(to));
            }
        }
        std::erase_if(picked_, [&](std::size_t i) { return i >= shown_.keys.keys.size(); });
        measure();
        emit keys_picked();
    }
    measure();
    update();
}

// Where the axes run.
void TimeMapView::measure() {
    axes_.plot = QRectF(left_space, top_space, std::max(20, width() - left_space - right_space),
                        std::max(20, height() - top_space - bottom_space));
    if (!timing()) return;
    const double first = span_first(shown_.timing).value, last = first + span_length(shown_.timing);
    if (!own_view_) {
        const bool own_frames = view_ != MapView::slider && timing()->slider; // does not share the output clock
        axes_.out_low = own_frames ? first : std::min(static_cast<double>(shown_.range.first), first);
        axes_.out_high = own_frames ? last : std::max(static_cast<double>(shown_.range.last), last);
        if (axes_.out_high - axes_.out_low < 2) axes_.out_high = axes_.out_low + 2;
    }
    if (grip_.what == Drag::keys || grip_.what == Drag::leave || grip_.what == Drag::arrive) return; // keeps still
    double low = 1e300, high = -1e300;
    auto add = [&](double v) { low = std::min(low, v), high = std::max(high, v); };
    for (const Key& k : shown_.keys.keys) add(k.source.value);
    if (view_ == MapView::position) {
        const auto span = source_span(shown_.timing);
        add(span.low.value), add(span.high.value);
        if (const SourceClock* c = clock()) add(c->first.value), add(c->last().value);
        if (high - low < 1) high = low + 1;
    } else if (view_ == MapView::slider) {
        low = 0, high = 100;
    } else {
        add(0), add(1);
        for (int i = 0; i <= 400; ++i) {
            const auto s = shown_.plan.at(OutputFrame(axes_.out_low + (axes_.out_high - axes_.out_low) * i / 400));
            if (!s.absent && !own_view_) add(std::clamp(s.slope, -50.0, 50.0));
        }
    }
    const double margin = (high - low) * (view_ == MapView::position ? 0.06 : 0.12);
    axes_.source_low = low - margin;
    axes_.source_high = high + margin;
}

void TimeMapView::resizeEvent(QResizeEvent*) {
    measure();
}

OutputFrame TimeMapView::playhead() const {
    const Timing* t = timing();
    if (!t || !t->slider || view_ == MapView::slider) return viewing_.frame();
    for (const ArrangementShow& a : document_.show()->arrangements) {
        if (a.id == viewing_.arrangement()) return form_first(*t) + a.plan.form_frame(a.plan.at(viewing_.frame()));
    }
    return viewing_.frame();
}

double TimeMapView::value_at(OutputFrame t) const {
    const TimingSample s = shown_.plan.at(t);
    switch (view_) {
    case MapView::position: return s.source;
    case MapView::speed: return s.slope;
    case MapView::slider: return shown_.plan.slider_at(s);
    }
    return 0;
}

// ---- keys ----------------------------------------------------------------------------------------------------------

void TimeMapView::pick(PickedKeys keys) {
    std::sort(keys.begin(), keys.end());
    keys.erase(std::unique(keys.begin(), keys.end()), keys.end());
    std::erase_if(keys, [&](std::size_t i) { return i >= shown_.keys.keys.size(); });
    if (keys == picked_) return;
    picked_ = std::move(keys);
    emit keys_picked();
    update();
}

void TimeMapView::pick_all() {
    PickedKeys all(shown_.keys.keys.size());
    for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
    pick(std::move(all));
}

bool TimeMapView::edit_keys(const QString& words, const std::function<Result<TimeMap>(const TimeMap&)>& change,
                            const QString& merge) {
    const TimingId id = viewing_.timing();
    const Timing* t = timing();
    if (!t) return false;
    if (t->form == TimingForm::phrases && view_ != MapView::slider) {
        emit document_.problem(Error{ErrorCode::invalid, "phrases have no keys"}
                                   .keeping("the phrases as they are")
                                   .advise("change the list below, or press Convert to position keys"));
        return false;
    }
    QString said = words;
    if (!shown_.own) {
        said += (view_ == MapView::speed ? tr(" (kept as speed keys now: %1)") : tr(" (kept as position keys now: %1)"))
                    .arg(QString::fromStdString(shown_.conversion));
    }
    const MapView view = view_;
    return document_.edit(
        said,
        [&](Project& p) -> Result<void> {
            Timing& now = *p.timing(id);
            if (view == MapView::slider) {
                GARLAND_TRY(map, change(*now.slider));
                now.slider = std::move(map);
            } else if (view == MapView::position) {
                if (now.form != TimingForm::positions) {
                    GARLAND_TRY(other, to_positions(now));
                    now = std::move(other.timing);
                }
                GARLAND_TRY(map, change(now.map));
                now.map = std::move(map);
            } else {
                if (now.form != TimingForm::speeds) {
                    GARLAND_TRY(other, to_speeds(now));
                    now = std::move(other.timing);
                }
                GARLAND_TRY(map, change(as_keys(now.speeds)));
                take_keys(now.speeds, map);
            }
            return {};
        },
        merge);
}

void TimeMapView::remove_picked() {
    if (picked_.empty()) return;
    const PickedKeys keys = picked_;
    const QString words = keys.size() == 1 ? tr("Remove a key") : tr("Remove %1 keys").arg(keys.size());
    if (edit_keys(words, [&](const TimeMap& map) { return remove_keys(map, keys); })) pick({});
}

namespace {
KeyValue value_of(MapView view) {
    return view == MapView::position ? KeyValue::source_frame
           : view == MapView::speed  ? KeyValue::speed
                                     : KeyValue::per_cent;
}
} // namespace

void TimeMapView::copy_picked() {
    if (picked_.empty()) return;
    const std::vector<Key> keys = copied_keys(shown_.keys, picked_);
    QGuiApplication::clipboard()->setText(QString::fromStdString(keys_as_text(keys, value_of(view_))));
    emit keys_picked(); // Paste can be used now
}

bool TimeMapView::can_paste() const {
    const QMimeData* copied = QGuiApplication::clipboard()->mimeData(); // null where there is no clipboard
    return copied && copied->hasText();
}

void TimeMapView::paste() {
    auto copied = keys_from_text(QGuiApplication::clipboard()->text().toStdString());
    if (!copied) {
        copied.error().kept = "the timing as it is";
        emit document_.problem(copied.error());
        return;
    }
    if (copied->value.value_or(value_of(view_)) != value_of(view_)) {
        emit document_.problem(Error{ErrorCode::invalid, "the copied keys are of another kind"}
                                   .keeping("the timing as it is")
                                   .advise("paste them in the view they were copied in"));
        return;
    }
    const OutputFrame at = playhead();
    PickedKeys pasted;
    const QString words =
        copied->keys.size() == 1
            ? tr("Paste a key at output frame %1").arg(number_text(at.value))
            : tr("Paste %1 keys at output frame %2").arg(copied->keys.size()).arg(number_text(at.value));
    if (edit_keys(words, [&](const TimeMap& map) { return paste_keys(map, copied->keys, at, pasted); })) pick(pasted);
}

void TimeMapView::set_ghost(std::optional<Timing> ghost) {
    ghost_ = std::move(ghost);
    if (ghost_) {
        if (view_ != MapView::slider && ghost_->slider) ghost_->slider.reset();
        ghost_plan_ = TimingPlan(*ghost_);
    }
    update();
}

void TimeMapView::set_snapping(bool frames, bool beats_and_markers) {
    snap_frames_ = frames;
    snap_beats_ = beats_and_markers;
}

QString TimeMapView::unit_words(double value) const {
    switch (view_) {
    case MapView::position: return tr("source frame %1").arg(number_text(value));
    case MapView::speed: return tr("speed %1×").arg(number_text(value));
    case MapView::slider: return tr("%1 %").arg(number_text(value, 2));
    }
    return {};
}

QString TimeMapView::words_for(std::size_t key) const {
    const Key& k = shown_.keys.keys.at(key);
    const TimingSample s = shown_.plan.at(k.at);
    const bool between = s.source != std::floor(s.source);
    const QString made = between ? tr(" · a pose made between frames") : QString();
    switch (view_) {
    case MapView::position:
        return tr("output frame %1 shows source frame %2 · leaves at %3×%4")
            .arg(number_text(k.at.value), number_text(k.source.value), number_text(s.slope, 2), made);
    case MapView::speed:
        return tr("at output frame %1 the speed is %2× · source frame %3 is shown%4")
            .arg(number_text(k.at.value), number_text(k.source.value), number_text(s.source), made);
    case MapView::slider:
        return tr("at output frame %1 the slider stands at %2 % · source frame %3 at %4×%5")
            .arg(number_text(k.at.value), number_text(k.source.value), number_text(s.source), number_text(s.slope, 2),
                 made);
    }
    return {};
}

std::pair<std::size_t, std::size_t> TimeMapView::keys_in_view() const {
    const auto& keys = shown_.keys.keys;
    const double margin = (axes_.out_high - axes_.out_low) * 0.02;
    auto before = [](const Key& k, double t) { return k.at.value < t; };
    const auto from = std::lower_bound(keys.begin(), keys.end(), axes_.out_low - margin, before);
    const auto to = std::lower_bound(from, keys.end(), axes_.out_high + margin, before);
    return {static_cast<std::size_t>(from - keys.begin()), static_cast<std::size_t>(to - keys.begin())};
}

} // namespace garland
