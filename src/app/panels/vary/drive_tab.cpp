#include "app/panels/vary/drive_tab.h"

#include <QFileDialog>
#include <algorithm>

namespace garland {

DriveTab::DriveTab(Document& document, Viewing& viewing, LevelKind kind, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing), kind_(kind) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    auto* row = new QHBoxLayout;
    add_buttons(row);
    column->addLayout(row);
    play_ = new PlayCard(document, viewing, kind);
    column->addWidget(play_);
    cards_ = new QVBoxLayout;
    cards_->setSpacing(10);
    column->addLayout(cards_);
    column->addStretch(1);
    connect(&document_, &Document::opened, this, [this] {
        zones_together_.clear();
        pulses_together_.clear();
    });
}

void DriveTab::add_buttons(QHBoxLayout* row) {
    if (kind_ == LevelKind::zones) {
        auto* add = make_choice(
            {tr("Add a zone …"), tr("ball"), tr("box"), tr("cylinder"), tr("wall"), tr("tube"), tr("mesh")},
            tr("Add a zone"), tr("A shape in space that starts, plays, slows or holds the copies it passes"), nullptr);
        connect(add, &QComboBox::activated, this, [this, add](int i) {
            add->setCurrentIndex(0);
            if (i > 0) add_zone(static_cast<ZoneShape>(i - 1));
        });
        row->addWidget(add);
    } else if (kind_ == LevelKind::pulse) {
        auto* add = make_button(tr("Add pulse"),
                                tr("A rise and fall that lifts, turns or sizes the copies, later by each one's delay"));
        add->setObjectName("primary");
        connect(add, &QPushButton::clicked, this, [this] { add_pulse(); });
        row->addWidget(add);
    } else {
        auto* add =
            make_button(tr("Add sound …"), tr("A sound file whose bands the copies hear: WAV, FLAC, Ogg, MP3 or AIFF"));
        add->setObjectName("primary");
        connect(add, &QPushButton::clicked, this, [this] { choose_sound(); });
        row->addWidget(add);
    }
    row->addStretch(1);
}

void DriveTab::add_zone(ZoneShape shape) {
    const ArrangementId own = viewing_.arrangement();
    V3d middle(0);
    for (const ArrangementShow& a : document_.show()->arrangements) {
        if (a.id != own || a.places.empty()) continue;
        for (const Placement& p : a.places) middle += p.position / static_cast<double>(a.places.size());
    }
    document_.edit(tr("Add a zone"), [&](Project& p) -> Result<void> {
        if (shape == ZoneShape::mesh && p.sources.empty())
            return fail(Error{ErrorCode::invalid, "there is no source whose shape the zone could have"}.advise(
                "gather one first"));
        Zone z;
        z.id = ZoneId(p.next_id++);
        z.name = tr("Zone %1").arg(p.zones.size() + 1).toStdString();
        z.shape = shape;
        z.keys.front().at = OutputFrame(static_cast<double>(p.settings.range.first));
        z.keys.front().place = middle;
        z.ride_first = OutputFrame(static_cast<double>(p.settings.range.first));
        z.ride_last = OutputFrame(static_cast<double>(p.settings.range.last));
        if (shape == ZoneShape::tube) z.path = {V3d(-2, 0, 0), V3d(0, 0, 0.5), V3d(2, 0, 0)};
        if (shape == ZoneShape::mesh) z.mesh = p.sources.front().id;
        p.zones.push_back(z);
        return {};
    });
}

void DriveTab::add_pulse() {
    const ArrangementId own = viewing_.arrangement();
    document_.edit(tr("Add a pulse"), [&](Project& p) -> Result<void> {
        Arrangement* a = p.arrangement(own);
        if (!a)
            return fail(
                Error{ErrorCode::invalid, "there are no copies for a pulse yet"}.advise("gather a source first"));
        Pulse pulse;
        pulse.id = SpreadId(p.next_id++);
        pulse.wave.start = OutputFrame(static_cast<double>(p.settings.range.first));
        pulse.wave.after = WaveAfter::there_and_back;
        pulse.lift = V3d(0, 0.5, 0);
        a->pulses.push_back(pulse);
        return {};
    });
}

void DriveTab::choose_sound() {
    const QString path = QFileDialog::getOpenFileName(
        this, tr("Add a sound"), {}, tr("Sounds (*.wav *.flac *.ogg *.oga *.mp3 *.aif *.aiff);;All files (*)"));
    if (!path.isEmpty()) document_.library().add_sound(path);
}

std::vector<std::uint64_t> DriveTab::ids() const {
    std::vector<std::uint64_t> out;
    const Project& p = document_.project();
    if (kind_ == LevelKind::zones) {
        for (const Zone& z : p.zones) out.push_back(z.id.value);
    } else if (kind_ == LevelKind::sound) {
        for (const SoundSpec& s : p.sounds) out.push_back(s.id.value);
    } else if (const Arrangement* a = p.arrangement(viewing_.arrangement())) {
        for (const Pulse& pulse : a->pulses) out.push_back(pulse.id.value);
    }
    return out;
}

void DriveTab::rebuild(const std::vector<std::uint64_t>& ids) {
    clear_layout(cards_);
    refreshes_.clear();
    auto add = [&](auto* card) {
        cards_->addWidget(card);
        refreshes_.push_back([card] { card->refresh(); });
    };
    for (std::uint64_t id : ids) {
        switch (kind_) {
        case LevelKind::zones: add(new ZoneCard(document_, viewing_, ZoneId(id), zones_together_)); break;
        case LevelKind::pulse:
            add(new PulseCard(document_, viewing_.arrangement(), SpreadId(id), pulses_together_));
            break;
        case LevelKind::sound: add(new SoundCard(document_, viewing_, SoundId(id))); break;
        }
    }
    if (!ids.empty()) return;
    const QString nothing =
        kind_ == LevelKind::zones
            ? tr("No zone yet. Add one, move it with keys, and choose above what it does to the copies.")
        : kind_ == LevelKind::pulse ? tr("No pulse yet. Add one to lift, turn or size the copies one after the other; "
                                         "or let a pulse play them above.")
                                    : tr("No sound yet. Add one, and let its bands play the copies.");
    auto* words = make_label(nothing, "muted");
    words->setWordWrap(true);
    cards_->addWidget(words);
}

void DriveTab::refresh() {
    if (!isVisible()) return;
    const std::vector<std::uint64_t> now = ids();
    const ArrangementId own = viewing_.arrangement();
    if (now != shown_ || refreshes_.size() != now.size() || (now.empty() && cards_->isEmpty()) ||
        (kind_ == LevelKind::pulse && own != shown_arrangement_))
        rebuild(now);
    shown_ = now;
    shown_arrangement_ = own;
    play_->refresh();
    for (const auto& refresh : refreshes_) refresh();
}

} // namespace garland
