#include "app/document/viewing.h"

#include <algorithm>
#include <cmath>

namespace garland {

Viewing::Viewing(Document& document, QObject* parent) : QObject(parent), document_(document) {
    timer_.setTimerType(Qt::PreciseTimer);
    connect(&timer_, &QTimer::timeout, this, &Viewing::tick);
    connect(&document, &Document::changed, this, &Viewing::keep_valid);
    connect(&document, &Document::opened, this, [this] {
        play(false);
        current_ = 0;
        select({});
        set_frame(static_cast<double>(document_.project().settings.range.first));
    });
}

void Viewing::keep_valid() {
    const std::int64_t copies = document_.show()->copies();
    std::set<std::int64_t> kept(selection_.begin(), selection_.lower_bound(copies));
    if (current_ >= copies) current_ = 0;
    if (kept != selection_) select(std::move(kept));
    const FrameRange range = document_.project().settings.range;
    if (!range.contains(frame_)) set_frame(frame_);
}

void Viewing::set_frame(double frame) {
    const FrameRange range = document_.project().settings.range;
    frame = std::clamp(frame, static_cast<double>(range.first), static_cast<double>(range.last));
    if (frame == frame_) return;
    frame_ = frame;
    emit frame_changed();
}

void Viewing::play(bool on) {
    if (on == playing()) return;
    if (on) {
        const FrameRange range = document_.project().settings.range;
        if (frame_ >= static_cast<double>(range.last)) set_frame(static_cast<double>(range.first));
        play_from_ = frame_;
        clock_.start();
        timer_.start(std::max(1, static_cast<int>(1000 / document_.project().settings.rate.per_second() / 2)));
    } else {
        timer_.stop();
    }
    emit playing_changed();
}

void Viewing::tick() {
    const FrameRange range = document_.project().settings.range;
    const double passed =
        std::floor(document_.project().settings.rate.frames_in(Seconds(static_cast<double>(clock_.elapsed()) / 1000)));
    const double count = static_cast<double>(range.count());
    double at = play_from_ + passed - static_cast<double>(range.first);
    at -= std::floor(at / count) * count;
    set_frame(static_cast<double>(range.first) + at);
}

void Viewing::select(std::set<std::int64_t> copies) {
    if (!copies.empty() && !copies.count(current_)) current_ = *copies.begin();
    selection_ = std::move(copies);
    emit selection_changed();
}

void Viewing::toggle(std::int64_t copy) {
    auto next = selection_;
    if (!next.erase(copy)) {
        next.insert(copy);
        current_ = copy;
    }
    select(std::move(next));
}

std::int64_t Viewing::current_copy() const {
    return document_.show()->copies() > 0 ? current_ : -1;
}

void Viewing::set_current_copy(std::int64_t copy) {
    current_ = copy;
    select({copy});
}

void Viewing::set_colour(ColourMode mode) {
    if (mode == colour_) return;
    colour_ = mode;
    emit colour_changed();
}

void Viewing::set_view(const Camera& view) {
    if (view == view_) return;
    view_ = view;
    emit view_changed();
}

void Viewing::look_through_camera(bool on) {
    if (on == through_camera_) return;
    through_camera_ = on;
    emit view_changed();
}

void Viewing::set_second_pose(std::optional<OutputFrame> frame) {
    if (frame == second_) return;
    second_ = frame;
    emit second_pose_changed();
}

ArrangementId Viewing::arrangement() const {
    std::size_t index = 0;
    const ArrangementShow* a = document_.show()->find(current_, index);
    return a ? a->id : ArrangementId();
}

TimingId Viewing::timing() const {
    const Arrangement* a = document_.project().arrangement(arrangement());
    return a ? a->timing : TimingId();
}

SourceId Viewing::source() const {
    const Arrangement* a = document_.project().arrangement(arrangement());
    return a ? a->source : SourceId();
}

void Viewing::set_arrangement(ArrangementId id) {
    for (const ArrangementShow& a : document_.show()->arrangements) {
        if (a.id != id) continue;
        current_ = a.first_copy;
        select({});
    }
}

} // namespace garland
