// The Hand off step: one retimed source as USD text; volumes seen through on the Scene.
#include "driving.h"

#include "app/panels/handoff/handoff_panel.h"
#include "app/scene_view/puffs.h"
#include "io/sources/open_source.h"

using namespace garland;
using namespace garland::testing;

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
        click_tab(panel, "one retimed source");
        QVERIFY(named<QComboBox>(panel, "Source")->currentText() == "column");
        type(panel, "Name", "leaning");
        type(panel, "First frame to write", "1");
        type(panel, "Last frame to write", "41");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("One file, about"), 5000);
        QSignalSpy written(&panel, &HandoffPanel::written);
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, 20000);
        QTRY_VERIFY(all_text(panel).contains("41 frames in 41 samples"));
        const auto back = open_source(o.folder / "out/leaning.usda");
        QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
        QCOMPARE((*back)->facts().frames(), 41);
        const PosePtr pose = *(*back)->read(31, Progress::none()); // source frame 15, unplaced
        QVERIFY(std::abs(pose->points[20].x - (0.15f + 0.012f * 15)) < 1e-5f);
        click(panel, "Write"); // nothing that is there is touched
        QTRY_VERIFY_WITH_TIMEOUT(all_text(panel).contains("is there already"), 5000);
        click_tab(panel, "posed copies");
        for (auto* box : panel.findChildren<QComboBox*>()) QVERIFY(!box->isVisible());
        o.window.document().undo().setClean();
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
