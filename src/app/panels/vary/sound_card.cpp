#include "app/panels/vary/sound_card.h"

#include "app/panels/vary/drive_words.h"
#include "app/theme/number_text.h"
#include "app/theme/tokens.h"
#include "io/files/find_beats.h"

#include <QPainter>
#include <algorithm>

namespace garland {

BandStrip::BandStrip(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(64);
    setAccessibleName(tr("Levels by band over the output range"));
    setToolTip(tr("The level of every band over the output range, the lowest band at the bottom"));
}

void BandStrip::show_levels(SoundLevelsPtr levels, FrameRange range, double playhead) {
    levels_ = std::move(levels), range_ = range, playhead_ = playhead;
    update();
}

void BandStrip::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Tokens& t = tokens();
    p.fillRect(rect(), t.ground);
    if (!levels_ || levels_->bands() == 0) return;
    const double rows = static_cast<double>(levels_->bands()), high = height() / rows;
    const double first = static_cast<double>(range_.first),
                 wide = std::max<double>(static_cast<double>(range_.count() - 1), 1);
    for (int x = 0; x < width(); ++x) {
        const double at = first + wide * x / std::max(width() - 1, 1);
        for (std::size_t b = 0; b < levels_->bands(); ++b) {
            const double level = levels_->at(b, at).value;
            if (level <= 0.004) continue;
            QColor c = t.accent;
            c.setAlphaF(std::clamp(0.12 + 0.88 * level, 0.0, 1.0));
            p.fillRect(QRectF(x, height() - (static_cast<double>(b) + 1) * high + 0.5, 1, high - 1), c);
        }
    }
    const double x = (playhead_ - first) / wide * (width() - 1);
    p.setPen(t.text);
    p.drawLine(QPointF(x, 0), QPointF(x, height()));
}

SoundCard::SoundCard(Document& document, Viewing& viewing, SoundId id, QWidget* parent)
    : QFrame(parent), document_(document), viewing_(viewing), id_(id),
      fields_(document, this, QStringLiteral("sound-%1").arg(id.value),
              [this](const QString& words, const std::function<void(SoundSpec&)>& change, const QString& merge) {
                  edit(words, change, merge);
              }) {
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(7);
    auto* head = new QHBoxLayout;
    words_ = make_label({});
    words_->setWordWrap(true);
    head->addWidget(words_, 1);
    auto* remove = make_button(tr("Remove"), tr("Remove this sound; what it plays goes by its own clock"));
    connect(remove, &QPushButton::clicked, this, &SoundCard::remove);
    auto* beats = make_button(tr("Find beats"), tr("Set the tempo grid by the beats that are heard in it"));
    connect(beats, &QPushButton::clicked, this, [this] { find_beats_of_it(false); });
    auto* mark = make_button(tr("Mark beats"), tr("Set a marker at each beat that is heard within the output range; "
                                                  "dragged keys settle on markers"));
    connect(mark, &QPushButton::clicked, this, [this] { find_beats_of_it(true); });
    head->addWidget(beats, 0, Qt::AlignTop);
    head->addWidget(mark, 0, Qt::AlignTop);
    head->addWidget(remove, 0, Qt::AlignTop);
    column->addLayout(head);
    add_card_menu(this, [this] { return menu(); });
    strip_ = new BandStrip;
    column->addWidget(strip_);
    note_ = make_label({}, "alert");
    note_->setWordWrap(true);
    column->addWidget(note_);
    add_bands(column);
    connect(&viewing_, &Viewing::frame_changed, this, [this] {
        const auto& sounds = document_.show()->levels.sounds;
        const auto levels = sounds.find(id_);
        if (isVisible())
            strip_->show_levels(levels == sounds.end() ? nullptr : levels->second, document_.project().settings.range,
                                viewing_.frame().value);
    });
}

// The sounds change as a list, and this card may go with it.
void SoundCard::edit_list(const QString& words, const ChangeEntry<SoundSpec>& change) {
    document_.edit(words, [&change, id = id_](Project& p) { return change_entry(p, p.sounds, id, change); });
}

void SoundCard::remove() {
    edit_list(tr("Remove a sound"),
              [](Project& p, std::vector<SoundSpec>& sounds, std::size_t place) { remove_sound(p, sounds[place].id); });
}

std::optional<CardMenu> SoundCard::menu() {
    const Project& project = document_.project();
    if (!project.sound(id_)) return {};
    const QPointer<SoundCard> card(this);
    CardMenu out = entry_menu<SoundSpec>(
        project.sounds, id_,
        [card](const QString& words, const auto& change) {
            if (card) card->edit_list(words, change);
        },
        tr("Duplicate a sound"), tr("Move a sound"));
    for (const bool mark : {false, true}) {
        out.others.push_back({mark ? tr("Mark beats") : tr("Find beats"),
                              mark ? tr("Set a marker at each beat that is heard within the output range")
                                   : tr("Set the tempo grid by the beats that are heard in it"),
                              [card, mark] {
                                  if (card) card->find_beats_of_it(mark);
                              }});
    }
    out.remove = [card] {
        if (card) card->remove();
    };
    return out;
}

void SoundCard::add_bands(QVBoxLayout* column) {
    auto* row = add_row(column);
    fields_.number(
        row, tr("Starts at"), Quantity::output_frames, -1e6, 1e6, 2, 1,
        tr("The output frame at which the sound begins; may be negative"),
        [](const SoundSpec& s) { return s.start.value; }, [](SoundSpec& s, double v) { s.start = OutputFrame(v); });
    fields_
        .number(
            row, tr("channel"), Quantity::plain, 0, 64, 0, 1, tr("Which channel, from 1; 0: all averaged"),
            [](const SoundSpec& s) { return s.channel; },
            [](SoundSpec& s, double v) { s.channel = static_cast<int>(v); })
        ->set_word(0, tr("all"));
    fields_.check(
        row, tr("one-third octaves"), tr("The bands of IEC 61260-1, whose middles are 1000 · 10^(k/10) Hz"),
        [](const SoundSpec& s) { return s.bands.third_octaves; },
        [](SoundSpec& s, bool v) { s.bands.third_octaves = v; });
    close_row(row);
    row = add_row(column);
    fields_.number(
        row, tr("Bands"), Quantity::plain, 1, 64, 0, 1, tr("How many bands, even in octaves"),
        [](const SoundSpec& s) { return s.bands.count; },
        [](SoundSpec& s, double v) { s.bands.count = static_cast<int>(v); },
        [](const SoundSpec& s) { return !s.bands.third_octaves; });
    fields_.number(
        row, tr("Low Hz"), Quantity::plain, 1, 1e5, 0, 10, tr("The lowest frequency, Hz"),
        [](const SoundSpec& s) { return s.bands.low; }, [](SoundSpec& s, double v) { s.bands.low = v; });
    fields_.number(
        row, tr("high Hz"), Quantity::plain, 1, 1e5, 0, 100, tr("The highest frequency, Hz"),
        [](const SoundSpec& s) { return s.bands.high; }, [](SoundSpec& s, double v) { s.bands.high = v; });
    close_row(row);
    row = add_row(column);
    fields_.number(
        row, tr("Floor dB"), Quantity::plain, -200, 20, 1, 3, tr("dB re full scale at which the level is 0"),
        [](const SoundSpec& s) { return s.bands.floor; }, [](SoundSpec& s, double v) { s.bands.floor = v; });
    fields_.number(
        row, tr("ceiling dB"), Quantity::plain, -200, 20, 1, 3, tr("dB re full scale at which the level is 1"),
        [](const SoundSpec& s) { return s.bands.ceiling; }, [](SoundSpec& s, double v) { s.bands.ceiling = v; });
    close_row(row);
    row = add_row(column);
    fields_.number(
        row, tr("Attack"), Quantity::output_frames, 0, 1e5, 1, 0.5,
        tr("Output frames after which 63 % of a rise have come"), [](const SoundSpec& s) { return s.bands.attack; },
        [](SoundSpec& s, double v) { s.bands.attack = v; });
    fields_.number(
        row, tr("release"), Quantity::output_frames, 0, 1e5, 1, 0.5,
        tr("Output frames after which 63 % of a fall have come"), [](const SoundSpec& s) { return s.bands.release; },
        [](SoundSpec& s, double v) { s.bands.release = v; });
    close_row(row);
}

void SoundCard::find_beats_of_it(bool mark) {
    const SoundSpec* s = document_.project().sound(id_);
    const auto open = document_.library().open().sounds.find(id_);
    if (!s || open == document_.library().open().sounds.end() || !open->second.samples) return;
    const SoundSamplesPtr samples = open->second.samples;
    document_.jobs().start<FoundBeats>(
        this, tr("Listening for beats"),
        [samples, start = s->start, rate = document_.project().settings.rate](Progress& p) {
            return find_beats(*samples, start, rate, p);
        },
        [this, samples, mark](Result<FoundBeats> found) {
            if (!found) {
                if (found.error().code != ErrorCode::cancelled) emit document_.problem(found.error());
                return;
            }
            const auto now = document_.library().open().sounds.find(id_);
            if (now == document_.library().open().sounds.end() || now->second.samples != samples)
                return; // another sound by now
            if (mark) {
                std::int64_t set = 0;
                document_.edit(tr("Mark beats"), [&](Project& p) -> Result<void> {
                    set = mark_beats(p.settings.markers, found->heard, p.settings.range);
                    return {};
                });
                emit document_.hint(set > 0
                                        ? tr("%1 of the %2 beats heard are marked; the others lie outside the output "
                                             "range, or had a marker.")
                                              .arg(set)
                                              .arg(found->heard.size())
                                        : tr("No beat heard lies in the output range without a marker."));
                return;
            }
            document_.edit(tr("Find beats"), [&](Project& p) -> Result<void> {
                found->tempo.beats_per_bar = p.settings.tempo.beats_per_bar;
                p.settings.tempo = found->tempo;
                return {};
            });
            emit document_.hint(tr("%1 beats per minute, one at output frame %2; %3 % of the %4 beats heard lie within "
                                   "half a frame of that grid.")
                                    .arg(number_text(found->tempo.beats_per_minute, 2),
                                         number_text(found->tempo.offset.value, 2), number_text(found->sure * 100, 0))
                                    .arg(found->heard.size()));
        });
}

void SoundCard::edit(const QString& words, const std::function<void(SoundSpec&)>& change, const QString& merge) {
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            if (SoundSpec* s = p.sound(id_)) change(*s);
            return {};
        },
        merge);
    refresh();
}

void SoundCard::refresh() {
    const SoundSpec* s = document_.project().sound(id_);
    if (!s) return;
    words_->setText(sound_words(*s));
    fields_.refresh(*s);
    const auto& sounds = document_.show()->levels.sounds;
    const auto levels = sounds.find(id_);
    strip_->show_levels(levels == sounds.end() ? nullptr : levels->second, document_.project().settings.range,
                        viewing_.frame().value);
    const auto open = document_.library().open().sounds.find(id_);
    QString note;
    if (open != document_.library().open().sounds.end()) {
        if (open->second.problem)
            note = QString::fromStdString(describe(*open->second.problem));
        else if (open->second.samples) {
            const double ends =
                s->start.value + open->second.samples->seconds() * document_.project().settings.rate.per_second();
            if (ends < static_cast<double>(document_.project().settings.range.last))
                note = tr("The sound ends at output frame %1, before the range does: silence from there.")
                           .arg(number_text(ends, 1));
        }
    }
    note_->setText(note);
    note_->setVisible(!note.isEmpty());
}

} // namespace garland
