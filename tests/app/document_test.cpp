// The open project without a window: undo steps, drags that become one, background work that is cancelled or dropped.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/patience.h"

#include "app/document/autosave.h"
#include "app/document/viewing.h"
#include "io/files/series.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

#include <QSignalSpy>
#include <thread>

using namespace garland;
using namespace garland::testing;

namespace {
struct Open {
    Folder folder;
    Jobs jobs;
    Document document{jobs};
    Viewing viewing{document};

    Open() {
        for (int f = 1; f <= 6; ++f) {
            if (!write_ply(folder / numbered("a.", f, 4, ".ply"), tetrahedron(f), PlyForm::ascii, Existing::refuse))
                qFatal("no room");
        }
        QSignalSpy added(&document.library(), &SourceLibrary::added);
        document.library().add(QString::fromStdString(folder / "a.0002.ply"));
        if (!added.wait(5000)) qFatal("nothing was gathered");
        document.undo().clear();
    }
    bool set_count(int n, const QString& merge = {}) {
        return document.edit(
            "Set copies",
            [n](Project& p) -> Result<void> {
                p.arrangements[0].layout.count = n;
                return {};
            },
            merge);
    }
};
} // namespace

class DocumentTest : public QObject {
    Q_OBJECT
  private slots:
    void a_drag_is_one_step() {
        Open o;
        const std::string before = project_text(o.document.project());
        for (int n = 2; n <= 9; ++n) QVERIFY(o.set_count(n, "count"));
        QCOMPARE(o.document.undo().count(), 1);
        o.document.end_merge();
        QVERIFY(o.set_count(20, "count"));
        QCOMPARE(o.document.undo().count(), 2);
        QVERIFY(o.set_count(21, "another"));
        QVERIFY(o.set_count(22));
        QVERIFY(o.set_count(23));
        QCOMPARE(o.document.undo().count(), 5);
        for (int i = 0; i < 5; ++i) o.document.undo().undo();
        QCOMPARE(project_text(o.document.project()), before);
        o.document.undo().redo();
        QCOMPARE(o.document.project().arrangements[0].layout.count, 9);
    }
    void an_edit_that_changes_nothing_is_none() {
        Open o;
        QVERIFY(!o.set_count(1));
        QCOMPARE(o.document.undo().count(), 0);
        QVERIFY(!o.document.dirty());
    }
    void a_refused_edit_leaves_all_as_it_was() {
        Open o;
        QSignalSpy problems(&o.document, &Document::problem), changes(&o.document, &Document::changed);
        QVERIFY(!o.set_count(0));
        QVERIFY(!o.document.edit("bad", [](Project& p) -> Result<void> {
            p.arrangements.clear();
            return fail(ErrorCode::invalid, "no");
        }));
        QCOMPARE(problems.count(), 2);
        QCOMPARE(changes.count(), 0);
        QCOMPARE(o.document.project().arrangements.size(), std::size_t(1));
    }
    void saving_elsewhere_keeps_paths_right() {
        Open o;
        const Folder other;
        QVERIFY(o.document.save(QString::fromStdString(o.folder / "p.garland")));
        QCOMPARE(o.document.project().sources[0].path, o.folder / "a.0002.ply"); // whole in memory, short in the file
        QCOMPARE(load_project(o.folder / "p.garland")->sources[0].path, std::string("a.0002.ply"));
        QVERIFY(o.document.save(QString::fromStdString(other / "p.garland")));
        QCOMPARE(load_project(other / "p.garland")->sources[0].path,
                 relative_path(o.folder / "a.0002.ply", other / "p.garland"));
        const auto opened = open_project(other / "p.garland");
        QVERIFY(opened && opened->missing.empty()); // found again from the new folder
        QVERIFY(!o.document.dirty());
        QVERIFY(!o.document.save("/nowhere/p.garland"));
        QCOMPARE(o.document.path(), QString::fromStdString(other / "p.garland")); // a failed save moves nothing
    }
    // An edit undone after the project was saved elsewhere means the file it meant when it was made.
    void undoing_after_saving_elsewhere_means_the_same_file() {
        Open o;
        const Folder other;
        QVERIFY(o.document.save(QString::fromStdString(o.folder / "p.garland")));
        const std::string was = o.document.project().sources[0].path;
        other.write("a.0002.ply", o.folder.read("a.0002.ply")); // of the same name, and another one
        QVERIFY(o.document.edit("elsewhere", [&](Project& p) -> Result<void> {
            p.sources[0].path = other / "a.0002.ply";
            return {};
        }));
        QVERIFY(o.document.save(QString::fromStdString(other / "p.garland")));
        o.document.undo().undo();
        QCOMPARE(o.document.project().sources[0].path, was);
    }
    void another_programs_changes_are_not_written_over() {
        Open o;
        const QString path = QString::fromStdString(o.folder / "p.garland");
        QVERIFY(o.document.save(path));
        QVERIFY(!o.document.changed_on_disk());
        Project theirs = *load_project(path.toStdString());
        theirs.settings.markers.push_back({OutputFrame(7), "bell"});
        QVERIFY(save_project(path.toStdString(), theirs, Existing::replace));
        QVERIFY(o.document.changed_on_disk());
        QVERIFY(o.set_count(5));
        const auto refused = o.document.try_save(path);
        QVERIFY(!refused && refused.error().code == ErrorCode::changed);
        QCOMPARE(load_project(path.toStdString())->settings.markers.size(), std::size_t(1));
        QVERIFY(o.document.dirty());
        QVERIFY(o.document.try_save(path, true)); // asked for
        QVERIFY(load_project(path.toStdString())->settings.markers.empty());
        QVERIFY(!o.document.changed_on_disk());
    }
    // What was begun for one project does not land in the next.
    void jobs_end_with_their_project() {
        Open o;
        const QString more = QString::fromStdString(o.folder / "a.0002.ply");
        for (int k = 0; k < 20; ++k) {
            o.document.library().add(more);
            o.document.library().replace(SourceId(1), more);
            o.document.start_new();
            QTRY_COMPARE(o.document.jobs().running(), 0);
            QVERIFY(o.document.project().sources.empty());
            QVERIFY(!o.document.dirty());
        }
    }
    void unsaved_work_is_kept_and_offered() {
        Folder state;
        qputenv("XDG_STATE_HOME", QByteArray::fromStdString(state.path()));
        const QString copies = Autosave::folder();
        {
            Open o;
            Autosave autosave(o.document, 1);
            QVERIFY(o.document.save(QString::fromStdString(o.folder / "p.garland")));
            QVERIFY(QDir(copies).entryList(QDir::Files).isEmpty());
            QVERIFY(o.set_count(5));
            QVERIFY(o.set_count(6));
            QTRY_COMPARE_WITH_TIMEOUT(QDir(copies).entryList(QDir::Files).size(), 1, patience * 5000);
            QVERIFY(Autosave::left_behind().empty()); // its program still runs
            // As another program would find it once this one is gone.
            const QString file = QDir(copies).entryInfoList(QDir::Files).front().filePath();
            QVERIFY(QFile::copy(file, copies + "/999999999-1.json"));
            const auto left = Autosave::left_behind();
            QCOMPARE(left.size(), std::size_t(1));
            QCOMPARE(left[0].path, QString::fromStdString(o.folder / "p.garland"));
            QCOMPARE(left[0].edits, 2);
            QCOMPARE(left[0].project.arrangements[0].layout.count, 6);
            Jobs jobs;
            Document later(jobs);
            later.open_recovered(left[0].project, left[0].path);
            QVERIFY(later.dirty());
            QCOMPARE(later.project().arrangements[0].layout.count, 6);
            QTRY_COMPARE(later.library().open().size(), std::size_t(1));
            QVERIFY(later.try_save(later.path()));
            QCOMPARE(load_project(left[0].path.toStdString())->arrangements[0].layout.count, 6);
            Autosave::forget(left[0]);
            QVERIFY(o.document.try_save(o.document.path(), true));
            QCOMPARE(QDir(copies).entryList(QDir::Files).size(), 0); // saved: nothing is unsaved
        }
        qunsetenv("XDG_STATE_HOME");
    }
    void removing_and_bringing_back_a_source() {
        Open o;
        const SourceId id = o.document.project().sources[0].id;
        const Project before = o.document.project();
        QVERIFY(o.document.edit("Remove", [id](Project& p) -> Result<void> {
            remove_source(p, id);
            return {};
        }));
        QCOMPARE(o.document.show()->copies(), 0);
        QCOMPARE(o.viewing.current_copy(), -1);
        o.document.undo().undo();
        QVERIFY(o.document.project() == before);
        QVERIFY(pose_all(*o.document.show(), OutputFrame(2)).value()[0].poses.size() == 1); // its files are still open
    }
    void the_playhead_stays_in_the_range() {
        Open o;
        o.viewing.set_frame(500);
        QCOMPARE(o.viewing.frame().value, 240.0);
        o.document.edit("range", [](Project& p) -> Result<void> {
            p.settings.range = {10, 20};
            return {};
        });
        QCOMPARE(o.viewing.frame().value, 20.0);
        o.set_count(8);
        o.viewing.select({1, 5, 7});
        QCOMPARE(o.viewing.current_copy(), 1);
        o.set_count(6);
        QCOMPARE(o.viewing.selection(), (std::set<std::int64_t>{1, 5})); // copies that are gone are not picked
    }
    void work_runs_elsewhere_and_answers_here() {
        Jobs jobs;
        QObject receiver;
        std::optional<Result<int>> answer;
        bool elsewhere = false;
        const auto here = std::this_thread::get_id();
        jobs.start<int>(
            &receiver, "count",
            [&](Progress& p) -> Result<int> {
                elsewhere = std::this_thread::get_id() != here;
                p.report(0.5, "half");
                return 7;
            },
            [&](Result<int> r) {
                QCOMPARE(std::this_thread::get_id(), here);
                answer = r;
            });
        QTRY_VERIFY(answer.has_value());
        QVERIFY(elsewhere && **answer == 7);
        QTRY_COMPARE(jobs.running(), 0);
    }
    void dropped_work_never_answers_late() {
        Jobs jobs;
        QObject receiver;
        std::atomic<bool> begun{false}, go{false}, done{false};
        std::optional<ErrorCode> code;
        auto job = jobs.start<int>(
            &receiver, "slow",
            [&](Progress&) -> Result<int> { // takes no notice of being cancelled
                begun = true;
                while (!go) std::this_thread::yield();
                done = true;
                return 1;
            },
            [&](Result<int> r) { code = r ? ErrorCode::invalid : r.error().code; });
        QTRY_VERIFY(begun);
        job->drop();
        go = true;
        QTRY_VERIFY(code.has_value());
        QVERIFY(done && *code == ErrorCode::cancelled);
    }
    void long_jobs_never_keep_others_waiting() {
        Jobs jobs;
        QObject receiver;
        const int threads = std::max(3, QThread::idealThreadCount());
        std::atomic<bool> go{false};
        std::atomic<int> begun{0};
        auto wait = [&](Progress& p) -> Result<int> {
            ++begun;
            while (!go && !p.cancelled()) std::this_thread::yield();
            return 1;
        };
        auto nothing = [](Result<int>) {};
        for (int i = 0; i < threads; ++i) jobs.start<int>(&receiver, "long", wait, nothing);
        QTRY_COMPARE(begun.load(), threads);
        // One more waits, and says so; what the user looks at does not.
        bool last_done = false, quick_done = false;
        auto last = jobs.start<int>(
            &receiver, "one more", [](Progress&) -> Result<int> { return 1; }, [&](Result<int>) { last_done = true; });
        jobs.start<int>(
            &receiver, "a pose", [](Progress&) -> Result<int> { return 1; }, [&](Result<int>) { quick_done = true; },
            JobKind::interactive);
        QTRY_VERIFY(quick_done);
        QVERIFY(last->waiting() && !last_done);
        QCOMPARE(jobs.lasting().size(), static_cast<std::size_t>(threads) + 1);
        // A job that is paused gives its thread to the next.
        jobs.lasting().front()->pause(true);
        QTRY_VERIFY(last_done);
        QCOMPARE(jobs.lasting().size(), static_cast<std::size_t>(threads));
        QVERIFY(jobs.lasting().front()->paused());
        go = true;
        QTRY_COMPARE(jobs.running(), 1); // the paused one stands still
        jobs.lasting().front()->pause(false);
        QTRY_COMPARE(jobs.running(), 0);
    }
    void time_left_counts_work_alone() {
        Jobs jobs;
        QObject receiver;
        std::atomic<bool> go{false};
        auto job = jobs.start<int>(
            &receiver, "half",
            [&](Progress& p) -> Result<int> {
                p.report(0.5, "half of it");
                while (!go && !p.cancelled()) std::this_thread::yield();
                return 1;
            },
            [](Result<int>) {});
        QTRY_COMPARE(job->what(), QString("half of it"));
        QTRY_VERIFY(job->milliseconds() >= 60);
        job->pause(true);
        const qint64 left = job->left(); // half is done: as long again as it has worked
        QVERIFY(left >= 55 && left <= job->milliseconds() + 5);
        QTRY_VERIFY(job->milliseconds() >= 2 * left + 100);
        QCOMPARE(job->left(), left); // a pause is no work
        job->pause(false);
        go = true;
        QTRY_COMPARE(jobs.running(), 0);
        QCOMPARE(duration_words(4200), QString("4.2 s"));
        QCOMPARE(duration_words(65000), QString("1:05 min"));
        QCOMPARE(duration_words(7380000), QString("2 h 03 min"));
    }
    void waiting_for_a_thread_is_no_work() {
        Jobs jobs;
        QObject receiver;
        std::atomic<bool> go{false}, done{false};
        for (int i = 0; i < std::max(3, QThread::idealThreadCount()); ++i) {
            jobs.start<int>(
                &receiver, "long",
                [&](Progress& p) -> Result<int> {
                    while (!go && !p.cancelled()) std::this_thread::yield();
                    return 1;
                },
                [](Result<int>) {});
        }
        auto late = jobs.start<int>(
            &receiver, "late",
            [&](Progress& p) -> Result<int> {
                while (!done && !p.cancelled()) p.report(0.5, "half of it");
                return 1;
            },
            [](Result<int>) {});
        QTRY_VERIFY(late->milliseconds() >= 300);
        QVERIFY(late->waiting());
        go = true;
        QTRY_COMPARE(late->what(), QString("half of it"));
        QVERIFY(late->worked() <= late->milliseconds() - 300);
        QVERIFY(late->left() <= late->worked() + 5);
        done = true;
        QTRY_COMPARE(jobs.running(), 0);
    }
    void a_receiver_that_is_gone_is_not_called() {
        Jobs jobs;
        auto receiver = std::make_unique<QObject>();
        std::atomic<bool> go{false};
        bool called = false;
        jobs.start<int>(
            receiver.get(), "late",
            [&](Progress&) -> Result<int> {
                while (!go) std::this_thread::yield();
                return 1;
            },
            [&](Result<int>) { called = true; });
        receiver.reset();
        go = true;
        QTRY_COMPARE(jobs.running(), 0);
        QVERIFY(!called);
    }
    void unknown_files_are_problems() {
        Open o;
        QSignalSpy problems(&o.document, &Document::problem);
        o.document.open(QString::fromStdString(o.folder / "none.garland"));
        QVERIFY(problems.wait(5000));
        QCOMPARE(o.document.project().sources.size(), std::size_t(1));
        o.document.start_new();
        QVERIFY(o.document.project().sources.empty());
        QCOMPARE(o.document.show()->copies(), 0);
    }
};
GARLAND_TEST_CASE(DocumentTest)
#include "document_test.moc"
