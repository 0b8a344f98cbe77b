#include "app/panels/retime/sections.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"

#include <QKeyEvent>

namespace garland {

namespace {
struct Button {
    OperationKind kind;
    const char* text;
    const char* tip;
};
const Button all_buttons[] = {
    {OperationKind::hold, QT_TR_NOOP("Hold"),
     QT_TR_NOOP("Hold the pose at the playhead and push the rest later, or keep the end (H: at once)")},
    {OperationKind::freeze, QT_TR_NOOP("Freeze"), QT_TR_NOOP("Hold the pose at the playhead from there on")},
    {OperationKind::reverse, QT_TR_NOOP("Reverse"),
     QT_TR_NOOP("Play the selected stretch, or the whole timing, backward (V: at once)")},
    {OperationKind::fit, QT_TR_NOOP("Fit"), QT_TR_NOOP("Play source frames onto output frames at one speed")},
    {OperationKind::speed, QT_TR_NOOP("Speed"), QT_TR_NOOP("Multiply the speed; what follows shifts")},
    {OperationKind::slow, QT_TR_NOOP("Slow between"),
     QT_TR_NOOP("Another speed between two output frames, with ramps on both sides")},
    {OperationKind::ramp, QT_TR_NOOP("Ramp"),
     QT_TR_NOOP("Change evenly from 1× to another speed, then keep it; 0 comes to a stop")},
    {OperationKind::start, QT_TR_NOOP("Start at"), QT_TR_NOOP("Hold the first pose until the playhead, then play")},
    {OperationKind::lengthen, QT_TR_NOOP("Lengthen"),
     QT_TR_NOOP("Go on at the end as it goes there, until the source's last frame is shown")},
    {OperationKind::trim, QT_TR_NOOP("Trim"), QT_TR_NOOP("Keep only some output frames")},
    {OperationKind::hide, QT_TR_NOOP("Hide"), QT_TR_NOOP("Show nothing at some output frames")},
};
bool uses_range(OperationKind k) {
    using enum OperationKind;
    return k == reverse || k == fit || k == speed || k == slow || k == ramp || k == trim || k == hide;
}
bool may_be_whole(OperationKind k) {
    return k == OperationKind::reverse || k == OperationKind::speed;
}
} // namespace

OperationsSection::OperationsSection(Document& document, Viewing& viewing, TimeMapView& map)
    : RetimeSection(document, viewing, map) {
    auto* column = rows(this);
    auto* strip = new QHBoxLayout;
    strip->setSpacing(3);
    for (const Button& b : all_buttons) {
        auto* button = make_button(tr(b.text), tr(b.tip));
        button->setCheckable(true);
        const OperationKind kind = b.kind;
        connect(button, &QPushButton::clicked, this,
                [this, kind](bool on) { choose(on ? std::optional(kind) : std::nullopt); });
        button->setProperty("tight", true);
        strip->addWidget(button);
        buttons_.emplace_back(kind, button);
    }
    strip->addStretch(1);
    column->addLayout(strip);

    row_ = new QWidget;
    auto* inner = rows(row_);
    auto* fields = new QHBoxLayout;
    fields->setSpacing(5);
    auto add = [&](QWidget* field, const QString& label) {
        auto* text = make_label(label);
        labels_[field] = text;
        fields->addWidget(text);
        fields->addWidget(field);
    };
    make_fields();
    add(at_, tr("at"));
    add(frames_, tr("for"));
    add(source_from_, tr("source"));
    add(source_to_, tr("to"));
    fields->addWidget(whole_);
    add(from_, tr("from"));
    add(to_, tr("to"));
    add(speed_, tr("at ×"));
    add(end_speed_, tr("down to ×"));
    add(ramps_, tr("ramps"));
    fields->addWidget(absorb_);
    fields->addStretch(1);
    apply_ = make_button(tr("Apply"), tr("Do it (Return in any of the fields)"));
    apply_->setObjectName("primary");
    connect(apply_, &QPushButton::clicked, this, [this] { apply(); });
    fields->addWidget(apply_);
    inner->addLayout(fields);
    words_ = make_label({}, "note");
    words_->setWordWrap(true);
    words_->setAccessibleName(tr("What it will do"));
    inner->addWidget(words_);
    column->addWidget(row_);
    for (NumberField* field : numbers_) {
        connect(field, &NumberField::edited, this, [this, field](double v) {
            if (field == at_) viewing_.set_frame(v);
            preview();
        });
        connect(field, &QLineEdit::returnPressed, this, [this] { apply(); });
    }
    for (QCheckBox* box : {whole_, absorb_}) {
        connect(box, &QCheckBox::clicked, this, [this] {
            lay_out();
            preview();
        });
    }
    connect(&map_, &TimeMapView::keys_picked, this, &OperationsSection::take_picked_range);
    connect(&viewing_, &Viewing::frame_changed, this, &OperationsSection::refresh);
    connect(&document_, &Document::opened, this, [this] { choose(std::nullopt); });
    lay_out();
}

void OperationsSection::make_fields() {
    using enum Quantity;
    at_ = number(output_frames, -frame_limit, frame_limit, 3, tr("At output frame"), tr("Follows the playhead"), 62);
    frames_ = number(output_frames, 0.01, 1e6, 2, tr("Frames to hold"), tr("How long the pose is held"), 58);
    frames_->set_value(12);
    source_from_ = number(source_frames, -frame_limit, frame_limit, 3, tr("First source frame"),
                          tr("The source frame at the start"), 58);
    source_to_ = number(source_frames, -frame_limit, frame_limit, 3, tr("Last source frame"),
                        tr("The source frame at the end"), 58);
    from_ = number(output_frames, -frame_limit, frame_limit, 3, tr("From output frame"),
                   tr("The first output frame of the stretch"), 58);
    to_ = number(output_frames, -frame_limit, frame_limit, 3, tr("To output frame"),
                 tr("The last output frame of the stretch"), 58);
    speed_ = number(plain, 0, 1000, 3, tr("Speed"), tr("Times as fast: 0.5 is half"), 52);
    speed_->set_value(0.5);
    speed_->set_step(0.05);
    end_speed_ = number(plain, 0, 1000, 3, tr("Speed at the end"), tr("0 comes to a stop"), 52);
    end_speed_->set_value(0);
    end_speed_->set_step(0.05);
    ramps_ = number(output_frames, 0, 1e6, 2, tr("Frames of each ramp"),
                    tr("How long it takes to slow down, and to speed up again"), 52);
    ramps_->set_value(12);
    whole_ = new QCheckBox(tr("all of it"));
    whole_->setToolTip(tr("The whole timing instead of a stretch"));
    whole_->setChecked(true);
    absorb_ = new QCheckBox(tr("keep the end"));
    absorb_->setToolTip(tr("The end stays where it is: what follows plays faster"));
}

void OperationsSection::choose(std::optional<OperationKind> kind) {
    chosen_ = kind;
    for (auto& [each, button] : buttons_) button->setChecked(kind == each);
    const Timing* t = timing();
    if (kind && t) {
        const FrameRange range = document_.project().settings.range;
        const double first = span_first(*t).value, last = first + span_length(*t);
        const double now = viewing_.frame().value;
        switch (*kind) {
        case OperationKind::fit: {
            from_->set_value(static_cast<double>(range.first));
            to_->set_value(static_cast<double>(range.last));
            const auto s = document_.show()->samplers.find(viewing_.source());
            if (s != document_.show()->samplers.end()) {
                source_from_->set_value(s->second.clock().first.value);
                source_to_->set_value(s->second.clock().last().value);
            }
            break;
        }
        case OperationKind::slow:
        case OperationKind::hide:
        case OperationKind::ramp:
            from_->set_value(std::clamp(now, first, std::max(last - 2, first)));
            to_->set_value(from_->value() + 24);
            break;
        default: from_->set_value(first); to_->set_value(last);
        }
        whole_->setChecked(true);
        take_picked_range();
    }
    lay_out();
    refresh();
}

// Two or more picked keys say which stretch is meant.
void OperationsSection::take_picked_range() {
    const PickedKeys& picked = map_.picked();
    if (picked.size() >= 2) {
        from_->set_value(map_.keys().keys[picked.front()].at.value);
        to_->set_value(map_.keys().keys[picked.back()].at.value);
        whole_->setChecked(false);
        lay_out();
    } else {
        whole_->setChecked(true);
        lay_out();
    }
    if (chosen_) preview();
}

void OperationsSection::lay_out() {
    using enum OperationKind;
    row_->setVisible(chosen_.has_value());
    if (!chosen_) return;
    const OperationKind k = *chosen_;
    auto show = [&](QWidget* field, bool on) {
        field->setVisible(on);
        if (labels_.count(field)) labels_[field]->setVisible(on);
    };
    const bool at = k == hold || k == freeze || k == start;
    const bool range = uses_range(k) && !(may_be_whole(k) && whole_->isChecked());
    show(at_, at);
    show(frames_, k == hold);
    show(absorb_, k == hold);
    show(source_from_, k == fit);
    show(source_to_, k == fit);
    show(whole_, may_be_whole(k));
    show(from_, range);
    show(to_, range);
    labels_[from_]->setText(k == fit ? tr("onto") : tr("from"));
    show(speed_, k == speed || k == slow);
    show(end_speed_, k == ramp);
    show(ramps_, k == slow);
    for (auto& [each, button] : buttons_) {
        if (each == k)
            apply_->setText(k == slow     ? tr("Slow")
                            : k == hold   ? tr("Hold here")
                            : k == freeze ? tr("Freeze here")
                            : k == start  ? tr("Start here")
                                          : button->text());
    }
    apply_->setAccessibleName(tr("Apply"));
}

Operation OperationsSection::order(OperationKind kind) const {
    Operation o;
    o.kind = kind;
    o.at = map_.playhead();
    o.frames = kind == OperationKind::slow ? ramps_->value() : frames_->value();
    o.absorb = absorb_->isChecked();
    if (uses_range(kind) && !(may_be_whole(kind) && whole_->isChecked())) {
        o.range = OutputSpan{OutputFrame(from_->value()), OutputFrame(to_->value())};
    }
    o.source_first = SourceFrame(source_from_->value());
    o.source_last = SourceFrame(source_to_->value());
    o.through = OutputFrame(static_cast<double>(document_.project().settings.range.last));
    if (kind == OperationKind::lengthen) {
        const auto s = document_.show()->samplers.find(viewing_.source());
        if (s != document_.show()->samplers.end())
            o.source_first = s->second.clock().first, o.source_last = s->second.clock().last();
    }
    o.speed = kind == OperationKind::ramp ? end_speed_->value() : speed_->value();
    // The slider's own frames are output frames.
    if (timing() && timing()->slider) o.at = viewing_.frame();
    return o;
}

void OperationsSection::refresh() {
    take_units();
    at_->set_value(viewing_.frame().value);
    for (auto& [kind, button] : buttons_) button->setEnabled(timing() != nullptr);
    if (!timing() && chosen_) return choose(std::nullopt);
    preview();
}

void OperationsSection::preview() {
    const Timing* t = timing();
    if (!t || !chosen_) return map_.set_ghost(std::nullopt);
    const auto done = operate(*t, order(*chosen_));
    apply_->setEnabled(done.has_value());
    if (!done) {
        map_.set_ghost(std::nullopt);
        words_->setText(QString::fromStdString(describe(done.error())));
        words_->setStyleSheet(QStringLiteral("color: %1").arg(tokens().alert.name()));
        return;
    }
    map_.set_ghost(done->timing);
    QString words = words_text(done->words);
    if (!done->note.empty()) words += QStringLiteral(" · ") + QString::fromStdString(done->note);
    const double end = span_first(done->timing).value + span_length(done->timing);
    words += tr(" · ends at %1").arg(number_text(end));
    words_->setText(words);
    words_->setStyleSheet({});
}

bool OperationsSection::run(const Operation& operation) {
    const Timing* t = timing();
    if (!t) return false;
    const auto done = operate(*t, operation);
    if (!done) {
        Error error = done.error();
        if (error.kept.empty()) error.kept = "the timing as it is";
        emit document_.problem(error);
        return false;
    }
    if (done->timing == *t) { // as it is already
        emit map_.readout(tr("%1: no change").arg(words_text(done->words)));
        return true;
    }
    QString words = words_text(done->words);
    if (!done->note.empty()) words += QStringLiteral(" (%1)").arg(QString::fromStdString(done->note));
    return edit_timing(words, [&](Timing& now) -> Result<void> {
        now = done->timing;
        return {};
    });
}

bool OperationsSection::apply() {
    if (!chosen_ || !run(order(*chosen_))) return false;
    choose(std::nullopt);
    map_.setFocus();
    return true;
}

void OperationsSection::focus_first() {
    for (QWidget* field : std::initializer_list<QWidget*>{frames_, source_from_, from_, speed_, at_, apply_}) {
        if (field->isVisibleTo(this)) return field->setFocus(Qt::ShortcutFocusReason);
    }
}

void OperationsSection::keyPressEvent(QKeyEvent* event) {
    if (event->key() != Qt::Key_Escape || !chosen_) return RetimeSection::keyPressEvent(event);
    choose(std::nullopt);
    map_.setFocus();
}

void OperationsSection::run_hold() {
    run(order(OperationKind::hold));
}

void OperationsSection::run_reverse() {
    run(order(OperationKind::reverse));
}

} // namespace garland
