// How the chosen range is closed: the fields of the Loop step's card, and the seam that is left.
#include "app/panels/loop/found_loops.h"
#include "app/panels/loop/loop_panel.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"
#include "app/widgets/curve_edit.h"
#include "app/widgets/pose_picture.h"
#include "core/geometry/stand_in.h"

#include <QPainter>

namespace garland {

namespace {

bool has_fade(const Closing& c) {
    return c.way != ClosingWay::cut;
}
bool layered(const Closing& c) {
    return c.way == ClosingWay::end_fade || c.way == ClosingWay::half_shift;
}
bool drawn_by_hand(const Closing& c) {
    return !c.drawn_in.empty() || !c.drawn_out.empty();
}

struct Measured {
    Seam seam;
    PosePtr first, last;
};

} // namespace

void LoopPanel::make_closing_card() {
    fields_ = std::make_unique<Fields<Closing>>(
        document_, this, QStringLiteral("closing"),
        [this](const QString& words, const std::function<void(Closing&)>& change, const QString&) {
            Closing wanted = draft_;
            change(wanted);
            if (wanted.way != draft_.way) wanted_way_ = wanted.way;
            if (wanted.overlap != draft_.overlap) wanted_overlap_ = wanted.overlap;
            set(words, change);
        });
    auto* card = make_card();
    auto* across = new QHBoxLayout(card);
    across->setContentsMargins(12, 8, 12, 10);
    across->setSpacing(8);
    auto* column = new QVBoxLayout;
    column->setSpacing(6);
    state_ = make_label({}, nullptr);
    state_->setWordWrap(true);
    column->addWidget(state_);
    make_range_row(column);
    make_fade_row(column);
    make_drawn_row(column);
    numbers_ = make_label({}, "muted");
    numbers_->setWordWrap(true);
    column->addWidget(numbers_);
    problem_ = make_label({}, "alert");
    problem_->setWordWrap(true);
    problem_->hide();
    column->addWidget(problem_);
    add_buttons(column);
    across->addLayout(column, 1);
    add_ends(across);
    body()->addWidget(card);
}

void LoopPanel::make_range_row(QVBoxLayout* column) {
    auto* range = add_row(column);
    fields_->number(
        range, tr("Start"), Quantity::source_frames, -1e9, 1e9, 0, 1, tr("The loop's first frame, as the files count"),
        [](const Closing& c) { return static_cast<double>(c.start); },
        [](Closing& c, double v) { c.start = static_cast<std::int64_t>(v); });
    fields_->number(
        range, tr("Length"), Quantity::source_frames, 1, 1e7, 0, 1, tr("Frames until the first pose returns"),
        [](const Closing& c) { return static_cast<double>(c.length); },
        [](Closing& c, double v) { c.length = static_cast<std::int64_t>(v); });
    fields_->choice(
        range, tr("Blend the ends"), {tr("none"), tr("fade the end"), tr("two layers"), tr("spread the gap")},
        tr("None: the ends already match. Fade the end: the end is blended into the frames before the start. "
           "Two layers, half a loop apart, each fade out where they jump. Spread the gap: the difference is "
           "distributed "
           "over the whole loop, without a double image."),
        [](const Closing& c) { return static_cast<int>(c.way); },
        [](Closing& c, int i) { c.way = static_cast<ClosingWay>(i); });
    close_row(range);
}

void LoopPanel::make_fade_row(QVBoxLayout* column) {
    auto* fade = add_row(column);
    fields_->number(
        fade, tr("Overlap"), Quantity::source_frames, 1, 1e7, 0, 1,
        tr("Frames over which the end fades; as many are needed before the start"),
        [](const Closing& c) { return static_cast<double>(c.overlap); },
        [](Closing& c, double v) { c.overlap = static_cast<std::int64_t>(v); },
        [](const Closing& c) { return c.way == ClosingWay::end_fade; });
    fields_->choice(
        fade, tr("Fade"), {tr("straight"), tr("smooth"), tr("drawn")},
        tr("How the weight goes from one to the other; drawn: by hand, below"),
        [](const Closing& c) { return drawn_by_hand(c) ? 2 : static_cast<int>(c.curve); },
        [](Closing& c, int i) {
            c.drawn_out.clear();
            c.drawn_in = i == 2 ? KeyedCurve{{0, 0, Toward::smooth}, {1, 1, Toward::linear}} : KeyedCurve{};
            if (i < 2) c.curve = static_cast<FadeCurve>(i);
        },
        has_fade);
    fields_->choice(
        fade, tr("Layers"), {tr("mixed"), tr("added"), tr("larger"), tr("densest first")},
        tr("Mix: weights add up to 1. Add: squared weights add up to 1, which keeps the contrast of unlike layers. For "
           "volumes: the larger value, or a mix in which what is dense changes over sooner."),
        [](const Closing& c) { return static_cast<int>(c.mix); },
        [](Closing& c, int i) { c.mix = static_cast<LayerMix>(i); }, layered);
    fields_->check(
        fade, tr("keep contrast"),
        tr("Mix about the mean pose, so that the middle of a fade does not look flattened (points only)"),
        [](const Closing& c) { return c.keep_contrast; }, [](Closing& c, bool on) { c.keep_contrast = on; },
        [this](const Closing& c) { return open() && contrast_counts(c, open()->source->facts().kind); });
    close_row(fade);
}

// A weight that is drawn over the fade.
std::pair<QLabel*, CurveEdit*> LoopPanel::add_curve(QHBoxLayout* row, const QString& label, const QString& tip,
                                                    bool rises, KeyedCurve Closing::*keys) {
    auto* words = make_label(label);
    auto* edit = new CurveEdit(0, 1, rises ? 0 : 1, rises);
    edit->setFixedSize(110, 44);
    edit->setAccessibleName(label);
    edit->setToolTip(
        tip + tr("\nClick to set a point, drag it; right-click changes how it goes on; double-click removes it."));
    connect(edit, &CurveEdit::edited, this, [this, keys, rises, label](const KeyedCurve& drawn_curve) {
        KeyedCurve next = drawn_curve;
        if (!next.empty()) { // a fade leads from one end to the other, or the loop would jump
            if (next.front().at > 0) next.insert(next.begin(), {0, 0, Toward::linear});
            if (next.back().at < 1) next.push_back({1, 0, Toward::linear});
            next.front().value = rises ? 0 : 1;
            next.back().value = rises ? 1 : 0;
        }
        fields_->change(
            tr("Draw the fade: %1").arg(label), [&](Closing& c) { c.*keys = next; },
            QStringLiteral("closing-drawn-%1").arg(rises));
    });
    connect(edit, &CurveEdit::settled, &document_, &Document::end_merge);
    row->addWidget(words);
    row->addWidget(edit);
    return {words, edit};
}

void LoopPanel::make_drawn_row(QVBoxLayout* column) {
    auto* drawn = add_row(column);
    const auto [in_words, in_curve] =
        add_curve(drawn, tr("comes in"),
                  tr("The weight of the layer that comes in, over the fade; without points: as Fade says."), true,
                  &Closing::drawn_in);
    const auto [out_words, out_curve] =
        add_curve(drawn, tr("goes"),
                  tr("The weight of the layer that goes, over the fade; without points: what the other leaves."), false,
                  &Closing::drawn_out);
    const auto drawn_layers = [](const Closing& c) { return layered(c) && drawn_by_hand(c); };
    fields_->keep({in_words, in_curve, out_words, out_curve}, drawn_layers,
                  [in_curve = in_curve, out_curve = out_curve](const Closing& c) {
                      in_curve->set_curve(c.drawn_in);
                      out_curve->set_curve(c.drawn_out.empty()
                                               ? KeyedCurve{{0, 1, Toward::linear}, {1, 0, Toward::linear}}
                                               : c.drawn_out);
                  });
    close_row(drawn);
}

void LoopPanel::add_buttons(QVBoxLayout* column) {
    auto* go = new QHBoxLayout;
    close_ =
        make_button(tr("Close the loop"), tr("Make this range the source, and let the timings that show it repeat it"));
    close_->setObjectName("primary");
    connect(close_, &QPushButton::clicked, this, &LoopPanel::close_it);
    again_ = make_button(tr("Undo closing"), tr("Restore all frames of the source"));
    connect(again_, &QPushButton::clicked, this, &LoopPanel::open_again);
    across_ =
        make_button(tr("Play across the seam"), tr("Play the frames around the seam over and over (Shift+Space)"));
    connect(across_, &QPushButton::clicked, this, [this] { viewing_.play_across_wrap(); });
    go->addWidget(close_);
    go->addWidget(again_);
    go->addWidget(across_);
    go->addStretch(1);
    column->addLayout(go);
}

void LoopPanel::add_ends(QHBoxLayout* across) {
    auto* ends = new QVBoxLayout;
    ends->setSpacing(3);
    ends_ = new QLabel;
    ends_->setFixedSize(88, 84);
    ends_->setAccessibleName(tr("Both ends laid over each other"));
    ends_->setToolTip(tr("The pose at the loop's start, and in rose the one at its end"));
    ends_words_ = make_label({}, "muted");
    ends->addWidget(ends_);
    ends->addWidget(ends_words_);
    ends->addStretch(1);
    across->addLayout(ends);
}

void LoopPanel::measure() {
    if (measuring_) measuring_->drop();
    seam_.reset();
    const auto from = sampler();
    if (!from || draft_.length < 2) return show_seam();
    const SourceFacts& f = from->source()->facts();
    const auto fits = validate(draft_, f.first, f.last);
    problem_->setText(fits ? QString() : QString::fromStdString(describe(fits.error())));
    problem_->setVisible(!fits);
    close_->setEnabled(fits.has_value());
    if (!fits) return show_seam();
    measuring_ = document_.jobs().start<Measured>(
        this, tr("Measuring the seam"),
        [from = *from, closing = draft_](Progress& p) -> Result<Measured> {
            Measured m;
            GARLAND_TRY(seam, seam_of(from, closing, p));
            m.seam = seam;
            GARLAND_TRY(first, from.at(SourceFrame(static_cast<double>(closing.start)), p));
            GARLAND_TRY(last, from.at(SourceFrame(static_cast<double>(
                                          std::min(closing.start + closing.length, from.source()->facts().last))),
                                      p));
            m.first = stand_in(first.pose), m.last = stand_in(last.pose);
            return m;
        },
        [this](Result<Measured> m) {
            if (!m) {
                if (m.error().code == ErrorCode::cancelled) return;
                problem_->setText(QString::fromStdString(describe(m.error())));
                problem_->show();
                return;
            }
            seam_ = m->seam;
            show_seam();
            paint_ends(m->first, m->last);
        },
        JobKind::interactive);
    show_seam();
}

void LoopPanel::show_seam() {
    if (!seam_) {
        numbers_->setText(draft_.length > 1 ? tr("measuring …") : QString());
        return;
    }
    const Seam& s = *seam_;
    QString words = tr("Gap between the ends: %1 (%2 usual steps). Step across the seam: %3× the usual")
                        .arg(distance_words(s.gap, s.unit), number_text(s.in_steps(s.gap), 2),
                             number_text(s.in_steps(s.step_before), 2));
    words +=
        s.step_after > 0 ? tr(" before closing, %1× after.").arg(number_text(s.in_steps(s.step_after), 2)) : tr(".");
    numbers_->setText(words);
}

// The last pose in rose over the first in its own paint.
void LoopPanel::paint_ends(const PosePtr& first, const PosePtr& last) {
    const double ratio = devicePixelRatioF();
    const int wide = static_cast<int>(88 * ratio), high = static_cast<int>(84 * ratio);
    PictureStyle style;
    style.use_colours = false;
    style.frame = bounds(*first);
    style.frame.extendBy(bounds(*last));
    style.paint = tokens().dark ? QColor("#7FB7B2") : QColor("#2F7D78");
    QImage picture(wide, high, QImage::Format_ARGB32_Premultiplied);
    picture.fill(tokens().ground);
    QPainter p(&picture);
    p.drawImage(0, 0, pose_picture(*first, wide, high, style));
    style.paint = tokens().rose;
    p.setOpacity(0.55);
    p.drawImage(0, 0, pose_picture(*last, wide, high, style));
    p.end();
    QPixmap pixels = QPixmap::fromImage(picture);
    pixels.setDevicePixelRatio(ratio);
    ends_->setPixmap(pixels);
    ends_words_->setText(tr("frame %1\n%2 in rose").arg(draft_.start).arg(draft_.start + draft_.length));
}

} // namespace garland
