#include "app/lanes/lanes_view.h"

#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "app/widgets/parts.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <numeric>
#include <utility>

namespace garland {

LanesView::LanesView(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing) {
    setObjectName("pane");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Lanes"));
    setMinimumHeight(90);
    layout_.head = 46;
    add_head();
    add_bars();
    follow();
    refresh();
}

void LanesView::add_head() {
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
}

void LanesView::add_bars() {
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
}

void LanesView::follow() {
    connect(&document_, &Document::changed, this, &LanesView::refresh);
    connect(&document_, &Document::opened, this, &LanesView::show_all_frames);
    connect(&viewing_, &Viewing::frame_changed, this, [this] {
        TimeAxis axis = layout_.axis();
        if (zoomed_ && drag_ == Drag::none && !axis.shows(viewing_.frame().value)) { // else the rows stay as drawn
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
    // Room for the names of as many copies as there are.
    const int name_wide = QFontMetrics(text_font(8))
                              .horizontalAdvance(QString::fromStdString(
                                  copy_name(std::max<std::int64_t>(layout_.rows, 1) - 1, layout_.rows)));
    const int names = LanesLayout().names + std::max(0, name_wide - 34);
    if (std::exchange(layout_.names, names) != names) place_bars();
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
namespace {

// One line of pixels of a row.
struct RowLine {
    int y = 0;
    bool middle = false; // of its row, where marks are
    bool marks = false;  // rows are high enough for them
    double ratio = 1;    // pixels a logical pixel
};

// The colours of what a copy shows at each pixel, and on them what marks say.
void paint_line(QRgb* line, const std::vector<CopyMoment>& row, const ArrangementShow& a, const RowLine& about) {
    const Tokens& t = tokens();
    const Ramp& ramp = Ramp::get(seamless(a) ? RampKind::cyclic : RampKind::sequential);
    const double first = a.clock.first.value, span = std::max(a.clock.last() - a.clock.first, 1e-9);
    const int stroke = static_cast<int>(7 * about.ratio), dot = static_cast<int>(6 * about.ratio);
    for (int x = 0; x < static_cast<int>(row.size()); ++x) {
        const CopyMoment& m = row[static_cast<std::size_t>(x)];
        if (m.has(mark_absent)) continue; // bare ground
        QRgb colour = ramp.at((m.source - first) / span);
        if (about.marks) {
            if (m.has(mark_held) && about.middle) colour = t.ground.rgb(); // a thin line
            // Slanted strokes, against the way time runs.
            if (m.has(mark_backward) && (x + about.y) % stroke == 0) colour = t.ground.rgb();
            const bool clamped = m.has(mark_clamped_first) || m.has(mark_clamped_last);
            if (clamped && about.middle && x % dot < 2) colour = t.alert.rgb(); // dots
        }
        line[x] = colour;
    }
}

} // namespace

void LanesView::render() {
    stale_ = false;
    sound_picture_ = {};
    const double ratio = devicePixelRatioF();
    const int w = std::max(1, static_cast<int>(layout_.plot_width() * ratio));
    const int h = std::max(1, static_cast<int>(layout_.plot_height() * ratio));
    picture_ = QImage(w, h, QImage::Format_RGB32);
    picture_.fill(tokens().panel.rgb());
    picture_.setDevicePixelRatio(ratio);
    if (order_.empty()) return;
    std::vector<double> frames(static_cast<std::size_t>(w));
    for (int x = 0; x < w; ++x)
        frames[static_cast<std::size_t>(x)] = layout_.frame_at(layout_.names + (x + 0.5) / ratio);
    const int lines = render_rows(frames, ratio);
    if (layout_.row_pixels() * ratio >= 5) render_beads(frames, ratio, lines);
}

int LanesView::render_rows(const std::vector<double>& frames, double ratio) {
    const Show& show = *document_.show();
    const int h = picture_.height();
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
            const double top = thin ? static_cast<double>(k) : (row_index - layout_.scroll) * row_pixels;
            const int y0 = std::max(0, static_cast<int>(std::lround(top)));
            const int gap = row_pixels >= 6 ? 1 : 0;
            const int y1 = std::min(h, thin ? y0 + 1 : static_cast<int>(std::lround(top + row_pixels)) - gap);
            for (int y = y0; y < y1; ++y) {
                const bool middle = y == (y0 + y1 - 1) / 2;
                paint_line(reinterpret_cast<QRgb*>(bits + y * stride), row, *a, {y, middle, row_pixels >= 5, ratio});
            }
        }
    });
    return lines;
}

// Where a pass begins: drawn over the rows.
void LanesView::render_beads(const std::vector<double>& frames, double ratio, int lines) {
    const Show& show = *document_.show();
    const Tokens& t = tokens();
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

} // namespace garland
