// What lies over the Scene's picture and on its ground: legend, words, the pattern of a spread, a path being drawn.
#include "app/scene_view/scene_view.h"

#include "app/theme/number_text.h"
#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "core/base/numbers.h"
#include "core/project/ahead.h"

#include <QMouseEvent>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QPainter>
#include <cmath>

namespace garland {

SceneMarks SceneView::marks() {
    SceneMarks m;
    m.cords = &cords_;
    if (pattern_.side > 0) m.pattern = &pattern_;
    for (ZoneShell& shell : shells_of(document_.show()->levels, viewing_.frame().value)) {
        for (Polyline& line : shell.inner) m.zones.inner.push_back(std::move(line));
        for (Polyline& line : shell.outer) m.zones.outer.push_back(std::move(line));
        if (!viewing_.zones_held()) continue;
        if (!shell.way.empty()) m.zones.ways.push_back(std::move(shell.way));
        m.zones.handles.push_back(V3f(shell.place));
        for (const ZoneHandle& handle : shell.handles) m.zones.handles.push_back(V3f(handle.at));
    }
    if (viewing_.place_held()) {
        if (auto handles = place_handles(document_, viewing_.arrangement(), viewing_.frame().value)) {
            if (!handles->way.empty()) m.zones.ways.push_back(std::move(handles->way));
            m.zones.handles.push_back(V3f(handles->place));
            for (const auto& at : {handles->turn, handles->size})
                if (at) m.zones.handles.push_back(V3f(*at));
        }
    }
    if (const Arrangement* a = document_.project().arrangement(viewing_.drawing())) {
        for (const V3d& p : viewing_.drawn()) m.path.emplace_back(V3f(to_scene(*a, p)));
    }
    return m;
}

SceneDrawing SceneView::draw(QPainter& painter) const {
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), tokens().sky);
    if (!scene_) return {};
    const Colouring colouring(*scene_->show, viewing_, document_.project());
    const Ramp& ramp = Ramp::get(colouring.legend().cyclic ? RampKind::cyclic : RampKind::sequential);
    auto colour = [&](const SceneCopy& c) {
        const DrawPose& pose = *scene_->poses[c.pose];
        if (colouring.mode() == ColourMode::look) {
            if (!pose.coloured) return QColor("#D9A873"); // clay
            auto part = [](float v) { return static_cast<int>(std::clamp(v, 0.0f, 1.0f) * 255); };
            return QColor(part(pose.colour.x), part(pose.colour.y), part(pose.colour.z));
        }
        const auto share = colouring.share(*c.arrangement, c.index, c.moment);
        return share ? QColor(ramp.at(*share)) : tokens().muted;
    };
    return draw_scene(painter, *scene_, orbit_, size(), colour, tokens().accent);
}

// Lays a pattern over the ground about some places, as high as they stand on average. colour: of a place, with how much
// of it covers the ground, 0 … 1.
void SceneView::lay_pattern(const std::vector<Placement>& places, int side,
                            const std::function<std::pair<QRgb, double>(const V3d& place)>& colour) {
    Imath::Box3d box;
    double height = 0;
    for (const Placement& p : places) {
        box.extendBy(p.position);
        height += p.position.y / static_cast<double>(places.size());
    }
    const double margin = std::max({box.size().x, box.size().z, 2.0}) * 0.2;
    pattern_.side = side;
    pattern_.low_x = static_cast<float>(box.min.x - margin), pattern_.high_x = static_cast<float>(box.max.x + margin);
    pattern_.low_z = static_cast<float>(box.min.z - margin), pattern_.high_z = static_cast<float>(box.max.z + margin);
    pattern_.pixels.resize(static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
    ++pattern_.serial;
    for (int z = 0; z < side; ++z) {
        for (int x = 0; x < side; ++x) {
            const double across = (x + 0.5) / side, down = (z + 0.5) / side;
            const V3d place(pattern_.low_x + across * (pattern_.high_x - pattern_.low_x), height,
                            pattern_.low_z + down * (pattern_.high_z - pattern_.low_z));
            const auto [c, cover] = colour(place);
            const double edge = std::min({across, 1 - across, down, 1 - down}) / 0.08; // fades at its rim
            const auto alpha =
                static_cast<std::uint32_t>(150 * std::clamp(edge, 0.0, 1.0) * std::clamp(cover, 0.0, 1.0));
            pattern_.pixels[static_cast<std::size_t>(z * side + x)] =
                static_cast<std::uint32_t>(qRed(c)) | static_cast<std::uint32_t>(qGreen(c)) << 8 |
                static_cast<std::uint32_t>(qBlue(c)) << 16 | alpha << 24;
        }
    }
}

// What the shown spread would give at any place; or the level that zones give at this moment.
void SceneView::make_pattern() {
    pattern_.side = 0;
    const Ramp& ramp = Ramp::get(RampKind::sequential);
    const double t = viewing_.frame().value;
    if (viewing_.colour() == ColourMode::level) {
        for (const ArrangementShow& a : document_.show()->arrangements) {
            const CopyPlaying* playing = a.clocks.playing();
            if (a.id != viewing_.arrangement() || !playing || !playing->levels().by_place() || a.places.empty())
                continue;
            return lay_pattern(a.places.list(), 96, [&](const V3d& place) {
                double level = 0;
                for (const auto& zone : playing->levels().zones())
                    level = std::max(level, zone->level(t, {place, V3d(0)}).value);
                return std::pair(ramp.at(level), level * 4);
            });
        }
    }
    if (viewing_.colour() != ColourMode::spread) return;
    for (const ArrangementShow& a : document_.show()->arrangements) {
        const GivenValues* given = given_by(*document_.show(), a.id, viewing_.shown_spread());
        if (!given || a.shown.set->places.empty()) continue;
        const std::vector<Placement>& places = a.shown.set->places;
        const SpacePattern pattern(given->spread, places);
        if (!pattern.there()) return;
        const auto [least, most] = std::minmax_element(given->values.begin(), given->values.end());
        const double low = *least, high = *most, seconds = document_.project().settings.rate.start_of(t).value;
        return lay_pattern(places, 128, [&](const V3d& place) {
            const double v = pattern.at(place, seconds);
            return std::pair(ramp.at(high > low ? std::clamp((v - low) / (high - low), 0.0, 1.0) : 0.0), 1.0);
        });
    }
}

void SceneView::show_drawing() {
    const bool on = viewing_.drawing() != ArrangementId();
    drawing_->setVisible(on);
    const auto points = static_cast<long long>(viewing_.drawn().size());
    drawing_words_->setText(
        points == 0
            ? tr("Click on the ground to draw the path")
            : tr("%1; Backspace removes the last one").arg(QString::fromStdString(counted(points, "point", "points"))));
    drawing_done_->setEnabled(points >= 2);
    if (canvas_) canvas_->setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
    if (on && canvas_) canvas_->setFocus();
    place_overlays();
    redraw();
}

QString SceneView::empty_words() const {
    if (document_.project().sources.empty()) return tr("No sources yet. Drop files here.");
    const std::int64_t copies = document_.show()->copies();
    if (copies == 0 || !(busy_ || settle_.isActive())) return tr("No copy is shown at this frame");
    return tr("Making the poses of %1 …").arg(QString::fromStdString(counted(copies, "copy", "copies")));
}

void SceneView::update_texts() {
    LegendText legend = Colouring(*document_.show(), viewing_, document_.project()).legend();
    if (scene_ && scene_->second && scene_->gap_known) {
        legend.shown = true;
        legend.cyclic = false;
        legend.title = tr("gap to the pose at frame %1").arg(number_text(scene_->second->frame.value));
        legend.low = QStringLiteral("0");
        legend.high = tr("%1 m").arg(number_text(scene_->gap_most));
    }
    legend_->show_text(legend);
    QString text;
    const bool wrong = !failed_.isEmpty() || !problem_.isEmpty();
    if (wrong) {
        text = failed_.isEmpty() ? problem_ : failed_;
    } else if (!scene_ || scene_->copies.empty()) {
        text = empty_words();
    } else {
        const auto copies = static_cast<long long>(scene_->copies.size()),
                   poses = static_cast<long long>(scene_->poses.size());
        text = QString::fromStdString(counted(copies, "copy", "copies")) + QStringLiteral(" · ") +
               QString::fromStdString(counted(poses, "pose made once", "poses made once"));
        if (!drawn_.whole()) { // only for as long as that is so
            text += QStringLiteral(" · ") +
                    (drawn_.light > 0 ? tr("%1 drawn simpler for the moment, by up to %2")
                                            .arg(drawn_.light)
                                            .arg(QString::fromStdString(
                                                counted_number(std::round(drawn_.error * 10) / 10, "pixel", "pixels")))
                                      : tr("%1 particles left out for the moment").arg(drawn_.dots_left_out));
        }
        if (scene_->second) {
            text += QStringLiteral(" · ") + (scene_->gap_known
                                                 ? tr("second pose: up to %1 m away, %2 m RMS")
                                                       .arg(number_text(scene_->gap_most), number_text(scene_->gap_rms))
                                                 : tr("second pose: no copy with the same points"));
        }
        if (scene_->nearest_instead > 0) {
            text += QStringLiteral(" · ") +
                    tr("%1 shown at the nearest frame, as their faces change").arg(scene_->nearest_instead);
        }
    }
    info_->setObjectName(wrong ? "alert" : "note");
    QColor back = tokens().sky; // readable over whatever is drawn
    back.setAlphaF(0.72f);
    info_->setStyleSheet(
        QStringLiteral("color: %1; background: rgba(%2, %3, %4, %5); border-radius: 4px; padding: 1px 4px;")
            .arg((wrong ? tokens().alert : tokens().text).name())
            .arg(back.red())
            .arg(back.green())
            .arg(back.blue())
            .arg(back.alpha()));
    info_->setWordWrap(true);
    info_->setText(text);
    place_overlays();
}

void SceneView::resizeEvent(QResizeEvent*) {
    place_overlays();
}

void SceneView::place_overlays() {
    if (canvas_) canvas_->setGeometry(rect());
    if (notice_) notice_->setGeometry(rect().adjusted(20, 60, -20, -60));
    modes_->adjustSize();
    modes_->move(12, 12);
    modes_->raise();
    tools_->adjustSize();
    // Beside the colouring where there is room, below it where there is not.
    const bool beside = modes_->width() + tools_->width() + 36 < width();
    tools_->move(beside ? width() - tools_->width() - 12 : 12, beside ? 12 : 16 + modes_->height());
    tools_->raise();
    modes_->button(static_cast<int>(ColourMode::spread))->setVisible(viewing_.shown_spread() != SpreadId());
    const auto& all = document_.show()->arrangements;
    modes_->button(static_cast<int>(ColourMode::level))
        ->setVisible(viewing_.colour() == ColourMode::level ||
                     std::any_of(all.begin(), all.end(),
                                 [](const ArrangementShow& a) { return a.clocks.playing() != nullptr; }));
    drawing_->adjustSize();
    drawing_->move(12, std::max(tools_->geometry().bottom(), modes_->geometry().bottom()) +
                           8); // above the ground that is drawn on
    drawing_->raise();
    legend_->resize(legend_->wanted_width(), 56);
    legend_->move(width() - legend_->width() - 12, height() - legend_->height() - 10);
    legend_->raise();
    const int wide = width() - 28 - (legend_->isVisibleTo(this) ? legend_->width() + 16 : 0);
    const int high = info_->heightForWidth(wide) > 0 ? info_->heightForWidth(wide) : info_->sizeHint().height();
    const int needed = std::min(wide, info_->fontMetrics().horizontalAdvance(info_->text()) + 16);
    info_->setGeometry(14, height() - high - 12, needed, high);
    info_->raise();
}

} // namespace garland
