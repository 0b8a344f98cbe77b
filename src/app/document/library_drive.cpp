// Zones and sounds of the library: what is learned for them, and sounds read, all in the background.
#include "app/document/document.h"
#include "app/document/source_library.h"

#include <QFileInfo>

namespace garland {

// What was learned for zones and sounds, where it is still asked for.
void SourceLibrary::take_drive_ground(const OpenSources& learned) {
    for (const auto& [id, sound] : learned.sounds) {
        const auto now = open_.sounds.find(id);
        if (now == open_.sounds.end() || now->second.samples != sound.samples) continue;
        now->second = sound;
    }
    open_.zones = learned.zones;
    open_.moving = learned.moving;
    auto tell = [this](const std::optional<Error>& problem) {
        if (problem && told_words_.insert(describe(*problem)).second) emit document_.problem(*problem);
    };
    for (const auto& [id, zone] : open_.zones) {
        if (document_.project().zone(id)) tell(zone.problem);
    }
    for (const auto& entry : open_.moving) tell(entry.second.problem);
    for (const auto& entry : open_.sounds) tell(entry.second.problem);
}

void SourceLibrary::add_sound(const QString& path) {
    SoundSpec spec;
    spec.name = QFileInfo(path).completeBaseName().toStdString();
    spec.path = QFileInfo(path).absoluteFilePath().toStdString();
    spec.start = OutputFrame(static_cast<double>(document_.project().settings.range.first));
    jobs_.start<OpenSound>(
        this, tr("Reading %1").arg(QFileInfo(path).fileName()),
        [spec](Progress& p) -> Result<OpenSound> {
            OpenSound sound = open_sound(spec, {}, p);
            if (sound.problem) return fail(*sound.problem);
            return sound;
        },
        [this, spec, generation = document_.generation()](Result<OpenSound> sound) {
            if (generation != document_.generation()) return;
            if (!sound) {
                document_.report(sound.error());
                return;
            }
            open_.sounds[SoundId(document_.project().next_id)] = std::move(*sound);
            document_.edit(tr("Add the sound %1").arg(QString::fromStdString(spec.name)),
                           [&](Project& p) -> Result<void> {
                               SoundSpec added = spec;
                               added.id = SoundId(p.next_id++);
                               p.sounds.push_back(added);
                               return {};
                           });
        });
}

// Sounds that an edit, or its undoing, takes from another file or channel, or brings back.
void SourceLibrary::open_changed_sounds() {
    for (const SoundSpec& spec : document_.project().sounds) {
        OpenSound& now = open_.sounds[spec.id];
        if (now.path == spec.path && now.channel == spec.channel) continue;
        now = {};
        now.path = spec.path, now.channel = spec.channel;
        jobs_.start<OpenSound>(
            this, tr("Reading %1").arg(QString::fromStdString(spec.name)),
            [spec](Progress& p) -> Result<OpenSound> { return open_sound(spec, {}, p); },
            [this, spec, generation = document_.generation()](Result<OpenSound> sound) {
                const SoundSpec* still = document_.project().sound(spec.id);
                if (generation != document_.generation() || !sound || !still || still->path != spec.path ||
                    still->channel != spec.channel)
                    return;
                if (sound->problem) emit document_.problem(*sound->problem);
                open_.sounds[spec.id] = std::move(*sound);
                emit changed(false);
            });
    }
}

} // namespace garland
