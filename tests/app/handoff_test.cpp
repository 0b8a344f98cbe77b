// The Hand off step: one retimed source as USD text; volumes seen through on the Scene.
#include "driving.h"

#include "app/panels/handoff/handoff_panel.h"
#include "app/scene_view/puffs.h"
#include "app/theme/tokens.h"
#include "io/handoff/job_file.h"
#include "io/sources/open_source.h"

#include <QDir>
#include <QThread>
#include <atomic>

#include <QInputDialog>
#include <QSettings>

using namespace garland;
using namespace garland::testing;

namespace {
bool seen(QWidget& in, const QString& name) {
    const auto all = in.findChildren<QWidget*>();
    return std::any_of(all.begin(), all.end(),
                       [&](QWidget* w) { return w->accessibleName() == name && w->isVisible(); });
}
} // namespace

class HandoffTest : public QObject {
    Q_OBJECT
  private slots:
    void one_retimed_source_is_written_and_read_back() {
        Opened o;
        HandoffPanel& panel = o.window.handoff();
        o.window.document().edit("half speed", [](Project& p) -> Result<void> {
            p.timings[0].map = parse_map("1:0 41:20");
            return {};
        });
        o.window.set_step(6);
        panel.set_folder(QString::fromStdString(o.folder / "out"));
        choose(panel, "What to hand off", "one retimed source");
        QVERIFY(named<QComboBox>(panel, "Source")->currentText() == "column");
        QVERIFY(!seen(panel, "Tolerance"));
        type(panel, "Name", "leaning");
        type(panel, "First frame to write", "1");
        type(panel, "Last frame to write", "41");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("One file, about"), patience * 5000);
        QSignalSpy written(&panel, &HandoffPanel::written);
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, patience * 20000);
        QTRY_VERIFY(all_text(panel).contains("41 frames in 41 samples"));
        const auto back = open_source(o.folder / "out/leaning.usda");
        QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
        QCOMPARE((*back)->facts().frames(), 41);
        const PosePtr pose = *(*back)->read(31, Progress::none()); // source frame 15, unplaced
        QVERIFY(std::abs(pose->points[20].x - (0.15f + 0.012f * 15)) < 1e-5f);
        QTRY_VERIFY(all_text(panel).contains("It already exists"));
        click(panel, "Write"); // it is complete
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("were complete and are kept"), patience * 5000);
        choose(panel, "Existing files", "leave them alone");
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("choose another place"), patience * 5000);
        choose(panel, "Existing files", "replace them");
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 3, patience * 20000);
        choose(panel, "What to hand off", "posed copies");
        QVERIFY(!seen(panel, "Source"));
        // What files will be called; and how long it takes, once one of the kind was written on this machine.
        QSettings().remove("handoff_speed");
        choose(panel, "Kind of file", "PLY, a file for each frame");
        type(panel, "Last frame to write", "40");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("They are called leaning.0001.ply to leaning.0040.ply."),
                                 patience * 5000);
        QVERIFY(!all_text(panel).contains("at the speed of the last one"));
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 4, patience * 20000);
        const double speed = QSettings().value("handoff_speed/posed-copies.ply").toDouble();
        QVERIFY(speed > 0);
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("at the speed of the last one"), patience * 5000);
        type(panel, "Name", "swaying");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("swaying.0001.ply to swaying.0040.ply"), patience * 5000);
        o.window.document().undo().setClean();
    }
    void job_files_are_written_for_others_and_taken_in() {
        Opened o;
        HandoffPanel& panel = o.window.handoff();
        o.window.set_step(6);
        panel.set_folder(QString::fromStdString(o.folder / "out"));
        choose(panel, "What to hand off", "posed copies");
        choose(panel, "Kind of file", "PLY, a file for each frame");
        type(panel, "Name", "shared");
        type(panel, "First frame to write", "1");
        type(panel, "Last frame to write", "12");
        panel.write_job_file(4);
        QTRY_VERIFY(all_text(panel).contains("Save the project first"));
        QVERIFY(!QDir(QString::fromStdString(o.folder / "out")).exists());
        QVERIFY(o.window.document().save(QString::fromStdString(o.folder / "canal.garland")));
        in_next<QInputDialog>([](QInputDialog& box) {
            box.setIntValue(3); // shares
            QTest::keyClick(&box, Qt::Key_Return);
        });
        click(panel, "Job file…");
        const QString file = QString::fromStdString(o.folder / "out/shared.ply.job.json");
        QTRY_VERIFY(all_text(panel).contains(file + " written"));
        QVERIFY(all_text(panel).contains("--chunk K/3"));
        const auto job = read_job(file.toStdString());
        QVERIFY2(job, job ? "" : qPrintable(said(job.error())));
        QCOMPARE(job->chunks, 3);
        QVERIFY(job->order.frames.range == (FrameRange{1, 12}));

        // Taken in: it is written as if it had been set up here.
        type(panel, "Name", "another");
        QSignalSpy written(&panel, &HandoffPanel::written);
        panel.add_job_file(file);
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, patience * 20000);
        QVERIFY(QFileInfo::exists(QString::fromStdString(o.folder / "out/shared.0012.ply")));
        QVERIFY(!QFileInfo::exists(QString::fromStdString(o.folder / "out/another.0001.ply")));

        // Of another project, of one that was changed, or no job file at all: said, and nothing waits.
        o.window.document().edit("bell", [](Project& p) -> Result<void> {
            p.settings.markers.push_back({OutputFrame(3), "bell"});
            return {};
        });
        panel.add_job_file(file);
        QTRY_VERIFY(all_text(panel).contains("Save or undo what was changed"));
        o.window.document().start_new();
        o.window.set_step(6);
        panel.add_job_file(file);
        QTRY_VERIFY(all_text(panel).contains("is of the project"));
        o.folder.write("out/broken.job.json", "{\"job\": ");
        panel.add_job_file(QString::fromStdString(o.folder / "out/broken.job.json"));
        QTRY_VERIFY(all_text(panel).contains("broken.job.json"));
        QVERIFY(panel.queue().items().empty());
    }
    // More than the disk has room for is said before anything is written, in the colour of findings.
    void what_does_not_fit_the_disk_is_said() {
        Opened o;
        o.window.set_step(6);
        auto& panel = o.window.handoff();
        panel.set_folder(QString::fromStdString(o.folder / "written"));
        auto label = [&](const QString& words) -> QLabel* {
            for (QLabel* l : panel.findChildren<QLabel*>()) {
                if (l->isVisible() && l->text().contains(words)) return l;
            }
            return nullptr;
        };
        QTRY_VERIFY(label("240 files, about"));
        QCOMPARE(label("240 files, about")->objectName(), QString("muted"));
        o.window.document().edit("copies", [&](Project& p) -> Result<void> {
            p.arrangements[0].layout.count = 100'000, p.arrangements[0].layout.spacing = 0.01;
            p.settings.range = {1, 2'000'000};
            return {};
        });
        QTRY_VERIFY_WITH_TIMEOUT(label("The disk has too little room"), 60'000 * patience);
        QCOMPARE(label("The disk has too little room")->objectName(), QString("alert"));
        QCOMPARE(label("The disk has too little room")->palette().color(QPalette::WindowText), tokens().alert);
        QVERIFY(!QFile::exists(QString::fromStdString(o.folder / "written")));
        o.window.document().undo().setClean();
    }
    void shared_poses_say_how_exact_they_are() {
        Opened o;
        HandoffPanel& panel = o.window.handoff();
        o.window.document().edit("fifth of the speed", [](Project& p) -> Result<void> {
            p.timings[0].map = parse_map("1:0 41:8");
            return {};
        });
        o.window.set_step(6);
        panel.set_folder(QString::fromStdString(o.folder / "out"));
        choose(panel, "What to hand off", "shared poses");
        QTRY_VERIFY(seen(panel, "Poses per frame"));
        type(panel, "Poses per frame", "2");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("rounding moves points by"), patience * 5000);
        type(panel, "Poses per frame", "5"); // a fifth of a frame is met exactly
        QTRY_VERIFY_WITH_TIMEOUT(!all_text(panel).contains("usual step") &&
                                     all_text(panel).contains("rounding moves points by"),
                                 patience * 5000);
        QSignalSpy written(&panel, &HandoffPanel::written);
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, patience * 20000);
        QVERIFY(QFile::exists(QString::fromStdString(o.folder / "out/copies.usdc")));
        QVERIFY(QFile::exists(QString::fromStdString(o.folder / "out/copies.usdc.handoff.json")));
        choose(panel, "Kind of file", "USD text");
        choose(panel, "What to hand off", "references with timing");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("refer to their sources"), patience * 5000);
        QVERIFY(seen(panel, "Tolerance") && !seen(panel, "Poses per frame"));
        o.window.document().undo().setClean();
    }
    void moments_inside_the_shutter_and_timings() {
        Opened o;
        HandoffPanel& panel = o.window.handoff();
        o.window.set_step(6);
        panel.set_folder(QString::fromStdString(o.folder / "out"));
        choose(panel, "Kind of file", "PLY, a file for each frame");
        type(panel, "Name", "swaying_####");
        type(panel, "First frame to write", "5");
        type(panel, "Last frame to write", "6");
        QVERIFY(seen(panel, "Moments about each frame") && !seen(panel, "Shutter of the moments"));
        choose(panel, "Moments about each frame", "3 for each frame");
        QTRY_VERIFY(seen(panel, "Shutter of the moments"));
        type(panel, "Shutter of the moments", "90");
        QTRY_VERIFY_WITH_TIMEOUT(
            all_text(panel).contains("6 files") &&
                all_text(panel).contains("They are called swaying_0004.875.ply to swaying_0006.125.ply."),
            patience * 5000);
        QSignalSpy written(&panel, &HandoffPanel::written);
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, patience * 20000);
        QVERIFY(QFile::exists(QString::fromStdString(o.folder / "out/swaying_0005.ply")));
        QVERIFY(QFile::exists(QString::fromStdString(o.folder / "out/swaying_0005.125.ply")));
        // One file has no place for a number; what holds whole clocks has no moments.
        choose(panel, "Kind of file", "USD binary");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("all frames are one file"), patience * 5000);
        click(panel, "Write");
        QTRY_VERIFY(all_text(panel).contains("give a name without ##"));
        QCOMPARE(written.count(), 1);
        type(panel, "Name", "swaying");
        choose(panel, "What to hand off", "references with timing");
        QTRY_VERIFY(!seen(panel, "Moments about each frame"));
        choose(panel, "What to hand off", "timing curves and clips");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("over its whole span"), patience * 5000);
        QVERIFY(!seen(panel, "Moments about each frame") && !seen(panel, "Unit of what is written"));
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 2, patience * 20000);
        QVERIFY(QFile::exists(QString::fromStdString(o.folder / "out/swaying.json")));
        o.window.document().undo().setClean();
    }
    void files_in_another_space_with_handles() {
        Opened o;
        HandoffPanel& panel = o.window.handoff();
        o.window.set_step(6);
        panel.set_folder(QString::fromStdString(o.folder / "out"));
        choose(panel, "Kind of file", "USD text");
        choose(panel, "Up axis of what is written", "z up");
        choose(panel, "Unit of what is written", "cm");
        type(panel, "First frame to write", "10");
        type(panel, "Last frame to write", "12");
        type(panel, "Handles", "3");
        for (auto* box : panel.findChildren<QCheckBox*>()) {
            if (box->text() == "velocities")
                QTest::mouseClick(box, Qt::LeftButton, Qt::NoModifier, QPoint(8, box->height() / 2));
        }
        QSignalSpy written(&panel, &HandoffPanel::written);
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, patience * 20000);
        const std::string text = o.folder.read("out/copies.usda");
        for (const char* part :
             {"startTimeCode = 7\n", "endTimeCode = 15\n", "upAxis = \"Z\"", "metersPerUnit = 0.01\n"})
            QVERIFY2(text.find(part) != text.npos, part);
        QVERIFY(text.find("velocities") == text.npos);
        const auto back = open_source(o.folder / "out/copies.usda");
        QVERIFY(back);
        const PosePtr pose = *(*back)->read(7, Progress::none());
        float top = 0; // the column is a metre high
        for (const V3f& p : pose->points) top = std::max(top, p.z);
        QVERIFY(close(top, 100, 1e-3));
        // What has one space only does not ask.
        choose(panel, "What to hand off", "one file for any viewer");
        QVERIFY(!seen(panel, "Unit of what is written") && seen(panel, "Handles"));
        choose(panel, "What to hand off", "preview");
        QVERIFY(!seen(panel, "Unit of what is written") && !seen(panel, "Handles"));
        o.window.document().undo().setClean();
    }
    // One is written at a time; those that wait can be moved, taken away, and outlive New.
    void handoffs_wait_for_their_turn() {
        Opened o;
        HandoffPanel& panel = o.window.handoff();
        o.window.set_step(6);
        panel.set_folder(QString::fromStdString(o.folder / "out"));
        std::atomic<bool> free{false};
        panel.queue().add("a long one", [&](Progress& p) -> Result<HandoffAnswer> {
            while (!free && !p.cancelled()) QThread::msleep(5);
            return HandoffAnswer{"the long one is written", {}, {}};
        });
        for (const char* name : {"first", "second", "third"}) {
            type(panel, "Name", name);
            click(panel, "Write");
        }
        QTRY_VERIFY(all_text(panel).contains("Waits: posed copies"));
        QCOMPARE(panel.queue().items().size(), std::size_t(4));
        const int second = std::next(panel.queue().items().begin(), 2)->id;
        QTRY_VERIFY(button(panel, "Later") != nullptr);
        click(panel, "Later"); // the first of those that wait
        QCOMPARE(std::next(panel.queue().items().begin())->id, second);
        QTRY_VERIFY(button(panel, "Remove") != nullptr);
        settle(); // the rows are made anew
        click(panel, "Remove");
        QCOMPARE(panel.queue().items().size(), std::size_t(3));
        QVERIFY(button(panel, "Pause")->isVisible());
        click(panel, "Pause");
        QTRY_COMPARE(button(panel, "Go on") != nullptr, true);
        QVERIFY(panel.queue().job()->paused());
        click(panel, "Go on");
        QSignalSpy written(&panel, &HandoffPanel::written);
        o.window.document().undo().setClean();
        free = true;
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 3, patience * 20000);
        QVERIFY(panel.queue().items().empty() && !panel.queue().job());
        QTRY_VERIFY(!button(panel, "Cancel") || !button(panel, "Cancel")->isVisible());
        const QDir out(QString::fromStdString(o.folder / "out"));
        QVERIFY(out.entryList({"first.*.ply"}).size() > 0 && out.entryList({"third.*.ply"}).size() > 0);
        QCOMPARE(out.entryList({"second.*"}).size(), 0);
    }
    // Beer and Bouguer's law: four cells of the densest let 1/e through.
    void cells_of_smoke_are_drawn_from_far_to_near() {
        QVERIFY(std::abs(std::pow(1 - puff_opacity(1), 4) - std::exp(-1)) < 1e-6);
        VolumeDots dots;
        for (int i = 0; i < 50; ++i)
            dots.places.emplace_back(static_cast<float>(i % 7), 0, static_cast<float>(i % 11)),
                dots.strength.push_back(0.5f);
        dots.cell = 0.25f;
        SceneCopy copy;
        copy.size = V3f(2);
        copy.position = V3f(1, 0, 0);
        const auto all = sorted_puffs({{&copy, &dots, V3f(1), 0}}, V3d(0, 0, 30), V3d(0, 0, -1), V3f(1, 0, 0), 1000);
        QCOMPARE(all.size(), std::size_t(50));
        for (std::size_t i = 1; i < all.size(); ++i) QVERIFY(all[i].depth <= all[i - 1].depth);
        QVERIFY(std::abs(all.front().depth - 30) < 1e-4f); // at z = 0, farthest from the eye
        const auto some = sorted_puffs({{&copy, &dots, V3f(1), 1}}, V3d(0, 0, 30), V3d(0, 0, -1), V3f(1, 0, 0), 10);
        QCOMPARE(some.size(), std::size_t(10));
        QVERIFY(some[0].radius > all[0].radius);        // fewer, and larger
        QVERIFY(some[0].colour[0] > some[0].colour[1]); // picked: toward rose
    }
};
GARLAND_TEST_CASE(HandoffTest)
#include "handoff_test.moc"
