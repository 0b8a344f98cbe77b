// The open project, its undo history, its opened sources, and the prepared show that every view asks.
#pragma once

#include "app/jobs/jobs.h"
#include "core/project/edits.h"
#include "core/project/show.h"
#include "io/handoff/fast_copy.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <functional>
#include <set>

namespace garland {

class Document : public QObject {
    Q_OBJECT
  public:
    explicit Document(Jobs& jobs, QObject* parent = nullptr);
    ~Document() override;

    const Project& project() const { return project_; }
    const ShowPtr& show() const { return show_; }
    const OpenSources& sources() const { return sources_; }
    const std::vector<MissingSource>& missing() const { return missing_; }
    PoseCache& cache() { return cache_; }
    // The box of a source over its whole motion, scene units; null while it is being measured, or where nothing can be.
    const Imath::Box3f* motion(SourceId id) const;
    Jobs& jobs() { return jobs_; }
    QUndoStack& undo() { return undo_; }
    const QString& path() const { return path_; }
    bool dirty() const { return !undo_.isClean(); }
    QString title() const;

    // Runs `change` on a copy of the project; when it succeeds and the result is valid, the difference becomes one undo
    // step called `words`. Steps with the same non-empty `merge` that follow each other become one (a drag). Returns
    // whether anything was changed; errors are sent by problem().
    bool edit(const QString& words, const std::function<Result<void>(Project&)>& change, const QString& merge = {});
    void end_merge(); // the next edit starts a step of its own

    void start_new();
    void open(const QString& path); // in the background; opened() or problem() follows
    // A project that was kept when a program ended without saving it: as it was then, unsaved. path: where it belongs,
    // or "".
    void open_recovered(const Project& project, const QString& path);
    bool save(const QString& path); // false: problem() was sent, the file on disk is as it was
    // The same with the error in hand; changed, where another program has written the file since it was opened or saved
    // here.
    Result<void> try_save(const QString& path, bool over_changes = false);
    bool changed_on_disk() const; // somebody else wrote the project's file, or removed it
    // Asked before an opened project takes the place of one that was edited meanwhile; not set: it does.
    void set_may_discard(std::function<bool()> ask) { may_discard_ = std::move(ask); }
    // Paths of sources are absolute in memory, so that an undone edit means the same file wherever the project was
    // saved meanwhile; this one has them as they are written into `path`.
    Project as_saved(const QString& path) const;
    quint64 edits() const { return edits_; }   // made since the program began; for those who keep copies
    void add_source(const QString& path);      // in the background
    void add_shapes(const QStringList& paths); // in the background: one source of hand-made meshes
    void add_water(const WaterSpec& water);
    void add_sound(const QString& path);                   // in the background
    void replace_source(SourceId id, const QString& path); // keeps all rules
    // Takes a variant or an animation of its file; empty: what the file says.
    void choose_in_source(SourceId id, const SourceChoice& choice, const std::string& option);
    // Writes a fast copy of a source and takes it in its place, in the background; its frames keep their numbers.
    void fast_copy(SourceId id, const FastCopyOrder& order);
    void set_cache_limit(std::size_t bytes);
    void set_undo_steps(int most) { undo_steps_ = most; }    // 0: all; from the next project on
    void set_rate_of_new(Rate rate) { rate_of_new_ = rate; } // output frames per second of projects begun from now on

    // For undo commands.
    void apply_edit(const Edit& edit, bool forward);

  signals:
    void changed();         // anything in the project or its opened sources
    void sources_changed(); // sources came, went or were opened
    void path_changed();
    void opened();
    void source_added(garland::SourceId id);
    void problem(const garland::Error& error);
    void motion_known(garland::SourceId id);
    void hint(const QString& words); // something worth knowing that nobody asked for

  private:
    // By problem(), where it was not cancelled; what it says nothing of is kept as told here.
    void tell(Error error, const char* kept = "the project as it is");
    void rebuild();
    void solve();
    void learn_ground();
    void learn_motion();
    void take_drive_ground(const OpenSources& learned);
    void open_changed_sounds();
    // What a source was opened from: when an edit changes it, it is opened again.
    struct OpenedAs {
        std::string path;
        std::optional<WaterSpec> water;
        Rate rate; // water only
        std::vector<std::string> shapes;
        std::int64_t shape_frames = 0;
        SourceChoices choices;
        bool operator==(const OpenedAs&) const = default;
    };
    static OpenedAs opened_as(const SourceSpec& spec);
    void open_changed();
    void opened_source(SourceId id, const OpenedAs& as, Result<SourcePtr> source);
    // Opens a source as `taken` says and puts it in place of the one that is there, as one edit.
    void retake_source(SourceId id, SourceSpec taken, const QString& job, const QString& edit);
    // add: puts the source into the project; it gets the next id.
    void add_opened(const QString& title, const SourcePtr& source, const std::function<void(Project&)>& add);
    void reset(Project project, const QString& path, OpenSources sources, std::vector<MissingSource> missing,
               const ProjectStamp& stamp = {});
    void reopen_all();

    Jobs& jobs_;
    PoseCache cache_;
    Project project_;
    OpenSources sources_;
    std::map<SourceId, OpenedAs> opened_as_;
    std::map<SourceId, QPointer<Job>> reopening_;
    QPointer<Job> learning_, solving_;
    struct Motion {
        std::uint64_t identity = 0; // of the sampler it is of
        std::optional<Imath::Box3f> box;
    };
    std::map<SourceId, Motion> motions_;
    std::set<std::string> told_words_; // trouble of zones and sounds that was told
    std::set<std::uint64_t> told_;     // serials of sources whose trouble as carriers was told
    std::vector<MissingSource> missing_;
    ShowPtr show_;
    QUndoStack undo_;
    QString path_;
    ProjectStamp stamp_; // of its file, as read or written here
    std::function<bool()> may_discard_;
    quint64 edits_ = 0, generation_ = 0; // generation: another project, another number
    quint64 merge_serial_ = 0;
    QString last_merge_;
    bool editing_ = false;
    int undo_steps_ = 0;
    Rate rate_of_new_;
    QPointer<Job> opening_;
};

} // namespace garland
