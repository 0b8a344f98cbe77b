// The Gather step as a person drives it: water, shapes, mends, dragging a value.
#include "driving.h"

#include "app/panels/gather/gather_panel.h"
#include "app/panels/gather/pose_strip.h"
#include "demo/quay.h"
#include "io/gltf/gltf.h"
#include "io/obj/obj.h"

using namespace garland;
using namespace garland::testing;

namespace {

struct AtGather : Opened {
    GatherPanel& panel;
    AtGather() : Opened(3), panel(*window.findChild<GatherPanel*>()) { window.set_step(0); }
    const SourceSpec& last() { return project().sources.back(); }
    void wait_for_sources(std::size_t count) {
        QTRY_COMPARE_WITH_TIMEOUT(project().sources.size(), count, patience * 10000);
    }
};

} // namespace

class GatherTest : public QObject {
    Q_OBJECT
  private slots:
    void water_is_added_and_changed() {
        AtGather o;
        click(o.panel, "Add water");
        o.wait_for_sources(2);
        QVERIFY(o.last().water && o.last().water->loop == o.project().settings.range.count());
        QCOMPARE(o.window.document().undo().count(), 1); // one step, its repeating timing included
        QVERIFY(o.project().timings.back().last_is_first &&
                o.project().timings.back().after.mode == OutsideMode::repeat);
        QVERIFY(all_text(o.panel).contains("0…240 is 241 frames"));
        o.wait_for_scene();
        const ShowPtr calm = o.window.document().show();
        type(o.panel, "Wind speed", "12");
        QCOMPARE(o.last().water->wind, 12.0);
        o.wait_for_scene();
        auto first_point = [&](const ShowPtr& show) {
            const auto pose = show->samplers.at(o.last().id).at(SourceFrame(10));
            return pose ? pose->pose->points[500] : V3f(0);
        };
        QVERIFY(first_point(calm) != first_point(o.window.document().show()));
        o.window.document().undo().undo();
        QCOMPARE(first_point(calm), first_point(o.window.document().show())); // undone: the same sea, computed anew
        type(o.panel, "Choppiness", "9");
        QTRY_VERIFY(all_text(o.panel).contains("folds over itself"));
        type(o.panel, "Wind speed", "-5"); // held at the least that is allowed
        QVERIFY(o.last().water->wind > 0);
        click(o.panel, "Remove");
    }
    void a_variant_is_chosen() {
        AtGather o;
        o.folder.write(
            "paper.usda",
            "#usda 1.0\ndef Xform \"lantern\" (\n variants = { string paper = \"round\" }\n prepend "
            "variantSets = \"paper\"\n) {\n variantSet \"paper\" = {\n  \"round\" {\n   def Sphere \"a\" {\n   }\n  }\n"
            "  \"long\" {\n   def Cylinder \"a\" {\n    double height.timeSamples = { 1: 1, 31: 9 }\n   }\n  }\n "
            "}\n}\n");
        drop(o.window, {QString::fromStdString(o.folder / "paper.usda")});
        o.wait_for_sources(2);
        auto facts = [&] { return o.window.document().show()->samplers.at(o.last().id).source()->facts(); };
        QTRY_COMPARE(facts().choices.size(), std::size_t(1));
        const int steps = o.window.document().undo().count();
        auto* box = named<QComboBox>(o.panel, "paper of lantern");
        QVERIFY(box && box->currentText().contains("round"));
        box->setFocus();
        QTest::keyClick(box, Qt::Key_End); // "long"
        QTRY_COMPARE(o.last().choices, (SourceChoices{{"/lantern{paper}", "long"}}));
        QCOMPARE(o.window.document().undo().count(), steps + 1);
        QTRY_COMPARE(facts().last, std::int64_t(31));
        QTRY_VERIFY(all_text(o.panel).contains("31"));
        o.window.document().undo().undo();
        QTRY_COMPARE(facts().last, std::int64_t(0));
        QVERIFY(o.last().choices.empty());
        QTRY_VERIFY(named<QComboBox>(o.panel, "paper of lantern")->currentText().contains("as the file says"));
    }
    void a_field_lives_while_it_is_dragged() {
        AtGather o;
        click(o.panel, "Add water");
        o.wait_for_sources(2);
        const double before = o.last().water->height;
        const int steps = o.window.document().undo().count();
        auto* field = named<QLineEdit>(o.panel, "Wave height");
        drag(*field, QPointF(20, 10), QPointF(80, 10));
        QVERIFY(o.last().water->height > before);
        QCOMPARE(o.window.document().undo().count(), steps + 1); // one step for the whole drag
    }
    void files_of_other_kinds_are_dropped_in() {
        AtGather o;
        QVERIFY(write_glb(o.folder / "pinwheel.glb", pinwheel(), Existing::refuse));
        for (int f = 40; f < 44; ++f)
            QVERIFY(write_ply(o.folder / numbered("petals.", f, 4, ".ply"), *drift_petals(f), PlyForm::little_endian,
                              Existing::refuse));
        drop(o.window,
             {QString::fromStdString(o.folder / "pinwheel.glb"), QString::fromStdString(o.folder / "petals.0041.ply")});
        o.wait_for_sources(3);
        QTRY_VERIFY(all_text(o.panel).contains("keyed parts"));
        QTRY_VERIFY(all_text(o.panel).contains("particles"));
        QVERIFY(all_text(o.panel).contains("Exact at any time"));
        o.wait_for_scene();
        // Particles are seen: every one is drawn by a small shape.
        QTRY_VERIFY(o.window.scene_view().scene()->copies.size() == 5);
        for (const SceneCopy& c : o.window.scene_view().scene()->copies)
            QVERIFY(!o.window.scene_view().scene()->poses[c.pose]->vertices.empty());
    }
    // A series packed file by file and an archive of arrays, by gzip and NumPy; a packed file that is cut is told of.
    void packed_files_are_dropped_in() {
        AtGather o;
        QDir().mkpath(QString::fromStdString(o.folder / "packed"));
        for (const char* name : {"packed/sail.0001.obj", "packed/sail.0002.obj"})
            o.folder.write(name, "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
        auto done = [](const QString& program, const QStringList& words) {
            QProcess process;
            process.start(program, words);
            return process.waitForFinished(patience * 30000) && process.exitCode() == 0;
        };
        auto path = [&](const char* name) { return QString::fromStdString(o.folder / name); };
        if (!done("gzip", {path("packed/sail.0001.obj"), path("packed/sail.0002.obj")})) QSKIP("gzip is not here");
        drop(o.window, {path("packed/sail.0001.obj.gz"), path("packed/sail.0002.obj.gz")}); // one series
        o.wait_for_sources(2);
        QCOMPARE(o.last().name, std::string("sail"));
        QTRY_VERIFY(all_text(o.panel).contains("OBJ series"));
        QFile whole(path("packed/sail.0001.obj.gz")), cut(path("packed/cut.obj.gz"));
        QVERIFY(whole.open(QIODevice::ReadOnly) && cut.open(QIODevice::WriteOnly));
        cut.write(whole.readAll().left(24));
        cut.close();
        drop(o.window, {path("packed/cut.obj.gz")});
        QTRY_VERIFY(o.window.notices().texts().join(' ').contains("cannot be unpacked"));
        QCOMPARE(o.project().sources.size(), std::size_t(2));
        const char* const script = "import numpy as np, sys\n"
                                   "np.savez_compressed(sys.argv[1], positions=np.arange(36.0).reshape(3, 4, 3), "
                                   "faces=np.array([[0, 1, 2], [0, 2, 3]]))\n";
        if (!done("/usr/bin/python3", {"-c", script, path("packed/raft.npz")})) QSKIP("NumPy is not here");
        drop(o.window, {path("packed/raft.npz")});
        o.wait_for_sources(3);
        QTRY_VERIFY(all_text(o.panel).contains("NumPy archive"));
        o.wait_for_scene();
        const auto pose = o.window.document().show()->samplers.at(o.last().id).at(SourceFrame(2));
        QVERIFY(pose && pose->pose->points.at(3) == V3f(33, 34, 35));
    }
    void shapes_are_one_source() {
        AtGather o;
        QStringList files;
        const auto fans = fan_shapes();
        for (std::size_t i = 0; i < fans.size(); ++i) {
            files << QString::fromStdString(o.folder / ("fan_" + std::string(1, static_cast<char>('a' + i)) + ".obj"));
            QVERIFY(write_obj(files.back().toStdString(), *fans[i], Existing::refuse));
        }
        o.window.document().library().add_shapes(files);
        o.wait_for_sources(2);
        QCOMPARE(o.last().shapes.size(), std::size_t(5));
        QTRY_VERIFY(all_text(o.panel).contains("5 shapes, 12 frames each"));
        type(o.panel, "Frames per shape", "20");
        QTRY_VERIFY(all_text(o.panel).contains("5 shapes, 20 frames each"));
        o.window.document().undo().undo();
        QTRY_VERIFY(all_text(o.panel).contains("5 shapes, 12 frames each"));
        o.window.document().library().add_shapes({files[0], QString::fromStdString(o.folder / "column.0001.ply")});
        QTRY_VERIFY(all_text(o.window.notices()).contains("leave this one out"));
        QCOMPARE(o.project().sources.size(), std::size_t(2));
    }
    void a_bad_frame_is_left_out_and_taken_back() {
        AtGather o;
        // Another column, whose frame 2 is another mesh and whose frame 4 is missing.
        for (int f = 0; f < 6; ++f) {
            if (f == 4) continue;
            QVERIFY(write_ply(o.folder / numbered("pole.", f, 4, ".ply"),
                              f == 2 ? *fan_shapes()[0] : tetrahedron(static_cast<float>(f)), PlyForm::ascii,
                              Existing::refuse));
        }
        drop(o.window, {QString::fromStdString(o.folder / "pole.0000.ply")});
        o.wait_for_sources(2);
        QTRY_VERIFY(all_text(o.panel).contains("change at frame 2"));
        click(o.panel, "Leave frame 2 out");
        QCOMPARE(o.last().import_settings.dropped, (std::vector<std::int64_t>{2}));
        QTRY_VERIFY(!all_text(o.panel).contains("change at frame 2"));
        QVERIFY(all_text(o.panel).contains("Left out: frame 2"));
        click(o.panel, "Blend across");
        QCOMPARE(o.last().import_settings.gaps, GapFix::blend);
        const auto& sampler = o.window.document().show()->samplers.at(o.last().id);
        QVERIFY(std::abs(sampler.at(SourceFrame(2))->pose->points[0].y - 2) < 1e-5f);
        click(o.panel, "Restore");
        QVERIFY(o.last().import_settings.dropped.empty());
        click(o.panel, "Treat as changing faces");
        QCOMPARE(o.last().changes_from, std::optional<std::int64_t>(2));
        QTRY_VERIFY(all_text(o.panel).contains("may change from frame 2"));
        while (o.window.document().undo().index() > 1) o.window.document().undo().undo();
        QVERIFY(!o.last().changes_from && o.last().import_settings.dropped.empty());
    }
    void previews_play_by_themselves() {
        AtGather o;
        auto* strip = o.panel.findChild<PoseStrip*>();
        QVERIFY(strip);
        const int now = strip->playing_pose();
        QTRY_VERIFY_WITH_TIMEOUT(strip->playing_pose() != now, patience * 3000);
        QTRY_VERIFY_WITH_TIMEOUT(strip->grab().toImage().pixelColor(3, 3).isValid(), patience * 1000);
        // The first place is empty at first, then it shows one pose after the other.
        auto first_place = [&] { return strip->grab().toImage().copy(0, 0, strip->width() / 8, 55); };
        std::vector<QImage> seen;
        QTRY_VERIFY_WITH_TIMEOUT(
            [&] {
                const QImage now = first_place();
                if (std::find(seen.begin(), seen.end(), now) == seen.end()) seen.push_back(now);
                return seen.size() >= 3;
            }(),
            patience * 20000);
    }
    void undoing_a_replaced_source_opens_the_old_one() {
        AtGather o;
        QVERIFY(write_ply(o.folder / "other.0000.ply", tetrahedron(), PlyForm::ascii, Existing::refuse));
        o.window.document().library().replace(o.last().id, QString::fromStdString(o.folder / "other.0000.ply"));
        QTRY_COMPARE(o.window.document().library().open().begin()->second.source->facts().points, std::size_t(4));
        o.window.document().undo().undo();
        QTRY_COMPARE(o.window.document().library().open().begin()->second.source->facts().points, std::size_t(24));
    }
};
GARLAND_TEST_CASE(GatherTest)
#include "gather_test.moc"
