// Gathering and water on the command line, with good and bad input.
#include "running.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/files/series.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

#include <set>

using namespace garland;
using namespace garland::testing;

class CliSourcesTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString path(const char* name) { return QString::fromStdString(folder_ / name); }
    Project project() { return *load_project(folder_ / "p.garland"); }
    Answer edit(const QStringList& words) { return run(QStringList{"edit", path("p.garland")} + words); }
  private slots:
    void initTestCase() {
        const Answer a = run({"demo", QString::fromStdString(folder_.path()), "--only", "quay", "--quiet"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
    }
    void every_kind_says_what_it_is() {
        const std::pair<const char*, const char*> kinds[] = {
            {"jar.usda", "pieces"},           {"jar.glb", "pieces"},
            {"pinwheel.glb", "keyed parts"},  {"syrup.0004.ply", "changing mesh"},
            {"petals.0050.ply", "particles"}, {"smoke.0001.vdb", "volume"}};
        for (const auto& [file, kind] : kinds) {
            const auto j = run({"info", path(file), "--json"}).json();
            QCOMPARE(QString::fromStdString(j["kind"].get<std::string>()), QString(kind));
        }
    }
    void the_quay_is_the_same_every_time() {
        Folder again;
        QCOMPARE(run({"demo", QString::fromStdString(again.path()), "--only", "quay", "--quiet"}).code, 0);
        for (const char* name : {"jar.usda", "jar.glb", "pinwheel.glb", "syrup.0040.ply", "petals.0077.ply",
                                 "fan_half.obj", "quay.garland"}) {
            QVERIFY2(folder_.read(name) == again.read(name), name);
        }
        // A volume's file has an identity of its own; what is in it is the same.
        QCOMPARE(run({"info", path("smoke.0040.vdb"), "--json"}).json()["bytes"],
                 run({"info", QString::fromStdString(again / "smoke.0040.vdb"), "--json"}).json()["bytes"]);
    }
    void a_project_is_gathered() {
        QVERIFY(save_project(folder_ / "p.garland", Project{}, Existing::replace));
        Answer a = edit({"gather", path("pinwheel.glb"), path("petals.0000.ply")});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QVERIFY(a.out.contains("\"pinwheel\" (keyed parts)"));
        QCOMPARE(project().sources.size(), std::size_t(2));
        QCOMPARE(project().sources[0].path, std::string("pinwheel.glb"));
        a = edit({"gather", "--shapes", "--name", "fan", "--shape-frames", "9", path("fan_folded.obj"),
                  path("fan_half.obj"), path("fan_open.obj")});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QCOMPARE(project().sources[2].shapes.size(), std::size_t(3));
        const auto moments = run({"trace", path("p.garland"), "--copy", "3", "--frames", "5", "--json"});
        QCOMPARE(moments.code, 0);
        QVERIFY(moments.out.contains("own pose at"));
        QCOMPARE(edit({"gather", path("none.glb")}).code, 1);
        QCOMPARE(edit({"gather", "--shapes", path("fan_open.obj"), path("syrup.0001.ply")}).code, 1);
        QCOMPARE(project().sources.size(), std::size_t(3)); // nothing changed
    }
    void variants_are_chosen() {
        QVERIFY(save_project(folder_ / "p.garland", Project{}, Existing::replace));
        folder_.write(
            "paper.usda",
            "#usda 1.0\ndef Xform \"lantern\" (\n variants = { string paper = \"round\" }\n prepend "
            "variantSets = \"paper\"\n) {\n variantSet \"paper\" = {\n  \"round\" {\n   def Sphere \"a\" {\n   }\n  }\n"
            "  \"long\" {\n   def Cylinder \"a\" {\n    double height.timeSamples = { 1: 1, 31: 9 }\n   }\n  }\n "
            "}\n}\n");
        Answer a = run({"info", path("paper.usda")});
        QVERIFY2(a.code == 0 && a.out.contains("choice      /lantern{paper}=round (of round, long)"),
                 qPrintable(a.out + a.err));
        const auto j = run({"info", path("paper.usda"), "--choose", "paper=long", "--json"}).json();
        QCOMPARE(j["choices"][0]["chosen"].get<std::string>(), std::string("long"));
        QCOMPARE(j["last"].get<int>(), 31);
        a = edit({"gather", path("paper.usda")});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        a = edit({"source", "--choose", "paper=long"});
        QVERIFY2(a.code == 0 && a.out.contains("plays frames 1 to 31 now"), qPrintable(a.out + a.err));
        QCOMPARE(project().sources[0].choices, (SourceChoices{{"/lantern{paper}", "long"}}));
        const std::string kept = folder_.read("p.garland");
        for (const auto& [words, why] : {std::pair{"paper=square", "cannot be \"square\""},
                                         {"cloth=long", "no \"cloth\" to choose"},
                                         {"long", "write NAME=OPTION"}}) {
            a = edit({"source", "--choose", words});
            QVERIFY2(a.code == 1 && a.err.contains(why) && a.err.contains("round|long"), qPrintable(a.err));
        }
        QCOMPARE(folder_.read("p.garland"), kept);
        a = edit({"source", "--choose", "paper="});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QVERIFY(project().sources[0].choices.empty());
        a = run({"info", path("jar.glb"), "--choose", "animation=x"});
        QVERIFY(a.code == 1 && a.err.contains("nothing to choose"));
    }
    // The same instancer twice: as geometry, which the schema's own formula places, and as points that carry copies of
    // its prototype. Both ways give the same points, also of a file whose z is up.
    void instancers_are_arrangements_data() {
        QTest::addColumn<QString>("up");
        QTest::newRow("y up") << "Y";
        QTest::newRow("z up") << "Z";
    }
    void instancers_are_arrangements() {
        QFETCH(QString, up);
        folder_.write("lamp.obj", "v 1 0 0\nv 0 2 0\nv 0 0 3\nv 0.5 0.5 1\nf 1 2 3\nf 1 2 4\n");
        const std::string text =
            "#usda 1.0\n(\n    startTimeCode = 1\n    endTimeCode = 5\n    upAxis = \"" + up.toStdString() +
            "\"\n    metersPerUnit = 1\n)\ndef Xform \"quay\" {\n  double3 xformOp:rotateXYZ = (20, 30, 40)\n  double3 "
            "xformOp:translate = (5, 1, 2)\n  uniform token[] xformOpOrder = [\"xformOp:translate\", "
            "\"xformOp:rotateXYZ\"]\n  def PointInstancer \"lamps\" {\n    rel prototypes = </quay/lamps/lamp>\n    "
            "int[] "
            "protoIndices = [0, 0, 0, 0]\n    int64[] ids = [3, 5, 8, 9]\n    int64[] invisibleIds.timeSamples = { 1: "
            "[], 4: "
            "[5] }\n    point3f[] positions.timeSamples = { 1: [(0, 0, 0), (4, 0, 0), (0, 4, 0), (0, 0, 4)], 5: [(1, "
            "2, 3), "
            "(4, 1, 0), (0, 4, 9), (2, 2, 2)] }\n    quatf[] orientationsf.timeSamples = { 1: [(1, 0, 0, 0), (0.5, "
            "0.5, 0.5, "
            "0.5), (0.6, 0.8, 0, 0), (0, 0, 1, 0)], 5: [(0.6, 0, 0.8, 0), (0.5, 0.5, 0.5, 0.5), (0, 0.6, 0.8, 0), "
            "(-0.6, "
            "0, 0, 0.8)] }\n    float3[] scales = [(1, 1, 1), (2, 2, 2), (0.5, 0.5, 0.5), (3, 3, 3)]\n    float[] "
            "primvars:glow = [1, 2, 3, 4] (\n      interpolation = \"vertex\"\n    )\n    def Mesh \"lamp\" {\n      "
            "int[] "
            "faceVertexCounts = [3, 3]\n      int[] faceVertexIndices = [0, 1, 2, 0, 1, 3]\n      point3f[] points = "
            "[(1, 0, "
            "0), (0, 2, 0), (0, 0, 3), (0.5, 0.5, 1)]\n    }\n  }\n}\n";
        folder_.write("lamps.usda", text);
        const auto facts = run({"info", path("lamps.usda"), "--choose", "show=instances", "--json"}).json();
        QCOMPARE(facts["kind"].get<std::string>(), std::string("particles"));
        QCOMPARE(facts["points"].get<int>(), 4);
        std::set<std::string> attributes;
        for (const auto& a : facts["attributes"]) attributes.insert(a.get<std::string>());
        QCOMPARE(attributes, (std::set<std::string>{"glow", "orient", "prototype", "size"}));

        auto points_at = [&](const char* name, int frame) {
            const auto pose = read_ply(folder_ / (std::string(name) + ".000" + std::to_string(frame) + ".ply"));
            return pose ? (*pose)->points : std::vector<V3f>{};
        };
        QVERIFY(save_project(folder_ / "p.garland", Project{}, Existing::replace));
        QVERIFY(edit({"gather", path("lamps.usda")}).code == 0);
        Answer a = run({"bake", path("p.garland"), "--out", q(folder_.path()), "--frames", "1:5", "--name", "whole",
                        "--replace", "--quiet"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QVERIFY(save_project(folder_ / "p.garland", Project{}, Existing::replace));
        a = edit({"gather", path("lamps.usda"), "--choose", "show=instances", "--no-copy"});
        if (a.code != 0) a = edit({"gather", path("lamps.usda"), "--choose", "show=instances"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        a = edit({"gather", path("lamp.obj")});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        Project p = project();
        QCOMPARE(p.sources.size(), std::size_t(2));
        if (up == "Z") p.sources[1].import_settings.up = UpAxis::z; // the lamp's file says nothing
        std::erase_if(p.arrangements, [&](const Arrangement& one) { return one.source == p.sources[0].id; });
        QVERIFY(save_project(folder_ / "p.garland", p, Existing::replace));
        a = edit({"arrange", "--kind", "points", "--carrier", "lamps", "--facing", "carrier", "--upright", "off"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        a = run({"bake", path("p.garland"), "--out", q(folder_.path()), "--frames", "1:5", "--name", "strung",
                 "--replace", "--quiet"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        for (int frame = 1; frame <= 5; ++frame) {
            const auto whole = points_at("whole", frame), strung = points_at("strung", frame);
            QCOMPARE(whole.size(), frame < 4 ? std::size_t(16) : std::size_t(12));
            QCOMPARE(strung.size(), whole.size());
            for (std::size_t i = 0; i < whole.size(); ++i)
                QVERIFY2((whole[i] - strung[i]).length() < 1e-4f,
                         qPrintable(QString("frame %1, point %2").arg(frame).arg(i)));
        }
    }
    void water_is_added_and_changed() {
        QVERIFY(save_project(folder_ / "p.garland", Project{}, Existing::replace));
        Answer a = edit({"water", "--wind-speed", "4", "--loop-length", "180", "--name", "canal"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QVERIFY(a.out.contains("0…180 is 181 frames"));
        a = edit({"water", "--source", "canal", "--choppiness", "8", "--wave-height", "0.5"});
        QVERIFY(a.out.contains("folds over itself"));
        const WaterSpec w = *project().sources[0].water;
        QVERIFY(w.wind == 4 && w.loop == 180 && w.choppiness == 8);
        // A repeat lasts 180 frames, not 181: frames 181 and 1 are the same moment.
        QVERIFY(project().timings[0].last_is_first && project().timings[0].after.mode == OutsideMode::repeat);
        a = edit({"water", "--source", "canal", "--grid", "100"});
        QCOMPARE(a.code, 1);
        QVERIFY(a.err.contains("64, 128, 256, 512 or 1024"));
        QCOMPARE(edit({"water", "--source", "pond", "--wind-speed", "1"}).code, 1);
        // Frame 0 and the loop's last frame are the same file but for the frame's number.
        Folder out;
        QCOMPARE(run({"bake", path("p.garland"), "--out", QString::fromStdString(out.path()), "--frames", "1:181",
                      "--dry-run"})
                     .code,
                 0);
        for (const char* f : {"1:1", "181:181"})
            QCOMPARE(
                run({"bake", path("p.garland"), "--out", QString::fromStdString(out.path()), "--frames", f, "--quiet"})
                    .code,
                0);
        QVERIFY((*read_ply(out / "copies.0001.ply"))->points == (*read_ply(out / "copies.0181.ply"))->points);
    }
    void frames_are_left_out() {
        for (int f = -2; f <= 3; ++f)
            QVERIFY(write_ply(folder_ / numbered("lamp é.", f, 4, ".ply"),
                              f == 1 ? tetrahedron(99) : tetrahedron(static_cast<float>(f)), PlyForm::ascii,
                              Existing::replace));
        QVERIFY(save_project(folder_ / "p.garland", Project{}, Existing::replace));
        QCOMPARE(edit({"gather", path("lamp é.-0002.ply"), "--name", "lamp"}).code, 0);
        const auto info = run({"info", path("lamp é.0001.ply"), "--json"}).json();
        QCOMPARE(info["first"].get<int>(), -2); // numbers below 0, spaces and letters beyond ASCII
        QCOMPARE(info["last"].get<int>(), 3);
        Answer a = edit({"source", "--leave-out", "1", "--missing-frames", "blend"});
        QVERIFY2(a.out.contains("left out frame 1"), qPrintable(a.err));
        QCOMPARE(project().sources[0].import_settings.dropped, (std::vector<std::int64_t>{1}));
        const auto trace = run({"trace", path("p.garland"), "--copy", "1", "--frames", "4", "--json"});
        QVERIFY(trace.out.contains("bridges missing frames"));
        QCOMPARE(run({"check", path("p.garland")}).code, 3); // and Check says so
        QCOMPARE(edit({"source", "--restore"}).code, 0);
        QVERIFY(project().sources[0].import_settings.dropped.empty());
        QCOMPARE(edit({"source", "--between-frames", "guess"}).code, 1);
        QCOMPARE(edit({"source", "--between-frames", "level set", "--voxel-size", "0.1", "--normals", "recomputed",
                       "--root-motion", "left out"})
                     .code,
                 0);
        const SourceSpec s = project().sources[0];
        QVERIFY(s.import_settings.how == SubFrame::level_set && s.import_settings.voxel == 0.1 &&
                s.import_settings.fresh_normals && s.import_settings.root == RootMotion::left_out);
        QCOMPARE(edit({"source", "--voxel-size", "-1"}).code, 1);
    }
    void volumes_are_written_beside_the_meshes() {
        Folder out;
        const Answer a = run(
            {"bake", path("quay.garland"), "--out", QString::fromStdString(out.path()), "--frames", "40:40", "--json"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QCOMPARE(a.json()["files"].size(), std::size_t(3)); // one mesh, a volume for each of two copies
        // Told before, and never written over: a volume that is there already stops all of it.
        QCOMPARE(run({"bake", path("quay.garland"), "--out", QString::fromStdString(out.path()), "--frames", "40:40",
                      "--dry-run", "--json"})
                     .json()["volume_file_count"]
                     .get<int>(),
                 2);
        QVERIFY(QFile::remove(QString::fromStdString(out / "copies.0040.ply")));
        const Answer again =
            run({"bake", path("quay.garland"), "--out", QString::fromStdString(out.path()), "--frames", "40:40"});
        QVERIFY(again.code == 1 && again.err.contains("nothing was written") &&
                !QFile::exists(QString::fromStdString(out / "copies.0040.ply")));
        QCOMPARE(run({"bake", path("quay.garland"), "--out", QString::fromStdString(out.path()), "--frames", "40:40",
                      "--replace", "--quiet"})
                     .code,
                 0);
        QStringList volumes = QDir(QString::fromStdString(out.path())).entryList({"*.vdb"});
        QCOMPARE(volumes.size(), 2);
        for (const QString& v : volumes) QCOMPARE(run({"info", QString::fromStdString(out / v.toStdString())}).code, 0);
        const auto back = read_ply(out / "copies.0040.ply");
        QVERIFY(back);
        QStringList names;
        for (const Attribute& one : (*back)->attributes) names << QString::fromStdString(one.name);
        for (const char* name : {"copy", "part", "age", "life", "size"}) QVERIFY2(names.contains(name), name);
    }
    void nearest_is_told() { // syrup without its velocities' help
        Project p = *load_project(folder_ / "quay.garland");
        for (SourceSpec& s : p.sources) {
            if (s.name == "syrup") s.import_settings.how = SubFrame::linear, s.rate = {30, 1};
        }
        QVERIFY(save_project(folder_ / "q.garland", p, Existing::replace));
        const Answer a = run({"check", path("q.garland")});
        QCOMPARE(a.code, 3);
        QVERIFY(a.out.contains("nearest"));
    }
};
GARLAND_TEST_CASE(CliSourcesTest)
#include "sources_test.moc"
