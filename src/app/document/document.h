// The open project, its undo history, and the prepared show that every view asks.
#pragma once

#include "app/document/source_library.h"
#include "io/project/project_file.h"

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <functional>

namespace garland {

class Document : public QObject {
    Q_OBJECT
  public:
    explicit Document(Jobs& jobs, QObject* parent = nullptr);
    ~Document() override;

    const Project& project() const { return project_; }
    const ShowPtr& show() const { return show_; }
    SourceLibrary& library() { return library_; }
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
    quint64 edits() const { return edits_; }                 // made since the program began; for those who keep copies
    quint64 generation() const { return generation_; }       // another project, another number
    void set_undo_steps(int most) { undo_steps_ = most; }    // 0: all; from the next project on
    void set_rate_of_new(Rate rate) { rate_of_new_ = rate; } // output frames per second of projects begun from now on

    // For undo commands.
    void apply_edit(const Edit& edit, bool forward);
    // By problem(), where it was not cancelled; what it says nothing of is kept as told here.
    void report(Error error, const char* kept = "the project as it is");

  signals:
    void changed();         // anything in the project or its opened sources
    void sources_changed(); // sources came, went or were opened
    void path_changed();
    void opened();
    void problem(const garland::Error& error);
    void hint(const QString& words); // something worth knowing that nobody asked for

  private:
    void rebuild();
    void solve();
    void reset(Project project, const QString& path, OpenSources sources, std::vector<MissingSource> missing,
               const ProjectStamp& stamp = {});

    Jobs& jobs_;
    Project project_;
    SourceLibrary library_;
    QPointer<Job> solving_;
    ShowPtr show_;
    QUndoStack undo_;
    QString path_;
    ProjectStamp stamp_; // of its file, as read or written here
    std::function<bool()> may_discard_;
    quint64 edits_ = 0, generation_ = 0;
    quint64 merge_serial_ = 0;
    QString last_merge_;
    bool editing_ = false;
    int undo_steps_ = 0;
    Rate rate_of_new_;
    QPointer<Job> opening_;
};

} // namespace garland
