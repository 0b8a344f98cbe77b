#include "app/lanes/lanes_view.h"

#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "app/time_axis/time_axis_paint.h"
#include "app/widgets/parts.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <numeric>

namespace garland {

LanesView::LanesView(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing) {
    setObjectName("pane");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Lanes"));
    setMinimumHeight(90);
    auto* head = new QWidget(this);
    auto* row = new QHBoxLayout(head);
    row->setContentsMargins(14, 2, 8, 0);
    row->setSpacing(8);
    row->addWidget(make_label(tr("Lanes"), "heading"));
    row->addWidget(make_label(tr("sorted by"), "muted"));
    sort_box_ = make_choice({tr("order"), tr("place, x"), tr("height"), tr("place, z"), tr("delay"), tr("speed"),
                             tr("size"), tr("turn"), tr("likeness"), tr("pose now")},
                            tr("Sort rows by"), tr("In which order the copies' rows stand"),
                            [this](int i) { set_sort(static_cast<LaneSort>(i)); });
    row->addWidget(sort_box_);
    fit_button_ = new QToolButton;
    fit_button_->setObjectName("segment");
    fit_button_->setText(tr("all rows"));
    fit_button_->setCheckable(true);
    fit_button_->setToolTip(tr("Show all rows at once, however thin"));
    fit_button_->setAccessibleName(tr("Show all rows"));
    connect(fit_button_, &QToolButton::toggled, this, &LanesView::set_fit);
    row->addWidget(fit_button_);
    frames_button_ = new QToolButton;
    frames_button_->setObjectName("segment");
    frames_button_->setText(tr("all frames"));
    frames_button_->setToolTip(tr("Show the whole range again (0)"));
    frames_button_->setAccessibleName(tr("Show all frames"));
    connect(frames_button_, &QToolButton::clicked, this, &LanesView::show_all_frames);
    row->addWidget(frames_button_);
    words_ = make_label({}, "muted");
    row->addWidget(words_, 1);
    head->setObjectName("lanesHead");
    layout_.head = 46;
    bar_ = new QScrollBar(Qt::Vertical, this);
    bar_->setAccessibleName(tr("Scroll rows"));
    connect(bar_, &QScrollBar::valueChanged, this, [this](int v) {
        layout_.scroll = v;
        stale_ = true;
        update();
    });
    time_bar_ = new QScrollBar(Qt::Horizontal, this);
    time_bar_->setAccessibleName(tr("Scroll in time"));
    connect(time_bar_, &QScrollBar::valueChanged, this, [this](int v) {
        TimeAxis axis = layout_.axis();
        axis.high += v / bar_steps - axis.low;
        axis.low = v / bar_steps;
        show_time(axis);
    });
    connect(&document_, &Document::changed, this, &LanesView::refresh);
    connect(&document_, &Document::opened, this, &LanesView::show_all_frames);
    connect(&viewing_, &Viewing::frame_changed, this, [this] {
        if (zoomed_ && drag_ == Drag::none) {
            TimeAxis axis = layout_.axis();
            axis.bring_into_view(viewing_.frame().value);
            show_time(axis);
        }
        if (sort_ == LaneSort::now && !viewing_.playing()) { // the poses now are others
            sort_rows();
            stale_ = true;
        }
        update();
    });
    connect(&viewing_, &Viewing::playing_changed, this, [this] {
        if (sort_ == LaneSort::now) refresh();
    });
    connect(&viewing_, &Viewing::selection_changed, this, [this] {
        const ArrangementId now = viewing_.arrangement();
        if (now != shown_arrangement_ && viewing_.selection().empty())
            show_copy(viewing_.current_copy()); // chosen by name elsewhere
        shown_arrangement_ = now;
        update();
    });
    connect(&viewing_, &Viewing::colour_changed, this, qOverload<>(&QWidget::update));
    connect(&viewing_.twins(), &TwinWatch::changed, this, qOverload<>(&QWidget::update));
    refresh();
}

std::int64_t LanesView::row_of_copy(std::int64_t copy) const {
    const auto at = std::find(order_.begin(), order_.end(), copy);
    return at == order_.end() ? -1 : at - order_.begin();
}

void LanesView::refresh() {
    layout_.rows = document_.show()->copies();
    const bool hears = !document_.show()->levels.sounds.empty();
    layout_.head = hears ? 46 + sound_height + 4 : 46;
    sound_picture_ = {};
    TimeAxis axis = layout_.axis();
    if (!zoomed_) axis.low = -1e9, axis.high = 1e9; // as much as there is
    show_time(axis);
    sort_rows();
    update_scroll();
    update_words();
    stale_ = true;
    update();
}

void LanesView::sort_rows() {
    order_ = row_order(*document_.show(), sort_, viewing_.frame());
}

void LanesView::set_sort(LaneSort sort) {
    sort_ = sort;
    sort_box_->setCurrentIndex(static_cast<int>(sort));
    refresh();
}

void LanesView::set_fit(bool fit) {
    layout_.fit = fit;
    fit_button_->setChecked(fit);
    update_scroll();
    update_words();
    stale_ = true;
    update();
}

// Stretches of the range, or all of it.
void LanesView::show_time(TimeAxis axis) {
    const FrameRange range = document_.project().settings.range;
    axis.keep_within(range);
    layout_.show(axis);
    const double all = std::max(static_cast<double>(range.count() - 1), 1.0), seen = axis.high - axis.low;
    zoomed_ = seen < all - 1e-6;
    layout_.foot = zoomed_ ? 30 : 20;
    const QSignalBlocker quiet(time_bar_); // it follows what is shown
    time_bar_->setRange(static_cast<int>(std::lround(static_cast<double>(range.first) * bar_steps)),
                        static_cast<int>(std::lround((static_cast<double>(range.first) + all - seen) * bar_steps)));
    time_bar_->setPageStep(std::max(1, static_cast<int>(seen * bar_steps)));
    time_bar_->setSingleStep(static_cast<int>(bar_steps));
    time_bar_->setValue(static_cast<int>(std::lround(axis.low * bar_steps)));
    time_bar_->setVisible(zoomed_);
    frames_button_->setVisible(zoomed_);
    place_bars();
    sound_picture_ = {};
    stale_ = true;
    update();
}

void LanesView::show_all_frames() {
    zoomed_ = false;
    refresh();
}

void LanesView::zoom_time(double factor, double pixel) {
    TimeAxis axis = layout_.axis();
    axis.zoom(factor, pixel);
    show_time(axis);
}

void LanesView::zoom_time_at_playhead(double factor) {
    const double x = layout_.x_of(viewing_.frame().value);
    zoom_time(factor, std::clamp<double>(x, layout_.names, layout_.names + layout_.plot_width()));
}

void LanesView::pan_time(double pixels) {
    TimeAxis axis = layout_.axis();
    axis.pan(pixels);
    show_time(axis);
}

void LanesView::place_bars() {
    bar_->setGeometry(width() - 12, layout_.head, 10, layout_.plot_height());
    time_bar_->setGeometry(layout_.names, height() - 11, layout_.plot_width(), 10);
    update_scroll();
    update_words();
}

void LanesView::update_words() {
    if (layout_.merged()) {
        const double each = 1 / layout_.row_pixels();
        words_->setText(tr("%1 copies in %2 lines: each line shows one of about %3")
                            .arg(layout_.rows)
                            .arg(layout_.plot_height())
                            .arg(QString::number(each, 'f', 0)));
    } else {
        words_->clear();
    }
}

void LanesView::update_scroll() {
    const auto most = static_cast<int>(std::ceil(layout_.most_scroll()));
    bar_->setRange(0, most);
    bar_->setPageStep(std::max(1, static_cast<int>(layout_.rows_shown())));
    bar_->setVisible(most > 0);
    layout_.scroll = std::min<double>(layout_.scroll, most);
}

void LanesView::show_copy(std::int64_t copy) {
    const std::int64_t row = row_of_copy(copy);
    if (row < 0 || layout_.fit) return;
    if (static_cast<double>(row) < layout_.scroll) bar_->setValue(static_cast<int>(row));
    if (static_cast<double>(row) + 1 > layout_.scroll + layout_.rows_shown()) {
        bar_->setValue(static_cast<int>(std::ceil(static_cast<double>(row) + 1 - layout_.rows_shown())));
    }
}

void LanesView::resizeEvent(QResizeEvent*) {
    layout_.width = width();
    layout_.height = height();
    sound_picture_ = {};
    findChild<QWidget*>("lanesHead")->setGeometry(0, 0, width(), 28);
    place_bars();
    stale_ = true;
}

// Draws the visible rows into picture_: one evaluation a pixel column and row, nothing for what is not seen.
void LanesView::render() {
    stale_ = false;
    sound_picture_ = {};
    const Show& show = *document_.show();
    const Tokens& t = tokens();
    const double ratio = devicePixelRatioF();
    const int w = std::max(1, static_cast<int>(layout_.plot_width() * ratio));
    const int h = std::max(1, static_cast<int>(layout_.plot_height() * ratio));
    picture_ = QImage(w, h, QImage::Format_RGB32);
    picture_.fill(t.panel.rgb());
    picture_.setDevicePixelRatio(ratio);
    if (order_.empty()) return;

    std::vector<double> frames(static_cast<std::size_t>(w));
    for (int x = 0; x < w; ++x)
        frames[static_cast<std::size_t>(x)] = layout_.frame_at(layout_.names + (x + 0.5) / ratio);
    const double row_pixels = layout_.row_pixels() * ratio;
    const bool thin = row_pixels < 1;
    const int lines =
        thin ? h
             : static_cast<int>(std::min<double>(std::ceil(h / row_pixels) + 1,
                                                 static_cast<double>(layout_.rows) - std::floor(layout_.scroll)));
    uchar* const bits = picture_.bits(); // once: asking a picture for its rows from several threads at once is a race
    const qsizetype stride = picture_.bytesPerLine();
    parallel_for(static_cast<std::size_t>(std::max(lines, 0)), 8, [&](std::size_t from, std::size_t to) {
        std::vector<CopyMoment> row(frames.size());
        for (std::size_t k = from; k < to; ++k) {
            const double row_index = thin ? std::floor((static_cast<double>(k) + 0.5) / row_pixels)
                                          : std::floor(layout_.scroll) + static_cast<double>(k);
            if (row_index >= static_cast<double>(layout_.rows)) continue;
            std::size_t index = 0;
            const ArrangementShow* a = show.find(order_[static_cast<std::size_t>(row_index)], index);
            if (!a) continue;
            row_of(*a, index, frames, row);
            const Ramp& ramp = Ramp::get(seamless(*a) ? RampKind::cyclic : RampKind::sequential);
            const double first = a->clock.first.value, span = std::max(a->clock.last() - a->clock.first, 1e-9);
            const double top = thin ? static_cast<double>(k) : (row_index - layout_.scroll) * row_pixels;
            const int y0 = std::max(0, static_cast<int>(std::lround(top)));
            const int gap = row_pixels >= 6 ? 1 : 0;
            const int y1 = std::min(h, thin ? y0 + 1 : static_cast<int>(std::lround(top + row_pixels)) - gap);
            const int middle = (y0 + y1 - 1) / 2;
            for (int y = y0; y < y1; ++y) {
                auto* line = reinterpret_cast<QRgb*>(bits + y * stride);
                for (int x = 0; x < w; ++x) {
                    const CopyMoment& m = row[static_cast<std::size_t>(x)];
                    if (m.has(mark_absent)) continue; // bare ground
                    QRgb colour = ramp.at((m.source - first) / span);
                    const bool marks = row_pixels >= 5;
                    if (marks && m.has(mark_held) && y == middle) colour = t.ground.rgb(); // a thin line
                    if (marks && m.has(mark_backward) && (x + y) % static_cast<int>(7 * ratio) == 0) {
                        colour = t.ground.rgb(); // slanted strokes, against the way time runs
                    }
                    if (marks && (m.has(mark_clamped_first) || m.has(mark_clamped_last)) && y == middle &&
                        x % static_cast<int>(6 * ratio) < 2) {
                        colour = t.alert.rgb(); // dots
                    }
                    line[x] = colour;
                }
            }
        }
    });
    // Beads where a pass begins: drawn over the rows.
    if (row_pixels < 5) return;
    QPainter p(&picture_);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(t.dark ? t.ground : t.panel, 1)); // seen on light and dark colours alike
    p.setBrush(t.text);
    for (int k = 0; k < lines; ++k) {
        const auto row_index = static_cast<std::int64_t>(std::floor(layout_.scroll)) + k;
        if (row_index >= layout_.rows) break;
        std::size_t index = 0;
        const ArrangementShow* a = show.find(order_[static_cast<std::size_t>(row_index)], index);
        if (!a) continue;
        std::vector<CopyMoment> row(frames.size());
        row_of(*a, index, frames, row);
        const double y = (static_cast<double>(row_index) - layout_.scroll + 0.5) * layout_.row_pixels();
        for (std::size_t x = 1; x < row.size(); ++x) {
            if (row[x].pass != row[x - 1].pass && !row[x].has(mark_absent)) {
                const double bead = std::min(2.4, layout_.row_pixels() * 0.3);
                p.drawEllipse(QPointF(static_cast<double>(x) / ratio, y - 0.5), bead, bead);
            }
        }
        paint_visits(p, *a, index, frames, ratio, y);
    }
}

// The first sound over the same time: its waveform above, its bands below it, the lowest at the bottom.
void LanesView::paint_sound(QPainter& p) {
    const auto& sounds = document_.show()->levels.sounds;
    if (sounds.empty()) return;
    const Tokens& t = tokens();
    const SoundId id = sounds.begin()->first;
    const SoundLevels& levels = *sounds.begin()->second;
    const SoundSpec* spec = document_.project().sound(id);
    const auto open = document_.sources().sounds.find(id);
    const QRect strip(layout_.names, 28, layout_.plot_width(), sound_height);
    if (sound_picture_.isNull()) {
        sound_picture_ = QImage(strip.size(), QImage::Format_ARGB32_Premultiplied);
        sound_picture_.fill(t.ground);
        QPainter q(&sound_picture_);
        constexpr int wave = 14;
        const SoundSamples* samples = open == document_.sources().sounds.end() ? nullptr : open->second.samples.get();
        const double a_frame = document_.project().settings.rate.start_of(1).value;
        for (int x = 0; x < strip.width(); ++x) {
            const double from = layout_.frame_at(layout_.names + x), to = layout_.frame_at(layout_.names + x + 1);
            for (int y = wave; y < sound_height; ++y) { // every line of pixels is a band
                const double up = static_cast<double>(sound_height - 1 - y) / (sound_height - wave);
                const auto band = static_cast<std::size_t>(up * static_cast<double>(levels.bands()));
                QColor c = t.accent;
                c.setAlphaF(std::clamp(levels.at(band, (from + to) / 2).value, 0.0, 1.0));
                q.fillRect(x, y, 1, 1, c);
            }
            if (!samples || !spec) continue;
            float peak = 0;
            const auto first = static_cast<std::int64_t>((from - spec->start.value) * a_frame * samples->rate);
            const auto last = static_cast<std::int64_t>((to - spec->start.value) * a_frame * samples->rate);
            const std::int64_t step = std::max<std::int64_t>((last - first) / 200, 1);
            for (std::int64_t k = std::max<std::int64_t>(first, 0);
                 k < std::min<std::int64_t>(last, static_cast<std::int64_t>(samples->values.size())); k += step)
                peak = std::max(peak, std::abs(samples->values[static_cast<std::size_t>(k)]));
            const double tall = std::max(static_cast<double>(peak) * (wave - 2), 1.0);
            q.fillRect(QRectF(x, (wave - tall) / 2, 1, tall), t.muted);
        }
    }
    p.drawImage(strip.topLeft(), sound_picture_);
    p.setFont(text_font(8));
    p.setPen(t.muted);
    p.drawText(QRectF(14, strip.y(), layout_.names - 22, strip.height()), Qt::AlignLeft | Qt::AlignVCenter,
               spec ? QString::fromStdString(spec->name) : QString());
}

// Where a copy is entered by what plays it, and left again: a wedge that points into the visit, and a bar at its end.
void LanesView::paint_visits(QPainter& p, const ArrangementShow& a, std::size_t index,
                             const std::vector<double>& frames, double ratio, double y) const {
    const CopyPlaying* playing = a.clocks.playing();
    if (!playing || frames.size() < 2) return;
    const double high = std::min(3.4, layout_.row_pixels() * 0.36),
                 step = (frames.back() - frames.front()) / static_cast<double>(frames.size() - 1);
    const double delay = a.clocks[index].delay;
    auto x_of = [&](double t) { return (t + delay - frames.front()) / step / ratio; };
    for (const CopyPlaying::Visit& visit : playing->visits(a.clocks.played(index))) {
        const double from = x_of(visit.from), to = x_of(visit.to);
        if (std::isfinite(from))
            p.drawPolygon(QPolygonF({QPointF(from, y - high), QPointF(from + 1.6 * high, y), QPointF(from, y + high)}));
        if (std::isfinite(to)) p.drawRect(QRectF(to - 1, y - high, 2, 2 * high));
    }
}

void LanesView::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    if (stale_) render();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(t.panel);
    p.drawRoundedRect(rect(), 6, 6);
    if (hasFocus()) {
        p.setPen(QPen(t.accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
    }
    if (order_.empty()) {
        p.setPen(t.muted);
        p.drawText(rect(), Qt::AlignCenter, tr("No copies yet. Gather a source, then arrange copies of it."));
        return;
    }
    p.drawImage(layout_.names, layout_.head, picture_);
    paint_sound(p);
    paint_beats(p);

    const Show& show = *document_.show();
    const double rp = layout_.row_pixels();
    const auto& selection = viewing_.selection();
    const std::int64_t current = viewing_.current_copy();
    p.setClipRect(QRect(0, layout_.head, width(), layout_.plot_height()));
    const bool names = rp >= 7;
    p.setFont(text_font(rp >= 11 ? 8 : 6.5));
    const Colouring colouring(show, viewing_, document_.project());
    const Ramp& swatch = Ramp::get(colouring.legend().cyclic ? RampKind::cyclic : RampKind::sequential);
    const auto first = static_cast<std::int64_t>(std::floor(layout_.scroll));
    const auto shown = static_cast<std::int64_t>(std::ceil(layout_.rows_shown())) + 1;
    for (std::int64_t r = first; r < std::min(layout_.rows, first + shown); ++r) {
        const std::int64_t copy = order_[static_cast<std::size_t>(r)];
        const double y = layout_.y_of(static_cast<double>(r));
        const bool picked = selection.count(copy) > 0;
        if (picked || (copy == current && names)) {
            p.setPen(Qt::NoPen);
            p.setBrush(picked ? t.raised : t.panel.lighter(t.dark ? 118 : 97));
            p.drawRect(QRectF(6, y, layout_.names - 10, rp));
            if (picked) {
                p.setBrush(t.rose);
                p.drawRect(QRectF(layout_.names - 4, y, 3, std::max(rp - 1, 1.0)));
            }
        }
        std::size_t index = 0;
        const ArrangementShow* a = show.find(copy, index);
        if (!a) continue;
        if (const auto share = colouring.still_share(*a, index)) { // what the Scene colours the copy by
            p.fillRect(QRectF(5, y, 4, std::max(rp - (rp >= 4 ? 1 : 0), 1.0)), QColor(swatch.at(*share)));
        }
        if (!names) continue;
        p.setPen(picked ? t.text : t.muted);
        p.drawText(QRectF(14, y - 1, 40, rp + 1), Qt::AlignLeft | Qt::AlignVCenter,
                   QString::fromStdString(copy_name(copy, show.copies())));
        const double delay = std::round(a->clocks[index].delay * 10) / 10;
        const QString by = QString::fromStdString(short_number(std::abs(delay), 1));
        QString words = delay == 0 ? tr("on time") : delay > 0 ? tr("%1 f later").arg(by) : tr("%1 f ahead").arg(by);
        if (a->clocks[index].rate != 1) words += QStringLiteral(" · ×%1").arg(a->clocks[index].rate, 0, 'f', 2);
        p.drawText(QRectF(48, y - 1, layout_.names - 62, rp + 1), Qt::AlignLeft | Qt::AlignVCenter, words);
        if (nudge_of(copy) != 0) { // the mark of a nudge: double-click clears it
            p.setPen(Qt::NoPen);
            p.setBrush(t.accent);
            const QPointF c(layout_.names - 10, y + rp / 2 - 0.5);
            p.drawPolygon(QPolygonF({c + QPointF(-3, 0), c + QPointF(0, -3), c + QPointF(3, 0), c + QPointF(0, 3)}));
        }
    }
    p.setClipping(false);

    // Frame numbers below, the playhead over everything.
    p.setFont(text_font(7.5));
    const TimeAxis axis = layout_.axis();
    paint_frame_numbers(p, axis, axis.numbered(70, true), QRectF(0, layout_.head + layout_.plot_height(), width(), 20));
    if (axis.shows(viewing_.frame().value)) paint_playhead(p);
}

void LanesView::paint_playhead(QPainter& p) const {
    const Tokens& t = tokens();
    const double x = layout_.x_of(viewing_.frame().value);
    p.setPen(QPen(t.rose, 1.5));
    p.drawLine(QPointF(x, layout_.head - 4), QPointF(x, layout_.head + layout_.plot_height() + 2));
    p.setPen(Qt::NoPen);
    p.setBrush(t.rose);
    const QString number = QString::fromStdString(short_number(viewing_.frame().value, 2));
    p.setFont(text_font(8, true));
    const double wide = p.fontMetrics().horizontalAdvance(number) + 14;
    const QRectF tag(x - wide / 2, layout_.head - 18, wide, 15);
    p.drawRoundedRect(tag, 4, 4);
    p.setPen(t.dark ? t.ground : t.panel);
    p.drawText(tag, Qt::AlignCenter, number);
}

// Beats over the rows (bars stronger), markers and camera keys at the foot.
void LanesView::paint_beats(QPainter& p) const {
    const Tokens& t = tokens();
    const Settings& s = document_.project().settings;
    const double top = layout_.head, bottom = layout_.head + layout_.plot_height();
    const TimeAxis axis = layout_.axis();
    for (const BeatLine& beat : beat_lines(axis, s.tempo, s.rate)) {
        QColor colour = t.ground;
        colour.setAlphaF(beat.bar ? 0.75f : 0.35f);
        const double x = axis.x(beat.frame);
        p.setPen(QPen(colour, 1));
        p.drawLine(QPointF(x, top), QPointF(x, bottom));
        p.setPen(QPen(t.accent, 1));
        p.drawLine(QPointF(x, bottom), QPointF(x, bottom + (beat.bar ? 4 : 2)));
    }
    p.setFont(text_font(7.5));
    paint_markers(p, axis, s.markers, top - 10, bottom);
    p.setPen(Qt::NoPen);
    p.setBrush(t.text);
    for (const CameraKey& k : s.camera_keys) {
        if (!axis.shows(k.at.value)) continue;
        p.drawRect(QRectF(layout_.x_of(k.at.value) - 2.5, bottom + 1, 5, 4));
    }
}

} // namespace garland
