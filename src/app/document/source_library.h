// The sources and sounds of the open project, opened: how they come in, how they are opened again when an edit takes
// them from elsewhere, what is learned about them in the background, and the cache of their poses.
#pragma once

#include "app/jobs/jobs.h"
#include "core/project/edits.h"
#include "core/project/show.h"
#include "io/handoff/fast_copy.h"
#include "io/project/open_project.h"

#include <QObject>
#include <QPointer>
#include <QString>
#include <functional>
#include <map>
#include <optional>
#include <set>

namespace garland {

class Document;

class SourceLibrary : public QObject {
    Q_OBJECT
  public:
    SourceLibrary(Document& document, Jobs& jobs);

    const OpenSources& open() const { return open_; }
    const std::vector<MissingSource>& missing() const { return missing_; }
    PoseCache& cache() { return cache_; }
    void set_cache_limit(std::size_t bytes) { cache_.set_limit(bytes); }
    // The box of a source over its whole motion, metres; null while it is being measured, or where nothing can be.
    const Imath::Box3f* motion(SourceId id) const;

    // Each is one edit of the project, made when the files were read, in the background. Errors: by the document's
    // problem(); then the project is as it was.
    void add(const QString& path);
    void add_shapes(const QStringList& paths); // one source of hand-made meshes
    void add_water(const WaterSpec& water);    // at once
    void add_sound(const QString& path);
    void replace(SourceId id, const QString& path); // keeps all rules
    // Takes a variant or an animation of its file; empty: what the file says.
    void choose(SourceId id, const SourceChoice& choice, const std::string& option);
    // Writes a fast copy of a source and takes it in its place; its frames keep their numbers.
    void fast_copy(SourceId id, const FastCopyOrder& order);

    // For the document: another project is open, with what was opened for it; an edit was made or undone; the show was
    // prepared anew.
    void start(OpenSources open, std::vector<MissingSource> missing);
    void follow(const Edit& edit);
    void learn();
    void reopen_all();

  signals:
    // What is open, or known of it, is otherwise, outside an edit. sources: some came, went or were opened anew.
    void changed(bool sources);
    void added(garland::SourceId id);
    void motion_known(garland::SourceId id);

  private:
    void learn_ground();
    void learn_motion();
    void take_drive_ground(const OpenSources& learned);
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
    void open_changed_sounds();
    void opened_source(SourceId id, const OpenedAs& as, Result<SourcePtr> source);
    // Opens a source as `taken` says and puts it in place of the one that is there, as one edit.
    void retake_source(SourceId id, SourceSpec taken, const QString& job, const QString& edit);
    // add: puts the source into the project; it gets the next id.
    void add_opened(const QString& title, const SourcePtr& source, const std::function<void(Project&)>& add);

    Document& document_;
    Jobs& jobs_;
    PoseCache cache_;
    OpenSources open_;
    std::vector<MissingSource> missing_;
    std::map<SourceId, OpenedAs> opened_as_;
    std::map<SourceId, QPointer<Job>> reopening_;
    QPointer<Job> learning_;
    struct Motion {
        std::uint64_t identity = 0; // of the sampler it is of
        std::optional<Imath::Box3f> box;
    };
    std::map<SourceId, Motion> motions_;
    std::set<std::string> told_words_; // trouble of zones and sounds that was told
    std::set<std::uint64_t> told_;     // serials of sources whose trouble as carriers was told
};

} // namespace garland
