// The document's zones and sounds: what is learned for them, sounds read, copies solved, all in the background.
#include "app/document/document.h"

#include <QFileInfo>

namespace garland {

// What plays very many copies is solved in the background; until then they go on as before.
void Document::solve() {
    if (solving_) solving_->drop();
    if (!show_->unsolved) return;
    solving_ = jobs_.start<ShowPtr>(
        this, tr("Solving what plays the copies"),
        [this, project = project_, sources = sources_, before = show_](Progress& p) -> Result<ShowPtr> {
            ShowPtr solved = make_show(project, sources, cache_, before.get(), {SIZE_MAX, &p});
            if (p.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            return solved;
        },
        [this, of = show_](Result<ShowPtr> solved) {
            if (!solved) {
                if (show_ == of)
                    emit hint(tr("Stopped solving what plays the copies: they are shown as they were. The next change "
                                 "of the project solves it"));
                return;
            }
            if (show_ != of) return; // changed meanwhile: another one is on its way
            show_ = *solved;
            emit changed();
        });
}

// What was learned for zones and sounds, where it is still asked for.
void Document::take_drive_ground(const OpenSources& learned) {
    for (const auto& [id, sound] : learned.sounds) {
        const auto now = sources_.sounds.find(id);
        if (now == sources_.sounds.end() || now->second.samples != sound.samples) continue;
        now->second = sound;
    }
    sources_.zones = learned.zones;
    sources_.moving = learned.moving;
    auto tell = [this](const std::optional<Error>& problem) {
        if (problem && told_words_.insert(describe(*problem)).second) emit this->problem(*problem);
    };
    for (const auto& [id, zone] : sources_.zones) {
        if (project_.zone(id)) tell(zone.problem);
    }
    for (const auto& entry : sources_.moving) tell(entry.second.problem);
    for (const auto& entry : sources_.sounds) tell(entry.second.problem);
}

void Document::add_sound(const QString& path) {
    SoundSpec spec;
    spec.name = QFileInfo(path).completeBaseName().toStdString();
    spec.path = QFileInfo(path).absoluteFilePath().toStdString();
    spec.start = OutputFrame(static_cast<double>(project_.settings.range.first));
    jobs_.start<OpenSound>(
        this, tr("Reading %1").arg(QFileInfo(path).fileName()),
        [spec](Progress& p) -> Result<OpenSound> {
            OpenSound sound = open_sound(spec, {}, p);
            if (sound.problem) return fail(*sound.problem);
            return sound;
        },
        [this, spec, generation = generation_](Result<OpenSound> sound) {
            if (generation != generation_) return;
            if (!sound) {
                tell(sound.error());
                return;
            }
            sources_.sounds[SoundId(project_.next_id)] = std::move(*sound);
            edit(tr("Add the sound %1").arg(QString::fromStdString(spec.name)), [&](Project& p) -> Result<void> {
                SoundSpec added = spec;
                added.id = SoundId(p.next_id++);
                p.sounds.push_back(added);
                return {};
            });
        });
}

// Sounds that an edit, or its undoing, takes from another file or channel, or brings back.
void Document::open_changed_sounds() {
    for (const SoundSpec& spec : project_.sounds) {
        OpenSound& now = sources_.sounds[spec.id];
        if (now.path == spec.path && now.channel == spec.channel) continue;
        now = {};
        now.path = spec.path, now.channel = spec.channel;
        jobs_.start<OpenSound>(
            this, tr("Reading %1").arg(QString::fromStdString(spec.name)),
            [spec](Progress& p) -> Result<OpenSound> { return open_sound(spec, {}, p); },
            [this, spec, generation = generation_](Result<OpenSound> sound) {
                const SoundSpec* still = project_.sound(spec.id);
                if (generation != generation_ || !sound || !still || still->path != spec.path ||
                    still->channel != spec.channel)
                    return;
                if (sound->problem) emit problem(*sound->problem);
                sources_.sounds[spec.id] = std::move(*sound);
                rebuild();
                emit changed();
            });
    }
}

} // namespace garland
