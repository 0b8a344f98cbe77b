#include "app/document/document.h"

#include "core/base/numbers.h"
#include "io/files/series.h"

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
        : QUndoCommand(QString::fromStdString(true_minus(edit.words))), document_(document), edit_(std::move(edit)),
          merge_(merge) {}

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
        setText(QString::fromStdString(true_minus(edit_.words)));
        return true;
    }

  private:
    Document& document_;
    Edit edit_;
    quint64 merge_;
};

} // namespace

Document::Document(Jobs& jobs, QObject* parent) : QObject(parent), jobs_(jobs), library_(*this, jobs) {
    connect(&library_, &SourceLibrary::changed, this, [this](bool sources) {
        rebuild();
        if (sources) emit sources_changed();
        emit changed();
    });
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
    show_ = make_show(project_, library_.open(), library_.cache(), show_.get(), {at_once});
    solve();
    library_.learn();
}

// What plays very many copies is solved in the background; until then they go on as before.
void Document::solve() {
    if (solving_) solving_->drop();
    if (!show_->unsolved) return;
    solving_ = jobs_.start<ShowPtr>(
        this, tr("Solving what plays the copies"),
        [this, project = project_, sources = library_.open(), before = show_](Progress& p) -> Result<ShowPtr> {
            ShowPtr solved = make_show(project, sources, library_.cache(), before.get(), {SIZE_MAX, &p});
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

void Document::apply_edit(const Edit& edit, bool forward) {
    if (forward) {
        apply(project_, edit);
    } else {
        revert(project_, edit);
    }
    library_.follow(edit);
    rebuild();
    if (!edit.sources.empty()) emit sources_changed();
    emit changed();
}

bool Document::edit(const QString& words, const std::function<Result<void>(Project&)>& change, const QString& merge) {
    Project next = project_;
    Result<void> done = change(next);
    if (done) done = validate(next);
    if (!done) {
        report(done.error());
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

void Document::report(Error error, const char* kept) {
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
    project_ = std::move(project);
    make_absolute(project_, path.toStdString());
    stamp_ = stamp;
    library_.start(std::move(sources), std::move(missing));
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
    std::string note; // of its reading, for the user
};
} // namespace

void Document::open(const QString& path) {
    if (opening_) opening_->drop();
    const std::string name = QFileInfo(path).absoluteFilePath().toStdString();
    opening_ = jobs_.start<OpenedFile>(
        this, tr("Opening %1").arg(QFileInfo(path).fileName()),
        [name](Progress& p) -> Result<OpenedFile> {
            OpenedFile out;
            GARLAND_TRY(project, load_project(name, &out.stamp, &out.note));
            GARLAND_TRY(opened, open_project(std::move(project), name, p));
            out.opened = std::move(opened);
            return out;
        },
        [this, path, edits = edits_](Result<OpenedFile> result) {
            opening_ = nullptr;
            if (!result) {
                report(result.error(), "what is open here");
                return;
            }
            if (edits != edits_ && may_discard_ && !may_discard_()) return; // something was made while it was read
            reset(std::move(result->opened.project), path, std::move(result->opened.sources),
                  std::move(result->opened.missing), result->stamp);
            for (const MissingSource& m : library_.missing()) {
                Error error = m.error;
                error.message = "the source \"" + project_.source(m.id)->name + "\" is not there: " + error.message;
                emit problem(error);
            }
            if (!result->note.empty()) emit hint(QString::fromStdString(result->note));
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
    library_.reopen_all();
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

} // namespace garland
