#include "app/document/document.h"

#include "core/base/memory.h"
#include "core/project/timings.h"
#include "core/source/motion_box.h"
#include "io/files/series.h"
#include "io/sources/open_source.h"

#include <QFileInfo>
#include <QUndoCommand>

namespace garland {

namespace {

// Every path of a project that lies at `path`, absolute.
void make_absolute(Project& p, const std::string& path) {
    const auto whole = [&](const std::string& file) {
        return file.empty()
                   ? file
                   : QFileInfo(QString::fromStdString(absolute_path(file, path))).absoluteFilePath().toStdString();
    };
    for (SourceSpec& s : p.sources) {
        s.path = whole(s.path);
        for (std::string& shape : s.shapes) shape = whole(shape);
    }
    for (SoundSpec& s : p.sounds) s.path = whole(s.path);
}

// Holds values only: ids, old and new parts.
class EditCommand : public QUndoCommand {
  public:
    EditCommand(Document& document, Edit edit, quint64 merge)
        : QUndoCommand(QString::fromStdString(edit.words)), document_(document), edit_(std::move(edit)), merge_(merge) {
    }

    int id() const override { return merge_ ? 1 : -1; }
    void undo() override { document_.apply_edit(edit_, false); }
    void redo() override { document_.apply_edit(edit_, true); }
    bool mergeWith(const QUndoCommand* next) override {
        const auto* other = static_cast<const EditCommand*>(next);
        if (other->merge_ != merge_) return false;
        Project before = document_.project(); // after both; go back to before the first
        revert(before, other->edit_);
        revert(before, edit_);
        edit_ = joined(edit_, other->edit_, before);
        if (edit_.empty()) setObsolete(true); // led back to where it began
        setText(QString::fromStdString(edit_.words));
        return true;
    }

  private:
    Document& document_;
    Edit edit_;
    quint64 merge_;
};

} // namespace

Document::Document(Jobs& jobs, QObject* parent) : QObject(parent), jobs_(jobs), cache_(usual_cache_bytes()) {
    connect(&undo_, &QUndoStack::cleanChanged, this, &Document::path_changed);
    connect(&undo_, &QUndoStack::indexChanged, this, [this] {
        if (!editing_) end_merge(); // undone or redone: the next edit is a step of its own
    });
    rebuild();
}

Document::~Document() {
    jobs_.stop(); // they read through this document's cache
}

QString Document::title() const {
    if (!project_.settings.name.empty()) return QString::fromStdString(project_.settings.name);
    return path_.isEmpty() ? tr("New project") : QFileInfo(path_).completeBaseName();
}

void Document::rebuild() {
    constexpr std::size_t at_once = 2400; // entries of so many copies, integrals of 200: some 40 ms
    show_ = make_show(project_, sources_, cache_, show_.get(), {at_once});
    solve();
    learn_ground();
    learn_motion();
}

const Imath::Box3f* Document::motion(SourceId id) const {
    const auto at = motions_.find(id);
    return at == motions_.end() || !at->second.box || at->second.box->isEmpty() ? nullptr : &*at->second.box;
}

// Quietly, once for each way a source is taken.
void Document::learn_motion() {
    constexpr std::int64_t most_frames = 24;
    std::erase_if(motions_, [&](const auto& entry) { return !project_.source(entry.first); });
    for (const auto& entry : show_->samplers) {
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
void Document::learn_ground() {
    if (!needs_groundwork(project_, sources_)) return;
    if (learning_) return; // what it does not bring is asked for when it has ended
    learning_ = jobs_.start<OpenSources>(
        this, tr("Reading carriers"),
        [this, project = project_, sources = sources_](Progress& p) mutable -> Result<OpenSources> {
            GARLAND_TRY(learned, find_groundwork(project, sources, cache_, p));
            static_cast<void>(learned);
            return sources;
        },
        [this](Result<OpenSources> result) {
            learning_ = nullptr;
            if (!result) {
                if (result.error().code == ErrorCode::cancelled && needs_groundwork(project_, sources_)) {
                    emit hint(tr("Stopped reading what carries copies: they are not shown until it is read. The next "
                                 "change of the project reads it"));
                }
                return;
            }
            for (auto& [id, open] : *result) {
                const auto now = sources_.find(id);
                if (now == sources_.end() || now->second.serial != open.serial) continue;
                now->second.ground = open.ground;
                now->second.ground_settings = open.ground_settings;
                now->second.ground_problem = open.ground_problem;
                if (open.ground_problem && !(told_.count(open.serial))) {
                    told_.insert(open.serial);
                    emit problem(*open.ground_problem);
                }
            }
            take_drive_ground(*result);
            rebuild();
            emit changed();
        });
}

void Document::apply_edit(const Edit& edit, bool forward) {
    if (forward) {
        apply(project_, edit);
    } else {
        revert(project_, edit);
    }
    if (!edit.sources.empty()) open_changed();
    if (!edit.sounds.empty()) open_changed_sounds();
    rebuild();
    if (!edit.sources.empty()) emit sources_changed();
    emit changed();
}

Document::OpenedAs Document::opened_as(const SourceSpec& s) {
    return {s.path, s.water, s.water ? s.rate : Rate{}, s.shapes, s.shapes.empty() ? 0 : s.shape_frames, s.choices};
}

// Sources that an edit, or its undoing, takes from elsewhere: small water at once, everything else in the background.
void Document::open_changed() {
    for (const SourceSpec& spec : project_.sources) {
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
            [spec, path = path_.toStdString()](Progress& p) { return open_spec(spec, path, p); },
            [this, id = spec.id, wanted](Result<SourcePtr> result) {
                if (!result) tell(result.error());
                opened_source(id, wanted, std::move(result));
                rebuild();
                emit sources_changed();
                emit changed();
            });
    }
}

void Document::opened_source(SourceId id, const OpenedAs& as, Result<SourcePtr> source) {
    if (!project_.source(id)) return;
    if (auto old = sources_.find(id); old != sources_.end()) cache_.forget(old->second.serial);
    std::erase_if(missing_, [&](const MissingSource& m) { return m.id == id; });
    opened_as_[id] = as;
    if (source) {
        sources_[id] = {std::move(*source), PoseCache::new_serial()};
    } else {
        sources_.erase(id);
        missing_.push_back({id, source.error()});
    }
}

void Document::add_opened(const QString& title, const SourcePtr& source, const std::function<void(Project&)>& add) {
    const SourceId id(project_.next_id);
    sources_[id] = {source, PoseCache::new_serial()};
    edit(tr("Gather %1").arg(title), [&](Project& p) -> Result<void> {
        add(p);
        opened_as_[id] = opened_as(*p.source(id));
        return {};
    });
    emit source_added(id);
}

void Document::add_water(const WaterSpec& water) {
    add_opened(tr("water"), make_water(water, project_.settings.rate),
               [&](Project& p) { ::garland::add_water(p, tr("water").toStdString(), water); });
}

void Document::add_shapes(const QStringList& paths) {
    std::vector<std::string> files;
    for (const QString& path : paths) files.push_back(QFileInfo(path).absoluteFilePath().toStdString());
    const std::int64_t each = SourceSpec{}.shape_frames;
    jobs_.start<SourcePtr>(
        this, tr("Gathering shapes"), [files, each](Progress& p) { return open_shapes(files, each, p); },
        [this, files](Result<SourcePtr> result) {
            if (!result) {
                tell(result.error());
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

bool Document::edit(const QString& words, const std::function<Result<void>(Project&)>& change, const QString& merge) {
    Project next = project_;
    Result<void> done = change(next);
    if (done) done = validate(next);
    if (!done) {
        tell(done.error());
        return false;
    }
    Edit step = difference(project_, next, words.toStdString());
    if (step.empty()) return false;
    if (merge.isEmpty() || merge != last_merge_) ++merge_serial_;
    last_merge_ = merge;
    editing_ = true;
    undo_.push(new EditCommand(*this, std::move(step), merge.isEmpty() ? 0 : merge_serial_));
    editing_ = false;
    ++edits_;
    return true;
}

void Document::tell(Error error, const char* kept) {
    if (error.code == ErrorCode::cancelled) return; // the user knows
    if (error.kept.empty()) error.kept = kept;
    emit problem(error);
}

void Document::end_merge() {
    last_merge_.clear();
}

void Document::reset(Project project, const QString& path, OpenSources sources, std::vector<MissingSource> missing,
                     const ProjectStamp& stamp) {
    ++generation_;
    jobs_.drop_all(); // what they bring belongs to the project that goes
    learning_ = nullptr;
    reopening_.clear();
    for (const auto& [id, source] : sources_) cache_.forget(source.serial);
    project_ = std::move(project);
    make_absolute(project_, path.toStdString());
    stamp_ = stamp;
    sources_ = std::move(sources);
    missing_ = std::move(missing);
    opened_as_.clear();
    for (const SourceSpec& spec : project_.sources) opened_as_[spec.id] = opened_as(spec);
    path_ = path;
    undo_.clear();
    undo_.setUndoLimit(undo_steps_);
    end_merge();
    rebuild();
    emit path_changed();
    emit sources_changed();
    emit changed();
    emit opened();
}

void Document::start_new() {
    Project fresh;
    fresh.settings.rate = rate_of_new_;
    reset(std::move(fresh), {}, {}, {});
}

namespace {
struct OpenedFile {
    OpenedProject opened;
    ProjectStamp stamp;
};
} // namespace

void Document::open(const QString& path) {
    if (opening_) opening_->drop();
    const std::string name = QFileInfo(path).absoluteFilePath().toStdString();
    opening_ = jobs_.start<OpenedFile>(
        this, tr("Opening %1").arg(QFileInfo(path).fileName()),
        [name](Progress& p) -> Result<OpenedFile> {
            OpenedFile out;
            GARLAND_TRY(project, load_project(name, &out.stamp));
            GARLAND_TRY(opened, open_project(std::move(project), name, p));
            out.opened = std::move(opened);
            return out;
        },
        [this, path, edits = edits_](Result<OpenedFile> result) {
            opening_ = nullptr;
            if (!result) {
                tell(result.error(), "what is open here");
                return;
            }
            if (edits != edits_ && may_discard_ && !may_discard_()) return; // something was made while it was read
            reset(std::move(result->opened.project), path, std::move(result->opened.sources),
                  std::move(result->opened.missing), result->stamp);
            for (const MissingSource& m : missing_) {
                Error error = m.error;
                error.message = "the source \"" + project_.source(m.id)->name + "\" is not there: " + error.message;
                emit problem(error);
            }
        });
}

// Not as a file that was read: nothing of it is saved yet, and its sources are opened one after another.
void Document::open_recovered(const Project& project, const QString& path) {
    ProjectStamp stamp;
    static_cast<void>(load_project(path.toStdString(), &stamp)); // what lies there now is what saving may replace
    reset(Project{}, path, {}, {}, stamp);
    edit(tr("Recover unsaved changes"), [&](Project& p) -> Result<void> {
        p = project;
        return {};
    });
    reopen_all();
}

void Document::reopen_all() {
    for (const SourceSpec& spec : project_.sources) opened_as_[spec.id] = {};
    open_changed();
}

Project Document::as_saved(const QString& path) const {
    Project copy = project_;
    const std::string file = path.isEmpty() ? std::string() : QFileInfo(path).absoluteFilePath().toStdString();
    for (SourceSpec& s : copy.sources) {
        if (!s.path.empty()) s.path = relative_path(s.path, file);
        for (std::string& shape : s.shapes) shape = relative_path(shape, file);
    }
    for (SoundSpec& s : copy.sounds) {
        if (!s.path.empty()) s.path = relative_path(s.path, file);
    }
    return copy;
}

bool Document::changed_on_disk() const {
    if (path_.isEmpty()) return false;
    std::vector<char> bytes;
    if (!read_file(path_.toStdString(), bytes, std::uint64_t(1) << 30)) return true;
    return !(stamp_of({bytes.data(), bytes.size()}) == stamp_);
}

Result<void> Document::try_save(const QString& path, bool over_changes) {
    const bool same_file = path == path_;
    ProjectStamp stamp = stamp_;
    const Project copy = as_saved(path);
    if (over_changes || !same_file) {
        GARLAND_CHECK(save_project(path.toStdString(), copy, Existing::replace));
        stamp = stamp_of(project_text(copy));
    } else {
        GARLAND_CHECK(save_project(path.toStdString(), copy, Existing::replace, &stamp));
    }
    stamp_ = stamp;
    path_ = path;
    undo_.setClean();
    emit path_changed();
    return {};
}

bool Document::save(const QString& path) {
    auto done = try_save(path);
    if (!done) emit problem(done.error());
    return done.has_value();
}

void Document::add_source(const QString& path) {
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
                tell(result.error());
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

void Document::replace_source(SourceId id, const QString& path) {
    const SourceSpec* spec = project_.source(id);
    if (!spec) return;
    SourceSpec taken = *spec;
    taken.path = QFileInfo(path).absoluteFilePath().toStdString();
    taken.water.reset();
    taken.shapes.clear();
    retake_source(id, std::move(taken), tr("Gathering %1").arg(QFileInfo(path).fileName()),
                  tr("Use %1").arg(QFileInfo(path).fileName()));
}

void Document::choose_in_source(SourceId id, const SourceChoice& choice, const std::string& option) {
    const SourceSpec* spec = project_.source(id);
    if (!spec || option == choice.chosen) return;
    SourceSpec taken = *spec;
    taken.choices.erase(choice.name);
    if (!option.empty()) taken.choices[choice.name] = option;
    retake_source(id, std::move(taken), tr("Gathering %1").arg(QString::fromStdString(spec->name)),
                  tr("Choose %1: %2").arg(QString::fromStdString(choice.title), QString::fromStdString(option)));
}

void Document::retake_source(SourceId id, SourceSpec taken, const QString& job, const QString& words_of_edit) {
    jobs_.start<SourcePtr>(
        this, job, [taken, path = path_.toStdString()](Progress& p) { return open_spec(taken, path, p); },
        [this, id, taken, words_of_edit](Result<SourcePtr> result) {
            if (!project_.source(id)) return;
            if (!result) {
                tell(result.error());
                return;
            }
            std::optional<std::pair<std::int64_t, std::int64_t>> before;
            if (const auto was = sources_.find(id); was != sources_.end())
                before.emplace(was->second.source->facts().first, was->second.source->facts().last);
            opened_source(id, opened_as(taken), std::move(result));
            const auto now = sources_.find(id);
            edit(words_of_edit, [&](Project& p) -> Result<void> {
                // What was changed while the file was opened stays.
                const SourceSpec was = *p.source(id);
                SourceSpec& now_is = *p.source(id);
                now_is.path = taken.path, now_is.water = taken.water, now_is.shapes = taken.shapes;
                now_is.choices = taken.choices;
                if (before && now != sources_.end()) { // timings that nobody changed go along
                    const SourceFacts& f = now->second.source->facts();
                    const SourceClock then = clock_of(was, before->first, before->second, p.settings.rate),
                                      here = clock_of(taken, f.first, f.last, p.settings.rate);
                    const std::string words = follow_source(p, id, then, here).words(p, here);
                    if (!words.empty()) emit hint(QString::fromStdString(words));
                }
                return {};
            });
            rebuild(); // the same path may have been put back
            emit sources_changed();
            emit changed();
        });
}

void Document::fast_copy(SourceId id, const FastCopyOrder& order) {
    const auto open = sources_.find(id);
    if (open == sources_.end()) return;
    const auto job = jobs_.start<FastCopyDone>(
        this, tr("Copying"),
        [source = open->second.source, order](Progress& p) { return make_fast_copy(*source, order, p); },
        [this, id, generation = generation_](Result<FastCopyDone> done) {
            if (!done) {
                tell(done.error());
                return;
            }
            if (generation == generation_) replace_source(id, QString::fromStdString(done->files.front()));
        });
    job->set_writes(true);
}

void Document::set_cache_limit(std::size_t bytes) {
    cache_.set_limit(bytes);
}

} // namespace garland
