#include "app/document/source_library.h"

#include "app/document/document.h"
#include "core/base/memory.h"
#include "core/project/timings.h"
#include "core/source/motion_box.h"
#include "io/files/series.h"
#include "io/sources/open_source.h"

#include <QFileInfo>

namespace garland {

SourceLibrary::SourceLibrary(Document& document, Jobs& jobs)
    : document_(document), jobs_(jobs), cache_(usual_cache_bytes()) {}

void SourceLibrary::start(OpenSources open, std::vector<MissingSource> missing) {
    learning_ = nullptr;
    reopening_.clear();
    for (const auto& [id, source] : open_) cache_.forget(source.serial);
    open_ = std::move(open);
    missing_ = std::move(missing);
    opened_as_.clear();
    for (const SourceSpec& spec : document_.project().sources) opened_as_[spec.id] = opened_as(spec);
}

void SourceLibrary::follow(const Edit& edit) {
    if (!edit.sources.empty()) open_changed();
    if (!edit.sounds.empty()) open_changed_sounds();
}

void SourceLibrary::learn() {
    learn_ground();
    learn_motion();
}

const Imath::Box3f* SourceLibrary::motion(SourceId id) const {
    const auto at = motions_.find(id);
    return at == motions_.end() || !at->second.box || at->second.box->isEmpty() ? nullptr : &*at->second.box;
}

// Quietly, once for each way a source is taken.
void SourceLibrary::learn_motion() {
    constexpr std::int64_t most_frames = 24;
    std::erase_if(motions_, [&](const auto& entry) { return !document_.project().source(entry.first); });
    for (const auto& entry : document_.show()->samplers) {
        const SourceId id = entry.first;
        const Sampler& sampler = entry.second;
        Motion& motion = motions_[id];
        if (motion.identity == sampler.identity()) continue;
        motion = {sampler.identity(), std::nullopt};
        jobs_.start<MotionBox>(
            this, tr("Measuring the motion"), [sampler](Progress& p) { return motion_box(sampler, most_frames, p); },
            [this, id, identity = sampler.identity()](Result<MotionBox> measured) {
                const auto at = motions_.find(id);
                if (at == motions_.end() || at->second.identity != identity) return; // taken otherwise meanwhile
                if (!measured) {
                    motions_.erase(at); // measured again when it is next asked for
                    return;
                }
                at->second.box = measured->box;
                emit motion_known(id);
            },
            JobKind::interactive);
    }
}

// What arrangements stand on is read in the background; they have no copies until it is known.
void SourceLibrary::learn_ground() {
    if (!needs_groundwork(document_.project(), open_)) return;
    if (learning_) return; // what it does not bring is asked for when it has ended
    learning_ = jobs_.start<OpenSources>(
        this, tr("Reading carriers"),
        [this, project = document_.project(), sources = open_](Progress& p) mutable -> Result<OpenSources> {
            GARLAND_TRY(learned, find_groundwork(project, sources, cache_, p));
            static_cast<void>(learned);
            return sources;
        },
        [this](Result<OpenSources> result) {
            learning_ = nullptr;
            if (!result) {
                if (result.error().code == ErrorCode::cancelled && needs_groundwork(document_.project(), open_)) {
                    emit document_.hint(
                        tr("Stopped reading what carries copies: they are not shown until it is read. The next "
                           "change of the project reads it"));
                }
                return;
            }
            for (auto& [id, open] : *result) {
                const auto now = open_.find(id);
                if (now == open_.end() || now->second.serial != open.serial) continue;
                now->second.ground = open.ground;
                now->second.ground_settings = open.ground_settings;
                now->second.ground_problem = open.ground_problem;
                if (open.ground_problem && !(told_.count(open.serial))) {
                    told_.insert(open.serial);
                    emit document_.problem(*open.ground_problem);
                }
            }
            take_drive_ground(*result);
            emit changed(false);
        });
}

SourceLibrary::OpenedAs SourceLibrary::opened_as(const SourceSpec& s) {
    return {s.path, s.water, s.water ? s.rate : Rate{}, s.shapes, s.shapes.empty() ? 0 : s.shape_frames, s.choices};
}

// Sources that an edit, or its undoing, takes from elsewhere: small water at once, everything else in the background.
void SourceLibrary::open_changed() {
    for (const SourceSpec& spec : document_.project().sources) {
        const OpenedAs wanted = opened_as(spec);
        const auto now = opened_as_.find(spec.id);
        if (now == opened_as_.end() || now->second == wanted) continue;
        now->second = wanted;
        if (auto& running = reopening_[spec.id]) running->drop();
        if (spec.water && spec.water->resolution <= 128) {
            opened_source(spec.id, wanted, make_water(*spec.water, spec.rate));
            continue;
        }
        reopening_[spec.id] = jobs_.start<SourcePtr>(
            this, tr("Gathering %1").arg(QString::fromStdString(spec.name)),
            [spec, path = document_.path().toStdString()](Progress& p) { return open_spec(spec, path, p); },
            [this, id = spec.id, wanted](Result<SourcePtr> result) {
                if (!result) document_.report(result.error());
                opened_source(id, wanted, std::move(result));
                emit changed(true);
            });
    }
}

void SourceLibrary::opened_source(SourceId id, const OpenedAs& as, Result<SourcePtr> source) {
    if (!document_.project().source(id)) return;
    if (auto old = open_.find(id); old != open_.end()) cache_.forget(old->second.serial);
    std::erase_if(missing_, [&](const MissingSource& m) { return m.id == id; });
    opened_as_[id] = as;
    if (source) {
        open_[id] = {std::move(*source), PoseCache::new_serial()};
    } else {
        open_.erase(id);
        missing_.push_back({id, source.error()});
    }
}

void SourceLibrary::add_opened(const QString& title, const SourcePtr& source,
                               const std::function<void(Project&)>& add) {
    const SourceId id(document_.project().next_id);
    open_[id] = {source, PoseCache::new_serial()};
    document_.edit(tr("Gather %1").arg(title), [&](Project& p) -> Result<void> {
        add(p);
        opened_as_[id] = opened_as(*p.source(id));
        return {};
    });
    emit added(id);
}

void SourceLibrary::add_water(const WaterSpec& water) {
    add_opened(tr("water"), make_water(water, document_.project().settings.rate),
               [&](Project& p) { ::garland::add_water(p, tr("water").toStdString(), water); });
}

void SourceLibrary::add_shapes(const QStringList& paths) {
    std::vector<std::string> files;
    for (const QString& path : paths) files.push_back(QFileInfo(path).absoluteFilePath().toStdString());
    const std::int64_t each = SourceSpec{}.shape_frames;
    jobs_.start<SourcePtr>(
        this, tr("Gathering shapes"), [files, each](Progress& p) { return open_shapes(files, each, p); },
        [this, files](Result<SourcePtr> result) {
            if (!result) {
                document_.report(result.error());
                return;
            }
            const QString title = QString::fromStdString(source_name(files.front()));
            add_opened(title, *result, [&](Project& p) {
                const SourceId id = ::garland::add_source(p, title.toStdString(), files.front(),
                                                          length_of((*result)->facts(), p.settings.rate));
                SourceSpec& s = *p.source(id);
                s.shapes = files;
                s.import_settings.how = SubFrame::smooth;
            });
        });
}

void SourceLibrary::reopen_all() {
    for (const SourceSpec& spec : document_.project().sources) opened_as_[spec.id] = {};
    open_changed();
}

void SourceLibrary::add(const QString& path) {
    const std::string name = path.toStdString();
    struct Gathered {
        SourcePtr source;
        Imath::Box3f box; // over the motion, file units
    };
    jobs_.start<Gathered>(
        this, tr("Gathering %1").arg(QFileInfo(path).fileName()),
        [name](Progress& p) -> Result<Gathered> {
            PartOf opening(p, 0, 0.5), measuring(p, 0.5, 1);
            GARLAND_TRY(source, open_source(name, opening));
            const SourceFacts& f = source->facts();
            PoseCache cache(std::size_t(64) << 20); // nothing of it is needed again
            const Sampler sampler(source, make_clock(f.first, f.last, f.first, Rate{}, Join::frame_for_frame, Rate{}),
                                  {}, PoseCache::new_serial(), &cache);
            GARLAND_TRY(motion, motion_box(sampler, 12, measuring));
            return Gathered{source, motion.box};
        },
        [this, path](Result<Gathered> result) {
            if (!result) {
                document_.report(result.error());
                return;
            }
            const std::string stored = QFileInfo(path).absoluteFilePath().toStdString();
            const QString title = QString::fromStdString(source_name(path.toStdString()));
            add_opened(title, result->source, [&](Project& p) {
                SourceLength length = length_of(result->source->facts(), p.settings.rate);
                length.spacing = usual_spacing(result->box, length.up == UpAxis::z, length.scale);
                ::garland::add_source(p, title.toStdString(), stored, length);
            });
        });
}

void SourceLibrary::replace(SourceId id, const QString& path) {
    const SourceSpec* spec = document_.project().source(id);
    if (!spec) return;
    SourceSpec taken = *spec;
    taken.path = QFileInfo(path).absoluteFilePath().toStdString();
    taken.water.reset();
    taken.shapes.clear();
    retake_source(id, std::move(taken), tr("Gathering %1").arg(QFileInfo(path).fileName()),
                  tr("Use %1").arg(QFileInfo(path).fileName()));
}

void SourceLibrary::choose(SourceId id, const SourceChoice& choice, const std::string& option) {
    const SourceSpec* spec = document_.project().source(id);
    if (!spec || option == choice.chosen) return;
    SourceSpec taken = *spec;
    taken.choices.erase(choice.name);
    if (!option.empty()) taken.choices[choice.name] = option;
    retake_source(id, std::move(taken), tr("Gathering %1").arg(QString::fromStdString(spec->name)),
                  tr("Choose %1: %2").arg(QString::fromStdString(choice.title), QString::fromStdString(option)));
}

void SourceLibrary::retake_source(SourceId id, SourceSpec taken, const QString& job, const QString& words_of_edit) {
    jobs_.start<SourcePtr>(
        this, job, [taken, path = document_.path().toStdString()](Progress& p) { return open_spec(taken, path, p); },
        [this, id, taken, words_of_edit](Result<SourcePtr> result) {
            if (!document_.project().source(id)) return;
            if (!result) {
                document_.report(result.error());
                return;
            }
            std::optional<std::pair<std::int64_t, std::int64_t>> before;
            if (const auto was = open_.find(id); was != open_.end())
                before.emplace(was->second.source->facts().first, was->second.source->facts().last);
            opened_source(id, opened_as(taken), std::move(result));
            const auto now = open_.find(id);
            document_.edit(words_of_edit, [&](Project& p) -> Result<void> {
                // What was changed while the file was opened stays.
                const SourceSpec was = *p.source(id);
                SourceSpec& now_is = *p.source(id);
                now_is.path = taken.path, now_is.water = taken.water, now_is.shapes = taken.shapes;
                now_is.choices = taken.choices;
                if (before && now != open_.end()) { // timings that nobody changed go along
                    const SourceFacts& f = now->second.source->facts();
                    const SourceClock then = clock_of(was, before->first, before->second, p.settings.rate),
                                      here = clock_of(taken, f.first, f.last, p.settings.rate);
                    const std::string words = follow_source(p, id, then, here).words(p, here);
                    if (!words.empty()) emit document_.hint(QString::fromStdString(words));
                }
                return {};
            });
            emit changed(true);
        });
}

void SourceLibrary::fast_copy(SourceId id, const FastCopyOrder& order) {
    const auto open = open_.find(id);
    if (open == open_.end()) return;
    const auto job = jobs_.start<FastCopyDone>(
        this, tr("Copying"),
        [source = open->second.source, order](Progress& p) { return make_fast_copy(*source, order, p); },
        [this, id, generation = document_.generation()](Result<FastCopyDone> done) {
            if (!done) {
                document_.report(done.error());
                return;
            }
            if (generation == document_.generation()) replace(id, QString::fromStdString(done->files.front()));
        });
    job->set_writes(true);
}

} // namespace garland
