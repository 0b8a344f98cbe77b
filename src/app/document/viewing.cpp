#include "app/document/viewing.h"

#include <algorithm>
#include <cmath>

namespace garland {

Viewing::Viewing(Document& document, QObject* parent) : QObject(parent), document_(document), twins_(document) {
    timer_.setTimerType(Qt::PreciseTimer);
    connect(&timer_, &QTimer::timeout, this, &Viewing::tick);
    connect(&document, &Document::changed, this, &Viewing::keep_valid);
    connect(&document, &Document::opened, this, [this] {
        play(false);
        chosen_ = {};
        show_spread({});
        finish_drawing(false);
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

void Viewing::play_across_wrap() {
    play(false);
    std::size_t index = 0;
    const ArrangementShow* a = document_.show()->find(current_copy(), index);
    const FrameRange range = document_.project().settings.range;
    constexpr std::int64_t around = 12;
    if (a) {
        std::vector<double> frames;
        for (std::int64_t f = range.first; f <= range.last; ++f) frames.push_back(static_cast<double>(f));
        std::vector<CopyMoment> row(frames.size());
        row_of(*a, index, frames, row);
        std::optional<std::int64_t> wrap;
        for (std::size_t i = 1; i < row.size(); ++i) {
            if (row[i].pass == row[i - 1].pass || row[i].has(mark_absent)) continue;
            const auto at = static_cast<std::int64_t>(frames[i]);
            if (!wrap || static_cast<double>(*wrap) < frame_) wrap = at;
            if (frames[i] >= frame_) break;
        }
        if (wrap) {
            part_ = FrameRange{std::max(range.first, *wrap - around), std::min(range.last, *wrap + around)};
            set_frame(static_cast<double>(part_->first));
        }
    }
    play(true);
}

void Viewing::shuttle(int direction) {
    const double pace = playing() && pace_ * direction > 0 ? std::clamp(pace_ * 2, -8.0, 8.0) : direction;
    if (direction < 0 && frame_ <= static_cast<double>(document_.project().settings.range.first))
        set_frame(static_cast<double>(document_.project().settings.range.last));
    play(true);
    pace_ = pace;
    play_from_ = frame_;
    clock_.restart();
    emit pace_changed();
}

void Viewing::play(bool on) {
    if (!on) pace_ = 1;
    if (on == playing()) return;
    if (on) {
        const FrameRange range = part_.value_or(document_.project().settings.range);
        if (frame_ >= static_cast<double>(range.last)) set_frame(static_cast<double>(range.first));
        play_from_ = frame_;
        clock_.start();
        timer_.start(std::max(1, static_cast<int>(1000 / document_.project().settings.rate.per_second() / 2)));
    } else {
        timer_.stop();
        part_.reset();
    }
    emit playing_changed();
}

void Viewing::tick() {
    const FrameRange range = part_.value_or(document_.project().settings.range);
    const double passed =
        std::floor(document_.project().settings.rate.frames_in(Seconds(static_cast<double>(clock_.elapsed()) / 1000)) *
                   std::abs(pace_)) *
        (pace_ < 0 ? -1 : 1);
    const double count = static_cast<double>(range.count());
    double at = play_from_ + passed - static_cast<double>(range.first);
    at -= std::floor(at / count) * count;
    set_frame(static_cast<double>(range.first) + at);
}

void Viewing::select(std::set<std::int64_t> copies) {
    if (!copies.empty()) chosen_ = {}; // a picked copy says which arrangement is meant
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

void Viewing::hold_zones(bool on) {
    if (on == zones_held_) return;
    zones_held_ = on;
    emit drawing_changed();
}

void Viewing::hold_place(bool on) {
    if (on == place_held_) return;
    place_held_ = on;
    emit drawing_changed();
}

void Viewing::set_second_pose(std::optional<OutputFrame> frame) {
    if (frame == second_) return;
    second_ = frame;
    emit second_pose_changed();
}

void Viewing::show_spread(SpreadId id) {
    if (id == shown_spread_) return;
    if (id && colour_ != ColourMode::spread) colour_before_ = colour_;
    shown_spread_ = id;
    colour_ = id ? ColourMode::spread : colour_before_;
    emit colour_changed();
}

void Viewing::draw_path(ArrangementId id) {
    drawing_ = id;
    drawn_.clear();
    emit drawing_changed();
}

void Viewing::add_drawn(const V3d& place) {
    const Arrangement* a = document_.project().arrangement(drawing_);
    if (!a) return;
    drawn_.push_back(from_scene(*a, place));
    emit drawing_changed();
}

void Viewing::undo_drawn() {
    if (!drawn_.empty()) drawn_.pop_back();
    emit drawing_changed();
}

void Viewing::finish_drawing(bool keep) {
    const ArrangementId id = drawing_;
    const std::vector<V3d> path = std::move(drawn_);
    drawing_ = {};
    drawn_.clear();
    emit drawing_changed();
    if (!keep) return;
    document_.edit(tr("Draw a path"), [&](Project& p) -> Result<void> {
        Arrangement* a = p.arrangement(id);
        if (!a) return {};
        if (is_carried(a->layout.kind)) a->layout.count = std::max(a->layout.count, 1);
        if (a->layout.kind != ArrangementKind::curve)
            a->layout.count = static_cast<int>(std::clamp<std::int64_t>(copies_in(*a), 1, copy_limit));
        a->layout.kind = ArrangementKind::curve;
        a->layout.path.points = path;
        a->layout.path.closed = false;
        return {};
    });
}

ArrangementId Viewing::arrangement() const {
    if (chosen_ && document_.project().arrangement(chosen_)) return chosen_;
    std::size_t index = 0;
    const ArrangementShow* a = document_.show()->find(current_, index);
    if (a) return a->id;
    return document_.project().arrangements.empty() ? ArrangementId() : document_.project().arrangements.front().id;
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
    chosen_ = id;
    for (const ArrangementShow& a : document_.show()->arrangements) {
        if (a.id != id || a.places.empty()) continue;
        current_ = a.number(0);
        break;
    }
    selection_.clear();
    emit selection_changed();
}

} // namespace garland
