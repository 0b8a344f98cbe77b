#include "app/panels/vary/play_card.h"

#include "app/panels/vary/drive_words.h"

#include <algorithm>

namespace garland {

PlayCard::PlayCard(Document& document, Viewing& viewing, LevelKind kind, QWidget* parent)
    : QFrame(parent), document_(document), viewing_(viewing), kind_(kind),
      fields_(document, this, QStringLiteral("play-%1").arg(static_cast<int>(kind)),
              [this](const QString& words, const std::function<void(Play&)>& change, const QString& merge) {
                  edit(words, change, merge);
              }) {
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(7);
    words_ = make_label({});
    words_->setWordWrap(true);
    words_->setAccessibleName(tr("What plays the copies"));
    column->addWidget(words_);
    auto* row = add_row(column);
    row->addWidget(make_label(tr("plays by")));
    by_ = make_choice(
        {tr("own clock"), tr("level"), tr("level, keeps the furthest"), tr("starts"), tr("speed")}, tr("Plays by"),
        tr("Own clock: nothing else plays the copies. Level: 0 shows the start of the motion, 1 its end.\nStarts: a "
           "copy's clock "
           "starts when it is reached. Speed: its clock runs slower, faster or backward while it is inside."),
        [this](int i) {
            edit(tr("Set what plays the copies"), [&](Play& p) {
                p.by = static_cast<PlayBy>(i);
                p.level.kind = kind_;
                if (kind_ == LevelKind::sound && !document_.project().sound(p.level.hearing.sound) &&
                    !document_.project().sounds.empty())
                    p.level.hearing.sound = document_.project().sounds.front().id;
                if (kind_ == LevelKind::sound && p.by == PlayBy::starts && p.threshold == 0) p.threshold = 0.5;
            });
        });
    row->addWidget(by_);
    close_row(row);
    add_level_rows(column);
    add_play_rows(column);
    played_ = make_label({}, "muted");
    played_->setWordWrap(true);
    played_->setAccessibleName(tr("What comes of it"));
    column->addWidget(played_);
}

void PlayCard::edit(const QString& words, const std::function<void(Play&)>& change, const QString& merge) {
    const ArrangementId id = viewing_.arrangement();
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            Arrangement* a = p.arrangement(id);
            if (!a)
                return fail(
                    Error{ErrorCode::invalid, "there are no copies to play yet"}.advise("gather a source first"));
            change(a->play);
            return {};
        },
        merge);
    refresh();
}

void PlayCard::add_level_rows(QVBoxLayout* column) {
    auto plays = [](const Play& p) { return p.by != PlayBy::clock; };
    if (kind_ == LevelKind::zones) {
        zones_ = new QWidget;
        zone_row_ = new QHBoxLayout(zones_);
        zone_row_->setContentsMargins(0, 0, 0, 0);
        zone_row_->setSpacing(10);
        column->addWidget(zones_);
        fields_.keep({zones_}, plays);
        auto* row = add_row(column);
        fields_.choice(
            row, tr("several zones join by"), {tr("highest"), tr("sum"), tr("product")},
            tr("How the levels of several zones become one"),
            [](const Play& p) { return static_cast<int>(p.level.join); },
            [](Play& p, int i) { p.level.join = static_cast<ZoneJoin>(i); },
            [this](const Play& p) {
                return p.by != PlayBy::clock &&
                       (p.level.zones.size() > 1 || (p.level.zones.empty() && document_.project().zones.size() > 1));
            });
        close_row(row);
    }
    if (kind_ == LevelKind::pulse) {
        auto* row = add_row(column);
        fields_.number(
            row, tr("Starts at"), Quantity::output_frames, -1e6, 1e6, 2, 1,
            tr("The output frame at which the pulse begins; later by each copy's own delay"),
            [](const Play& p) { return p.level.wave.start.value; },
            [](Play& p, double v) { p.level.wave.start = OutputFrame(v); }, plays);
        fields_.number(
            row, tr("rises in"), Quantity::output_frames, 0.01, 1e6, 2, 1, tr("Output frames of one rise from 0 to 1"),
            [](const Play& p) { return p.level.wave.frames; }, [](Play& p, double v) { p.level.wave.frames = v; },
            plays);
        fields_.choice(
            row, tr("then"), {tr("hold"), tr("repeat"), tr("there and back")}, tr("What follows a rise"),
            [](const Play& p) { return static_cast<int>(p.level.wave.after); },
            [](Play& p, int i) { p.level.wave.after = static_cast<WaveAfter>(i); }, plays);
        fields_
            .number(
                row, tr("passes"), Quantity::plain, 0, 1e6, 0, 1,
                tr("Total passes: 1 there, 2 there and back; 0: endless"),
                [](const Play& p) { return p.level.wave.passes; },
                [](Play& p, double v) { p.level.wave.passes = static_cast<int>(v); },
                [](const Play& p) { return p.by != PlayBy::clock && p.level.wave.after != WaveAfter::hold; })
            ->set_word(0, tr("endless"));
        close_row(row);
    }
    if (kind_ == LevelKind::sound) {
        auto* row = add_row(column);
        auto* label = make_label(tr("hears"));
        sound_ = make_choice({}, tr("Sound"), tr("Which sound the copies hear"), [this](int i) {
            const auto& sounds = document_.project().sounds;
            if (i < 0 || static_cast<std::size_t>(i) >= sounds.size()) return;
            const SoundId id = sounds[static_cast<std::size_t>(i)].id;
            edit(tr("Set the sound that copies hear"), [&](Play& p) { p.level.hearing.sound = id; });
        });
        row->addWidget(label);
        row->addWidget(sound_);
        fields_.keep({label, sound_}, plays);
        fields_.choice(
            row, tr("bands by"), {tr("order"), tr("axis"), tr("attribute"), tr("together")},
            tr("Which band a copy hears: by its order, by where it stands along x, by an attribute of what carries "
               "it;\ntogether: all hear the loudest band"),
            [](const Play& p) { return static_cast<int>(p.level.hearing.deal); },
            [](Play& p, int i) { p.level.hearing.deal = static_cast<SoundDeal>(i); }, plays);
        close_row(row);
    }
}

void PlayCard::add_play_rows(QVBoxLayout* column) {
    auto by = [](std::initializer_list<PlayBy> list) {
        return [all = std::vector<PlayBy>(list)](const Play& p) {
            return std::find(all.begin(), all.end(), p.by) != all.end();
        };
    };
    auto starts = by({PlayBy::starts});
    auto* row = add_row(column);
    fields_.number(
        row, tr("Speed"), Quantity::plain, -1, 10, 2, 0.1,
        tr("What is left of a copy's speed at full level: 0 holds it, 0.2 is slow motion, −1 runs backward"),
        [](const Play& p) { return p.speed; }, [](Play& p, double v) { p.speed = v; }, by({PlayBy::speed}));
    fields_.number(
        row, tr("From"), Quantity::per_cent, 0, 100, 1, 5, tr("The part of the motion that level 0 shows"),
        [](const Play& p) { return p.from * 100; }, [](Play& p, double v) { p.from = v / 100; },
        by({PlayBy::level, PlayBy::furthest}));
    fields_.number(
        row, tr("to"), Quantity::per_cent, 0, 100, 1, 5, tr("The part of the motion that full level shows"),
        [](const Play& p) { return p.to * 100; }, [](Play& p, double v) { p.to = v / 100; },
        by({PlayBy::level, PlayBy::furthest}));
    fields_.number(
        row, tr("Threshold"), Quantity::per_cent, 0, 99.9, 1, 5, tr("The level above which a copy starts"),
        [](const Play& p) { return p.threshold * 100; }, [](Play& p, double v) { p.threshold = v / 100; }, starts);
    fields_.number(
        row, tr("shortest"), Quantity::output_frames, 0, 1e6, 1, 1,
        tr("Least output frames between two starts of a copy"), [](const Play& p) { return p.shortest; },
        [](Play& p, double v) { p.shortest = v; }, starts);
    close_row(row);
    row = add_row(column);
    fields_.choice(
        row, tr("On leaving"),
        {tr("stop"), tr("back to the start"), tr("go on"), tr("finish the pass"), tr("fade out")},
        tr("What a copy does when the level is gone"), [](const Play& p) { return static_cast<int>(p.leaving); },
        [](Play& p, int i) { p.leaving = static_cast<Leaving>(i); }, starts);
    fields_.number(
        row, tr("over"), Quantity::output_frames, 0, 1e6, 1, 1,
        tr("Output frames in which it goes back, or comes to rest"), [](const Play& p) { return p.leaving_frames; },
        [](Play& p, double v) { p.leaving_frames = v; },
        [](const Play& p) {
            return p.by == PlayBy::starts && (p.leaving == Leaving::back_to_start || p.leaving == Leaving::fade_out);
        });
    close_row(row);
    row = add_row(column);
    fields_.check(
        row, tr("start again on entering again"), tr("Otherwise it goes on from where it was"),
        [](const Play& p) { return p.start_again; }, [](Play& p, bool v) { p.start_again = v; }, starts);
    fields_.check(
        row, tr("hidden before"), tr("Hidden until it is reached; otherwise its first pose is shown"),
        [](const Play& p) { return p.hidden_before; }, [](Play& p, bool v) { p.hidden_before = v; }, starts);
    close_row(row);
    row = add_row(column);
    auto* label = make_label(tr("response"), "muted");
    curve_ = new CurveEdit(0, 1, 0, true);
    curve_->setAccessibleName(tr("Response of what plays the copies"));
    connect(curve_, &CurveEdit::edited, this, [this](const KeyedCurve& c) {
        edit(
            tr("Set the response of what plays the copies"), [&](Play& p) { p.response = c; },
            QStringLiteral("play-response"));
    });
    connect(curve_, &CurveEdit::settled, &document_, &Document::end_merge);
    row->addWidget(label, 0, Qt::AlignTop);
    row->addWidget(curve_);
    close_row(row);
    fields_.keep({label, curve_}, by({PlayBy::level, PlayBy::furthest, PlayBy::speed, PlayBy::starts}),
                 [this](const Play& p) { curve_->set_curve(p.response); });
}

void PlayCard::refresh() {
    const Arrangement* a = document_.project().arrangement(viewing_.arrangement());
    setEnabled(a != nullptr);
    if (!a) {
        words_->setText(tr("There are no copies to play yet. Gather a source first."));
        played_->setText({});
        fields_.refresh(Play{});
        return;
    }
    const bool own = a->play.by == PlayBy::clock || a->play.level.kind == kind_;
    Play shown = a->play;
    if (!own) shown = {}; // something else plays them: this card offers to take over
    words_->setText(how_played(*a, document_.project()));
    by_->setCurrentIndex(static_cast<int>(shown.by));
    fields_.refresh(shown);
    const bool can = kind_ == LevelKind::pulse || (kind_ == LevelKind::zones ? !document_.project().zones.empty()
                                                                             : !document_.project().sounds.empty());
    by_->setEnabled(can);
    if (kind_ == LevelKind::zones) {
        std::vector<std::pair<ZoneId, std::string>> now;
        for (const Zone& z : document_.project().zones) now.emplace_back(z.id, z.name);
        if (now != shown_zones_) {
            shown_zones_ = now;
            clear_layout(zone_row_);
            for (const auto& [id, name] : now) {
                auto* box = new QCheckBox(QString::fromStdString(name));
                box->setObjectName("zone " + QString::fromStdString(name));
                box->setToolTip(tr("Whether this zone plays these copies; none chosen: all of them do"));
                connect(box, &QCheckBox::clicked, this, [this, zone = id](bool on) {
                    edit(on ? tr("Let a zone play the copies") : tr("Let a zone not play the copies"), [&](Play& p) {
                        std::erase(p.level.zones, zone);
                        if (on) p.level.zones.push_back(zone);
                        std::sort(p.level.zones.begin(), p.level.zones.end());
                    });
                });
                zone_row_->addWidget(box);
            }
            zone_row_->addStretch(1);
        }
        for (std::size_t k = 0; k < now.size(); ++k) {
            if (auto* box = qobject_cast<QCheckBox*>(zone_row_->itemAt(static_cast<int>(k))->widget())) {
                const auto& zones = shown.level.zones;
                box->setChecked(std::find(zones.begin(), zones.end(), now[k].first) != zones.end());
            }
        }
    }
    if (kind_ == LevelKind::sound) {
        sound_->clear();
        int at = -1;
        for (const SoundSpec& s : document_.project().sounds) {
            if (s.id == shown.level.hearing.sound) at = sound_->count();
            sound_->addItem(QString::fromStdString(s.name));
        }
        sound_->setCurrentIndex(at);
    }
    played_->setText(own && shown.by != PlayBy::clock ? played_words(*document_.show(), a->id) : QString());
    played_->setVisible(!played_->text().isEmpty());
}

} // namespace garland
