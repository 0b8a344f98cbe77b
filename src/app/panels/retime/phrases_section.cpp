#include "app/panels/retime/sections.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"
#include "core/base/numbers.h"

#include <QGridLayout>
#include <algorithm>

namespace garland {

PhrasesSection::PhrasesSection(Document& document, Viewing& viewing, TimeMapView& map)
    : RetimeSection(document, viewing, map) {
    auto* column = rows(this);
    auto* top = new QHBoxLayout;
    empty_ = make_label(tr("Not a list of phrases: ranges of the source played one after another."), "muted");
    empty_->setWordWrap(true);
    make_ = make_button(tr("Convert to phrases"),
                        tr("Start with the whole source played once. This replaces the keys (undo restores them)."));
    top->addWidget(empty_, 1);
    top->addWidget(make_);
    column->addLayout(top);
    connect(make_, &QPushButton::clicked, this, &PhrasesSection::make_them);

    form_ = new QWidget;
    auto* inner = rows(form_);
    make_list(inner);
    make_fields(inner);
    make_buttons(inner);
    total_ = make_label({}, "muted");
    total_->setWordWrap(true);
    inner->addWidget(total_);
    column->addWidget(form_, 1);
}

void PhrasesSection::make_list(QVBoxLayout* column) {
    list_ = new QListWidget;
    list_->setAccessibleName(tr("Phrases"));
    list_->setToolTip(
        tr("Drag a phrase up or down to play it earlier or later. Several selected ones (Shift, Ctrl) are changed "
           "together"));
    list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    list_->setDragDropMode(QAbstractItemView::InternalMove);
    list_->setDefaultDropAction(Qt::MoveAction);
    list_->setMinimumHeight(48);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(list_, 1);
    connect(list_, &QListWidget::currentRowChanged, this, [this] {
        if (!filling_) fill_fields();
    });
    connect(list_, &QListWidget::itemSelectionChanged, this, [this] {
        if (filling_) return;
        document_.end_merge(); // steps on other phrases are steps of their own
        fill_fields();
    });
    connect(list_->model(), &QAbstractItemModel::rowsMoved, this, &PhrasesSection::reordered);
}

void PhrasesSection::make_fields(QVBoxLayout* column) {
    auto* fields = new QHBoxLayout;
    fields->setSpacing(4);
    first_ = number(Quantity::source_frames, -frame_limit, frame_limit, 3, tr("First source frame of the phrase"),
                    tr("Included"), 52);
    last_ = number(Quantity::source_frames, -frame_limit, frame_limit, 3, tr("Last source frame of the phrase"),
                   tr("Included; the same as the first is a hold"), 52);
    direction_ = make_choice({tr("forward"), tr("backward"), tr("there-and-back")}, tr("Direction"),
                             tr("Which way the phrase is played"), [this](int i) {
                                 change(tr("Set the direction of a phrase"),
                                        [i](Phrase& p) { p.direction = static_cast<Direction>(i); }, {});
                             });
    passes_ = number(Quantity::plain, 1, 1e6, 0, tr("Times"),
                     tr("How many times; there-and-back counts each way. Of a hold: its frames."), 44);
    speed_ =
        number(Quantity::plain, 0.0001, 1000, 4, tr("Speed of the phrase"), tr("Source frames an output frame"), 50);
    speed_->set_step(0.05);
    fade_ = number(Quantity::output_frames, 0, 1e6, 2, tr("Cross-fade"),
                   tr("For so many output frames this phrase fades away under the next one; 0 is a cut"), 46);
    fields->addWidget(make_label(tr("Source")));
    fields->addWidget(first_);
    fields->addWidget(make_label(tr("to")));
    fields->addWidget(last_);
    fields->addWidget(direction_);
    fields->addWidget(make_label(tr("times")));
    fields->addWidget(passes_);
    fields->addWidget(make_label(tr("speed ×")));
    fields->addWidget(speed_);
    fields->addWidget(make_label(tr("fade")));
    fields->addWidget(fade_);
    fields->addStretch(1);
    column->addLayout(fields);
    auto wire = [this](NumberField* field, const QString& words, auto set) {
        connect(field, &NumberField::edited, this, [this, field, words, set] {
            change(
                words, [&](Phrase& p) { set(p, *field); },
                QStringLiteral("phrase-%1").arg(reinterpret_cast<quintptr>(field)));
        });
    };
    wire(first_, tr("Set the range of a phrase"), [](Phrase& p, const NumberField& f) {
        p.first = SourceFrame(f.edited_from(p.first.value)), p.last = std::max(p.last, p.first);
    });
    wire(last_, tr("Set the range of a phrase"), [](Phrase& p, const NumberField& f) {
        p.last = SourceFrame(f.edited_from(p.last.value)), p.first = std::min(p.first, p.last);
    });
    wire(passes_, tr("Set the passes of a phrase"), [](Phrase& p, const NumberField& f) {
        p.passes = static_cast<std::int64_t>(f.edited_from(static_cast<double>(p.passes)));
    });
    wire(speed_, tr("Set the speed of a phrase"),
         [](Phrase& p, const NumberField& f) { p.speed = f.edited_from(p.speed); });
    wire(fade_, tr("Set the cross-fade of a phrase"),
         [](Phrase& p, const NumberField& f) { p.fade = f.edited_from(p.fade); });
}

void PhrasesSection::make_buttons(QVBoxLayout* column) {
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(4);
    add_ = make_button(tr("Add"), tr("Another phrase after the selected one"));
    add_hold_ = make_button(tr("Add hold"), tr("Hold the selected phrase's last pose for 12 frames after it"));
    copy_ = make_button(tr("Duplicate"), tr("Insert the selected phrase again"));
    remove_ = make_button(tr("Remove"), tr("Remove the selected phrase"));
    beat_ = make_button(tr("Stretch to the beat"),
                        tr("Play the selected phrase a little faster or slower, so that it ends on a beat"));
    start_ = number(Quantity::output_frames, -frame_limit, frame_limit, 3, tr("Start of the phrases"),
                    tr("The output frame at which the first phrase starts"), 56);
    buttons->addWidget(add_);
    buttons->addWidget(add_hold_);
    buttons->addWidget(copy_);
    buttons->addWidget(remove_);
    buttons->addWidget(beat_);
    buttons->addStretch(1);
    buttons->addWidget(make_label(tr("start")));
    buttons->addWidget(start_);
    column->addLayout(buttons);
    connect(add_, &QPushButton::clicked, this, [this] {
        insert(tr("Add a phrase"), [](const Phrase& p) { return Phrase{p.first, p.last}; });
    });
    connect(add_hold_, &QPushButton::clicked, this, [this] {
        insert(tr("Add a hold"), [](const Phrase& p) {
            return Phrase{last_shown(p), last_shown(p), Direction::forward, 12};
        });
    });
    connect(copy_, &QPushButton::clicked, this,
            [this] { insert(tr("Double a phrase"), [](const Phrase& p) { return p; }); });
    connect(start_, &NumberField::edited, this, [this](double v) {
        edit_timing(
            tr("Set the start of the phrases"),
            [&](Timing& t) -> Result<void> {
                t.phrases.start = OutputFrame(v);
                return {};
            },
            QStringLiteral("phrases-start"));
    });
    connect(remove_, &QPushButton::clicked, this, &PhrasesSection::remove_chosen);
    connect(beat_, &QPushButton::clicked, this, &PhrasesSection::stretch_to_beat);
}

// The whole source, once.
void PhrasesSection::make_them() {
    const auto s = document_.show()->samplers.find(viewing_.source());
    edit_timing(tr("Make the timing a list of phrases"), [&](Timing& t) -> Result<void> {
        Phrase whole;
        const auto span = source_span(t);
        whole.first = s == document_.show()->samplers.end() ? span.low : s->second.clock().first;
        whole.last =
            s == document_.show()->samplers.end() ? span.high : SourceFrame(std::floor(s->second.clock().last().value));
        t.phrases = {OutputFrame(std::round(form_first(t).value)), {whole}};
        t.form = TimingForm::phrases;
        t.map = {};
        t.speeds = {};
        return {};
    });
}

// Puts another one behind the current one, made from it.
void PhrasesSection::insert(const QString& words, const std::function<Phrase(const Phrase&)>& make) {
    const int at = row();
    const bool done = edit_timing(words, [&](Timing& t) -> Result<void> {
        auto& list = t.phrases.list;
        const auto place = static_cast<std::size_t>(std::clamp(at, 0, static_cast<int>(list.size()) - 1));
        list.insert(list.begin() + static_cast<std::ptrdiff_t>(place) + 1, make(list[place]));
        return {};
    });
    if (done) list_->setCurrentRow(at + 1, QItemSelectionModel::ClearAndSelect);
}

void PhrasesSection::remove_chosen() {
    const std::vector<int> rows = chosen();
    if (rows.empty()) return;
    const QString words =
        rows.size() == 1 ? tr("Remove phrase %1").arg(rows[0] + 1) : tr("Remove %1 phrases").arg(rows.size());
    edit_timing(words, [&](Timing& t) -> Result<void> {
        for (auto at = rows.rbegin(); at != rows.rend(); ++at) {
            if (*at < static_cast<int>(t.phrases.list.size())) t.phrases.list.erase(t.phrases.list.begin() + *at);
        }
        return {};
    });
}

void PhrasesSection::stretch_to_beat() {
    const int at = row();
    edit_timing(tr("Stretch phrase %1 to the beat").arg(at + 1), [&](Timing& t) -> Result<void> {
        const Settings& s = document_.project().settings;
        GARLAND_TRY(list, stretched_to_beat(t.phrases, static_cast<std::size_t>(at), t.turn_twice, s.tempo, s.rate));
        t.phrases = std::move(list);
        return {};
    });
}

void PhrasesSection::change(const QString& words, const std::function<void(Phrase&)>& change, const QString& merge) {
    const std::vector<int> rows = chosen();
    edit_timing(
        rows.size() > 1 ? tr("%1: %2 together").arg(words).arg(rows.size()) : words,
        [&](Timing& t) -> Result<void> {
            for (const int at : rows) {
                if (at < static_cast<int>(t.phrases.list.size())) change(t.phrases.list[static_cast<std::size_t>(at)]);
            }
            return {};
        },
        merge);
}

std::vector<int> PhrasesSection::chosen() const {
    std::vector<int> out;
    for (const QModelIndex& i : list_->selectionModel()->selectedRows()) out.push_back(i.row());
    if (out.empty() && row() >= 0) out.push_back(row());
    std::sort(out.begin(), out.end());
    return out;
}

// The list was dragged into another order: the model follows.
void PhrasesSection::reordered() {
    const Timing* t = timing();
    if (filling_ || !t) return;
    std::vector<Phrase> next;
    for (int i = 0; i < list_->count(); ++i) {
        const int was = list_->item(i)->data(Qt::UserRole).toInt();
        if (was < static_cast<int>(t->phrases.list.size()))
            next.push_back(t->phrases.list[static_cast<std::size_t>(was)]);
    }
    if (next.size() != t->phrases.list.size()) return;
    // Once the drag is over: the list is filled anew by it.
    QMetaObject::invokeMethod(
        this,
        [this, next] {
            edit_timing(tr("Play the phrases in another order"), [&](Timing& now) -> Result<void> {
                if (now.phrases.list.size() == next.size()) now.phrases.list = next;
                return {};
            });
        },
        Qt::QueuedConnection);
}

void PhrasesSection::refresh() {
    take_units();
    const Timing* t = timing();
    const bool phrases = t && t->form == TimingForm::phrases;
    empty_->setVisible(!phrases);
    make_->setVisible(!phrases);
    make_->setEnabled(t != nullptr);
    form_->setVisible(phrases);
    if (!phrases) return;
    const Settings& s = document_.project().settings;
    const double fps = s.rate.per_second(), beat = frames_per_beat(s.tempo, s.rate);
    const auto starts = boundaries(t->phrases, t->turn_twice);
    std::vector<OffBeat> off;
    if (s.tempo.on) off = off_beats(t->phrases, t->turn_twice, s.tempo, s.rate);
    filling_ = true;
    const int now = std::max(0, row());
    const std::vector<int> before = chosen(); // rows as they stand now: a phrase dragged elsewhere stays selected
    list_->clear();
    for (std::size_t i = 0; i < t->phrases.list.size(); ++i) {
        const Phrase& p = t->phrases.list[i];
        const double length = phrase_length(p, t->turn_twice);
        QString words = p.holds() ? tr("%1  hold %2").arg(i + 1).arg(number_text(p.first.value))
                                  : tr("%1  %2 to %3 %4")
                                        .arg(i + 1)
                                        .arg(number_text(first_shown(p).value),
                                             number_text((p.direction == Direction::backward ? p.first : p.last).value),
                                             QString::fromUtf8(to_text(p.direction)));
        if (!p.holds() && p.passes > 1) words += tr(", %1 passes").arg(p.passes);
        if (p.speed != 1) words += tr(" at %1×").arg(number_text(p.speed));
        words += tr(" · %1 f · %2 s").arg(number_text(length), number_text(length / fps));
        if (s.tempo.on)
            words += QStringLiteral(" · ") +
                     QString::fromStdString(counted_number(std::round(length / beat * 100) / 100, "beat", "beats"));
        words += tr(" · ends at %1").arg(number_text(starts[i + 1].value));
        bool late = false;
        for (const OffBeat& o : off) {
            if (o.phrase != i) continue;
            late = true;
            words += o.late() > 0 ? tr(" · %1 f after the beat").arg(number_text(o.late(), 2))
                                  : tr(" · %1 f before the beat").arg(number_text(-o.late(), 2));
        }
        if (p.fade > 0) words += tr(" · fades for %1 f").arg(number_text(p.fade));
        auto* item = new QListWidgetItem(words, list_);
        item->setData(Qt::UserRole, static_cast<int>(i));
        item->setToolTip(words);
        if (late) item->setForeground(tokens().alert);
    }
    list_->setCurrentRow(std::min(now, list_->count() - 1), QItemSelectionModel::ClearAndSelect);
    for (const int at : before) {
        if (at < list_->count()) list_->item(at)->setSelected(true);
    }
    filling_ = false;
    start_->set_value(t->phrases.start.value);
    const double all = length_of(t->phrases, t->turn_twice);
    QString total = tr("Total %1 output frames · %2 s").arg(number_text(all), number_text(all / fps));
    if (s.tempo.on) {
        total += tr(" · %1 beats · ends on %2")
                     .arg(number_text(all / beat, 2), words_text(bar_words(s.tempo, s.rate, starts.back())));
        total += off.empty()       ? tr(" · every boundary on its beat")
                 : off.size() == 1 ? tr(" · 1 boundary misses its beat")
                                   : tr(" · %1 boundaries miss their beat").arg(off.size());
    }
    total_->setText(total);
    fill_fields();
}

void PhrasesSection::fill_fields() {
    const Timing* t = timing();
    const int at = row();
    const bool there = t && at >= 0 && at < static_cast<int>(t->phrases.list.size());
    for (QWidget* w : std::initializer_list<QWidget*>{first_, last_, direction_, passes_, speed_, fade_, copy_})
        w->setEnabled(there);
    const std::size_t picked = chosen().size();
    remove_->setEnabled(there && t->phrases.list.size() > picked);
    remove_->setText(picked > 1 ? tr("Remove %1").arg(picked) : tr("Remove"));
    beat_->setEnabled(there && document_.project().settings.tempo.on);
    if (!there) return;
    const Phrase& p = t->phrases.list[static_cast<std::size_t>(at)];
    first_->set_value(p.first.value);
    last_->set_value(p.last.value);
    direction_->setCurrentIndex(static_cast<int>(p.direction));
    passes_->set_value(static_cast<double>(p.passes));
    speed_->set_value(p.speed);
    fade_->set_value(p.fade);
}

} // namespace garland
