// How the Lanes are drawn over their rows' picture: sound, visits, names, beats, the playhead.
#include "app/lanes/lanes_view.h"

#include "app/theme/number_text.h"
#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "app/time_axis/time_axis_paint.h"

#include <QPainter>

namespace garland {

// The first sound over the same time: its waveform above, its bands below it, the lowest at the bottom.
void LanesView::paint_sound(QPainter& p) {
    const auto& sounds = document_.show()->levels.sounds;
    if (sounds.empty()) return;
    const Tokens& t = tokens();
    const SoundId id = sounds.begin()->first;
    const SoundLevels& levels = *sounds.begin()->second;
    const SoundSpec* spec = document_.project().sound(id);
    const auto open = document_.library().open().sounds.find(id);
    const QRect strip(layout_.names, 28, layout_.plot_width(), sound_height);
    if (sound_picture_.isNull()) {
        sound_picture_ = QImage(strip.size(), QImage::Format_ARGB32_Premultiplied);
        sound_picture_.fill(t.ground);
        QPainter q(&sound_picture_);
        constexpr int wave = 14;
        const SoundSamples* samples =
            open == document_.library().open().sounds.end() ? nullptr : open->second.samples.get();
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

// What stands at the left of the rows: who is picked, the colour of the Scene, names and what they say.
void LanesView::paint_names(QPainter& p) const {
    const Tokens& t = tokens();
    const Show& show = *document_.show();
    const double rp = layout_.row_pixels();
    const auto& selection = viewing_.selection();
    const std::int64_t current = viewing_.current_copy();
    p.setClipRect(QRect(0, layout_.head, width(), layout_.plot_height()));
    const bool names = rp >= 7;
    p.setFont(text_font(rp >= 11 ? 8 : 6.5));
    const double name_wide =
        p.fontMetrics().horizontalAdvance(QString::fromStdString(copy_name(show.copies() - 1, show.copies())));
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
        if (names) paint_name(p, copy, picked, name_wide, y);
    }
    p.setClipping(false);
}

void LanesView::paint_name(QPainter& p, std::int64_t copy, bool picked, double name_wide, double y) const {
    const Tokens& t = tokens();
    const Show& show = *document_.show();
    const double rp = layout_.row_pixels();
    std::size_t index = 0;
    const ArrangementShow* a = show.find(copy, index);
    if (!a) return;
    p.setPen(picked ? t.text : t.muted);
    p.drawText(QRectF(14, y - 1, name_wide + 1, rp + 1), Qt::AlignLeft | Qt::AlignVCenter,
               QString::fromStdString(copy_name(copy, show.copies())));
    const double delay = std::round(a->clocks[index].delay * 10) / 10;
    const QString by = number_text(std::abs(delay), 1);
    QString words = delay == 0 ? tr("on time") : delay > 0 ? tr("%1 f later").arg(by) : tr("%1 f ahead").arg(by);
    if (a->clocks[index].rate != 1) words += QStringLiteral(" · ×%1").arg(a->clocks[index].rate, 0, 'f', 2);
    const QRectF beside(20 + name_wide, y - 1, layout_.names - 34 - name_wide, rp + 1);
    p.drawText(beside, Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(words, Qt::ElideRight, static_cast<int>(beside.width())));
    if (nudge_of(copy) != 0) { // the mark of a nudge: double-click clears it
        p.setPen(Qt::NoPen);
        p.setBrush(t.accent);
        const QPointF c(layout_.names - 10, y + rp / 2 - 0.5);
        p.drawPolygon(QPolygonF({c + QPointF(-3, 0), c + QPointF(0, -3), c + QPointF(3, 0), c + QPointF(0, 3)}));
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

    paint_names(p);

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
    const QString number = number_text(viewing_.frame().value, 2);
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
