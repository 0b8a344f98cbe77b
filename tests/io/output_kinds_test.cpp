// One retimed source in every kind of file, and hand-offs in another space, read by NumPy, OpenVDB, Python's csv,
// Assimp, a glTF player and the reference USD library.
#include "io/handed_off.h"
#include "support/python.h"

#include "core/project/alone.h"
#include "io/handoff/manifest.h"
#include "io/sources/open_source.h"
#include "io/usd/layer_writer.h"
#include "io/vdb/volume_file.h"

#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <QTemporaryDir>
#include <set>

using namespace garland;
using namespace garland::testing;

namespace {

void as_it_is(Project& p) { // output frame f shows source frame f − 1, then the last one
    p.timings[0].map = parse_map("1:0 20:19");
}

HandoffOrder alone_order(const Festival& f, const char* ending, FrameRange frames) {
    HandoffOrder order{"one-source", ending, f.folder / "out", "alone", {frames, 1}};
    order.source = f.opened.project.sources[0].id;
    return order;
}

// The points of the source alone.
std::vector<V3f> alone_points(Festival& f, double t) {
    const auto project = alone(f.opened.project, f.opened.project.sources[0].id);
    const ShowPtr show = make_show(*project, f.opened.sources, *f.cache);
    PlacedCopy placed;
    const auto all = pose_all(*show, OutputFrame(t));
    place_copy(all->front(), 0, placed);
    return placed.points;
}

V3f in_space(const V3f& p) { // z up, centimetres
    return V3f(p.x, -p.z, p.y) * 100.0f;
}

// Written out once more by hand: one row of the table that the sparks are made of.
double spark(const char* column, int frame, double i) {
    const std::string c = column;
    if (c == "x") return 0.25 * i;
    if (c == "y") return 0.125 * frame;
    if (c == "z") return -0.5 * i;
    return 0.5 * i; // heat
}

} // namespace

class OutputKindsTest : public QObject {
    Q_OBJECT
    Festival swaying{[](Project& p) {
        p.timings[0].map = parse_map("1:0 60:19"); // between frames, too
    }};

  private slots:
    void obj_by_assimp() {
        const auto done = hand_off(swaying.input(), alone_order(swaying, ".obj", {5, 7}));
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(3));
        for (int t = 5; t <= 7; ++t) {
            const std::vector<V3f> should = alone_points(swaying, t);
            Assimp::Importer importer;
            const aiScene* scene = importer.ReadFile(swaying.folder / ("out/" + numbered("alone.", t, 4, ".obj")),
                                                     aiProcess_JoinIdenticalVertices);
            QVERIFY(scene && scene->mNumMeshes == 1);
            QCOMPARE(scene->mMeshes[0]->mNumFaces, 4u);
            for (unsigned k = 0; k < scene->mMeshes[0]->mNumVertices; ++k) {
                const auto& v = scene->mMeshes[0]->mVertices[k];
                QVERIFY(std::any_of(should.begin(), should.end(),
                                    [&](const V3f& p) { return (p - V3f(v.x, v.y, v.z)).length() < 1e-5f; }));
            }
        }
        QVERIFY(verify_all(done->manifest));
    }
    void arrays_by_numpy() {
        GARLAND_NEEDS_PYTHON("numpy");
        const auto done = hand_off(swaying.input(), alone_order(swaying, ".npy", {1, 60}));
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QString error;
        const QJsonObject read =
            run_python("output_files.py", {"read", QString::fromStdString(swaying.folder / "out/alone.npy")}, &error);
        const QJsonObject array = read["alone.npy"].toObject();
        QVERIFY2(array["shape"].toArray() == QJsonArray({60, 4, 3}), qPrintable(error));
        for (int t : {1, 13, 42, 60}) {
            const QJsonArray points = array["points"].toArray()[t - 1].toArray();
            const std::vector<V3f> should = alone_points(swaying, t);
            for (int i = 0; i < 4; ++i) {
                for (int k = 0; k < 3; ++k)
                    QCOMPARE(static_cast<float>(points[i].toArray()[k].toDouble()),
                             should[static_cast<std::size_t>(i)][k]);
            }
        }
    }
    void glb_by_a_player() {
        GARLAND_NEEDS_NODE();
        const auto done = hand_off(swaying.input(), alone_order(swaying, ".glb", {1, 60}));
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QString error;
        const QString path = QString::fromStdString(swaying.folder / "out/alone.glb");
        const QJsonObject checked = run_node("check_glb.mjs", {path}, &error)[0].toObject();
        QVERIFY2(checked["errors"].toInt(-1) == 0 && checked["warnings"].toInt(-1) == 0, qPrintable(error));
        const std::vector<double> frames{1, 20.25, 41, 60};
        std::vector<double> seconds;
        for (double t : frames) seconds.push_back((t - 1) / 24);
        const QJsonArray answer = run_node("play_glb.mjs", {path, words_of(seconds)}, &error).array();
        QVERIFY2(answer.size() == 4, qPrintable(error));
        for (int k = 0; k < 4; ++k) {
            const std::map<int, std::vector<V3f>> should{
                {1, alone_points(swaying, frames[static_cast<std::size_t>(k)])}};
            const double off = apart(read_meshes(answer[k].toObject()["meshes"].toArray()), should);
            QVERIFY2(off >= 0 && off < 1e-3, qPrintable(QString::number(off)));
        }
    }
    void particles_as_tables() {
        GARLAND_NEEDS_PYTHON("pyopenvdb");
        QString error;
        Festival f(
            [&](const Folder& to) {
                run_python("output_files.py", {"write", QString::fromStdString(to.path())}, &error);
            },
            "sparks.0000.csv", as_it_is);
        QVERIFY2(f.opened.sources.size() == 1 && f.show->copies() == 9, qPrintable(error));
        const auto done = hand_off(f.input(), alone_order(f, ".csv", {1, 21}));
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(21));
        for (int t : {1, 4, 20}) {
            const QString name = QString::fromStdString(numbered("alone.", t, 4, ".csv"));
            const QJsonObject read =
                run_python("output_files.py", {"read", QString::fromStdString(f.folder / "out/") + name}, &error);
            const QJsonArray rows = read[name].toObject()["rows"].toArray();
            const int frame = t - 1, first = frame % 5;
            QVERIFY2(rows.size() == 40 + frame - first, qPrintable(error));
            for (int i = 0; i < rows.size(); ++i) {
                const QJsonObject row = rows[i].toObject();
                QCOMPARE(row["id"].toDouble(), static_cast<double>(first + i));
                for (const char* column : {"x", "y", "z", "heat"})
                    QCOMPARE(row[column].toDouble(), spark(column, frame, first + i));
                QCOMPARE(row["vy"].toDouble(), t == 20 ? 0.0 : 3.0); // held from the last key on
                QCOMPARE(row["g"].toDouble(), 0.25);
            }
        }
        // Read again, they are particles.
        const auto again = open_source(f.folder / "out/alone.0001.csv");
        QVERIFY2(again, again ? "" : qPrintable(said(again.error())));
        QVERIFY((*again)->facts().kind == SourceKind::particles && (*again)->facts().frames() == 21);
        // What cannot hold particles says what can.
        const auto refused = hand_off(f.input(), alone_order(f, ".npy", {1, 5}));
        QVERIFY(!refused && refused.error().code == ErrorCode::unsupported);
        QVERIFY(said(refused.error()).contains("csv"));
        HandoffOrder turned = alone_order(f, ".csv", {1, 5});
        turned.as.z_up = true;
        QVERIFY(said(hand_off(f.input(), turned).error()).contains("y up"));
    }
    void volumes_by_openvdb() {
        GARLAND_NEEDS_PYTHON("pyopenvdb");
        QString error;
        Festival f(
            [&](const Folder& to) {
                run_python("output_files.py", {"write", QString::fromStdString(to.path())}, &error);
            },
            "mist.0000.vdb",
            [](Project& p) {
                as_it_is(p);
                p.timings[0].before.mode = OutsideMode::absent;
            });
        QVERIFY2(f.show->copies() == 9, qPrintable(error));
        const HandoffOrder order = alone_order(f, ".vdb", {0, 12});
        const auto plan = plan_handoff(f.input(), order);
        QVERIFY(plan && plan->files == 13);
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        auto read = [&](const std::string& path) {
            const QJsonObject all = run_python("output_files.py", {"read", QString::fromStdString(path)}, &error);
            return all.begin().value().toObject();
        };
        auto numbers = [](const QJsonValue& v) {
            const QJsonArray a = v.toArray();
            return V3d(a[0].toDouble(), a[1].toDouble(), a[2].toDouble());
        };
        const QJsonObject is = read(f.folder / "out/alone.0007.vdb"), was = read(f.folder / "mist.0006.vdb");
        QCOMPARE(is["density"].toObject(), was["density"].toObject());
        QCOMPARE(is["density"].toObject()["active"].toInt(), 24 * 24 * 24);
        QVERIFY(close(is["v"].toObject()["sum"].toDouble(), 24 * 24 * 24 * 6.0, 1e-3)); // a second is a second
        const QJsonObject nothing = read(f.folder / "out/alone.0000.vdb");              // hidden before its first key
        QVERIFY(nothing["density"].toObject()["active"] == 0 && nothing["v"].toObject()["active"] == 0);
        // Another space: places by hand from those that OpenVDB says of the source.
        HandoffOrder turned = order;
        turned.folder = f.folder / "turned", turned.as.z_up = true, turned.as.unit = 0.01;
        QVERIFY(hand_off(f.input(), turned));
        const QJsonObject cm = read(f.folder / "turned/alone.0007.vdb");
        const V3d low = numbers(was["density"].toObject()["low"]), high = numbers(was["density"].toObject()["high"]);
        const V3d to_low = numbers(cm["density"].toObject()["low"]),
                  to_high = numbers(cm["density"].toObject()["high"]);
        QVERIFY(close((to_low - V3d(low.x, -low.z, low.y) * 100.0).length(), 0, 1e-6));
        QVERIFY(close((to_high - V3d(high.x, -high.z, high.y) * 100.0).length(), 0, 1e-6));
        QCOMPARE(cm["density"].toObject()["sum"].toDouble(), was["density"].toObject()["sum"].toDouble());
        const V3d wind = numbers(cm["v"].toObject()["first"]);
        QVERIFY(close((wind - V3d(100, -300, 200)).length(), 0, 1e-3));
        QCOMPARE(hand_off(swaying.input(), alone_order(swaying, ".vdb", {1, 5})).error().code, ErrorCode::unsupported);
    }

    // At working size, number by number.
    void large_sources_as_others_wrote_them_come_out_the_same() {
        GARLAND_NEEDS_PYTHON("pyopenvdb, numpy");
        QString error;
        const Folder large;
        run_python("output_files.py", {"write_large", QString::fromStdString(large.path())}, &error);
        struct Kind {
            const char *first, *ending, *written;
        };
        for (const Kind& k :
             {Kind{"swell.npy", ".npy", "alone.npy"}, Kind{"swell.npy", ".obj", "alone.0002.obj"},
              Kind{"dense.0001.vdb", ".vdb", "alone.0002.vdb"}, Kind{"many.0001.csv", ".csv", "alone.0002.csv"}}) {
            Festival f([](const Folder&) {}, large / k.first, as_it_is);
            QVERIFY2(f.show->copies() == 9, qPrintable(error));
            const auto done = hand_off(f.input(), alone_order(f, k.ending, {1, 2}));
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            const QJsonObject answer =
                run_python("output_files.py",
                           {"same", QString::fromStdString(large / k.first), "1",
                            QString::fromStdString(f.folder / (std::string("out/") + k.written))},
                           &error);
            QVERIFY2(answer["same"].toBool(), qPrintable(QString(k.ending) + ": " + error));
        }
    }
    // How points are turned goes with their copy, and into the other space.
    void orientations_are_turned_with_their_copy() {
        Festival f(
            [](const Folder& to) {
                for (int k = 0; k < 20; ++k) {
                    Pose pose;
                    pose.points = {V3f(1, 0, 0)};
                    pose.ids = {7};
                    pose.faces = std::make_shared<Faces>();
                    pose.attributes = {{"orient", 4, {0, 0, 0, 1}}};
                    QVERIFY(write_ply(to / numbered("petal", k, 4, ".ply"), pose, PlyForm::little_endian,
                                      Existing::refuse));
                }
            },
            "petal0000.ply",
            [](Project& p) {
                as_it_is(p);
                p.arrangements[0].layout.kind = ArrangementKind::line, p.arrangements[0].layout.count = 1;
                p.arrangements[0].attitude.turn = 90;
            });
        const auto all = pose_all(*f.show, OutputFrame(3));
        QVERIFY(all && all->front().picks.copies.size() == 1);
        const auto& pose = *all->front().poses[all->front().picks.copies[0]].pose;
        for (const bool z_up : {false, true}) {
            PlacedCopy placed{{z_up, 1, true, true}};
            place_copy(all->front(), 0, placed);
            QVERIFY(!placed.attributes(pose).empty());
            const auto& v = placed.attributes(pose).front().values;
            const Imath::Quatd q(v[3], v[0], v[1], v[2]);
            // The point lies on the copy's own x: that axis goes to where the point went to from the copy's middle.
            const V3d middle = placed.as.sized(V3d(all->front().places()[0].position));
            const V3d should = (V3d(placed.points[0]) - middle).normalized();
            QVERIFY((q.rotateVector(V3d(1, 0, 0)) - should).length() < 1e-5);
            QVERIFY((should - V3d(1, 0, 0)).length() > 0.5); // it is turned
        }
    }

    // Values of points, faces and corners that are the same direction stay the same one, however it is turned: by the
    // file's own transform, by the axis that points up, by the copy, by the space that is written.
    void directions_of_faces_turn_as_those_of_points() {
        auto write = [](const Folder& to) {
            to.write(
                "flag.usda",
                "#usda 1.0\n(\n    upAxis = \"Z\"\n    startTimeCode = 0\n    endTimeCode = 19\n)\n"
                "def Xform \"mast\"\n{\n    float xformOp:rotateZ.timeSamples = { 0: 0, 19: 90 }\n"
                "    uniform token[] xformOpOrder = [\"xformOp:rotateZ\"]\n    def Mesh \"flag\"\n    {\n"
                "        int[] faceVertexCounts = [3]\n        int[] faceVertexIndices = [0, 1, 2]\n"
                "        point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 0, 1)]\n"
                "        vector3f[] primvars:wind = [(1, 0, 0), (1, 0, 0), (1, 0, 0)] (interpolation = \"vertex\")\n"
                "        vector3f[] primvars:gust = [(1, 0, 0)] (interpolation = \"uniform\")\n"
                "        vector3f[] primvars:pull = [(1, 0, 0), (1, 0, 0), (1, 0, 0)] (interpolation = "
                "\"faceVarying\")\n    }\n}\n");
        };
        Festival f(write, "flag.usda", [](Project& p) {
            as_it_is(p);
            p.sources[0].import_settings.up = UpAxis::z;
            p.arrangements[0].layout.kind = ArrangementKind::line, p.arrangements[0].layout.count = 1;
            p.arrangements[0].attitude.turn = 40;
        });
        auto first = [](const std::vector<Attribute>& list, const char* name) {
            const auto at = std::find_if(list.begin(), list.end(), [&](const Attribute& a) { return a.name == name; });
            return at == list.end() || !at->vector ? V3f(0) : V3f(at->values[0], at->values[1], at->values[2]);
        };
        // The flag's first edge is that direction too, and points are held against the reference library elsewhere.
        auto alike = [&](const Pose& pose, bool corners) {
            const V3f along = (pose.points[1] - pose.points[0]).normalized();
            const V3f wind = first(pose.attributes, "wind"), gust = first(pose.faces->attributes, "gust");
            const V3f pull = corners ? first(pose.faces->corner_attributes, "pull") : wind;
            return (wind - along).length() < 1e-5f && (gust - along).length() < 1e-5f &&
                   (pull - along).length() < 1e-5f;
        };
        const auto all = pose_all(*f.show, OutputFrame(10.5));
        QVERIFY(all);
        const Pose& taken = *all->front().poses[all->front().picks.copies[0]].pose;
        QVERIFY(alike(taken, true));
        QVERIFY(std::abs(first(taken.attributes, "wind").z) > 0.5f); // the mast has turned
        for (const bool z_up : {false, true}) {
            for (const char* ending : {".usda", ".usdc", ".ply"}) {
                HandoffOrder order{
                    "posed-copies", ending, f.folder / (z_up ? "up" : "out") + ending, "flags", {{10, 10}, 1}};
                order.as = {z_up, 1, true, true};
                const auto done = hand_off(f.input(), order);
                QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
                const auto source = open_source(done->files[0]);
                QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
                const auto pose = (*source)->read((*source)->facts().first, Progress::none());
                QVERIFY2(alike(**pose, std::string(ending) != ".ply"), ending);
                QVERIFY((first((*pose)->attributes, "wind") - first(taken.attributes, "wind")).length() > 0.3f);
            }
        }
    }

    // ---- another space

    void series_and_arrays_in_centimetres_with_z_up() {
        for (const char* ending : {".ply", ".obj", ".npy"}) {
            HandoffOrder order{"posed-copies", ending, swaying.folder / "space", "copies", {{9, 9}, 1}};
            order.as = {true, 0.01, true, true};
            const auto done = hand_off(swaying.input(), order);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            const auto source = open_source(
                swaying.folder / ("space/copies" + std::string(ending == std::string(".npy") ? "" : ".0009") + ending));
            QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
            const auto pose = (*source)->read((*source)->facts().first, Progress::none());
            std::size_t at = 0;
            for (const auto& [copy, points] : swaying.points(9)) {
                for (const V3f& p : points) QVERIFY(((*pose)->points[at++] - in_space(p)).length() < 2e-3f);
            }
            QCOMPARE(at, (*pose)->points.size());
            QDir(QString::fromStdString(swaying.folder / "space")).removeRecursively();
        }
    }
    void usd_by_the_reference_library() {
        GARLAND_NEEDS_NODE();
        for (const char* what : {"posed-copies", "references"}) {
            HandoffOrder order{what, ".usda", swaying.folder / "usd", "copies", {{1, 60}, 1}};
            order.as = {true, 0.01, true, true};
            const auto done = hand_off(swaying.input(), order);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QString error;
            QStringList arguments{"points", QString::fromStdString(done->files.front()), "1,17,60"};
            for (std::size_t i = 1; i < done->files.size(); ++i) arguments << QString::fromStdString(done->files[i]);
            const QJsonArray answer = run_node("usd_points.cjs", arguments, &error).array();
            QVERIFY2(answer.size() == 3, qPrintable(error));
            const double times[] = {1, 17, 60};
            for (int k = 0; k < 3; ++k) {
                auto should = swaying.points(times[k]);
                for (auto& [copy, points] : should)
                    for (V3f& p : points) p = in_space(p);
                const double off = apart(read_meshes(answer[k].toObject()["meshes"].toArray()), should);
                QVERIFY2(off >= 0 && off < 0.15,
                         qPrintable(QString("%1: %2 cm").arg(what).arg(off))); // straight between samples
            }
            const std::string text = swaying.folder.read("usd/copies.usda");
            QVERIFY(text.find("upAxis = \"Z\"") != text.npos && text.find("metersPerUnit = 0.01") != text.npos);
            QDir(QString::fromStdString(swaying.folder / "usd")).removeRecursively();
        }
    }
    // Read again here, which knows the unit and the axis, everything is where it was.
    void what_says_its_space_is_read_back_in_ours() {
        for (const char* what : {"one-source", "posed-copies"}) {
            HandoffOrder order{what, ".usdc", swaying.folder / "again", "copies", {{1, 20}, 1}};
            order.source = swaying.opened.project.sources[0].id;
            order.as = {true, 0.0254, true, true};
            const auto done = hand_off(swaying.input(), order);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            const auto source = open_source(done->files.front());
            QVERIFY(source);
            QVERIFY((*source)->facts().says.up == UpAxis::z);
            QCOMPARE((*source)->facts().says.scale, 0.0254);
            QDir(QString::fromStdString(swaying.folder / "again")).removeRecursively();
        }
    }
    // Each copy and frame in a file of its own: the same points as the copies stand at, by Assimp's readers; stopped
    // and gone on with, the bytes of one run.
    void a_file_a_copy() {
        struct StopLater final : Progress {
            int left;
            explicit StopLater(int n) : left(n) {}
            void report(double, std::string_view) override { --left; }
            bool cancelled() const override { return left <= 0; }
        };
        HandoffOrder order{"posed-copies", ".ply", swaying.folder / "apart", "copies", {{5, 7}, 1}};
        order.each_copy = true;
        const auto plan = plan_handoff(swaying.input(), order);
        QVERIFY2(plan, plan ? "" : qPrintable(said(plan.error())));
        QCOMPARE(plan->files, std::int64_t(27));
        const auto done = hand_off(swaying.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(27));
        QVERIFY2(std::abs(done->bytes - plan->bytes) < 27 * 1000, // of heads
                 qPrintable(QString("%1 told, %2 written").arg(plan->bytes).arg(done->bytes)));
        QVERIFY(verify_all(done->manifest));
        for (const char* ending : {".ply", ".obj"}) {
            order.ending = ending;
            if (order.ending == ".obj") QVERIFY(hand_off(swaying.input(), order));
            for (int t = 5; t <= 7; ++t) {
                for (const auto& [number, should] : swaying.points(t)) {
                    const std::string name = "apart/copies.c0" + std::to_string(number) + numbered(".", t, 4, ending);
                    Assimp::Importer importer;
                    const aiScene* scene = importer.ReadFile(swaying.folder / name, aiProcess_JoinIdenticalVertices);
                    QVERIFY2(scene && scene->mNumMeshes == 1, name.c_str());
                    QCOMPARE(scene->mMeshes[0]->mNumFaces, 4u);
                    for (unsigned k = 0; k < scene->mMeshes[0]->mNumVertices; ++k) {
                        const auto& v = scene->mMeshes[0]->mVertices[k];
                        QVERIFY(std::any_of(should.begin(), should.end(),
                                            [&](const V3f& p) { return (p - V3f(v.x, v.y, v.z)).length() < 1e-5f; }));
                    }
                }
            }
        }
        const auto one = read_ply(swaying.folder / "apart/copies.c03.0006.ply");
        QVERIFY2(one, one ? "" : qPrintable(said(one.error())));
        const auto number = std::find_if((*one)->attributes.begin(), (*one)->attributes.end(),
                                         [](const Attribute& a) { return a.name == "copy"; });
        QVERIFY(number != (*one)->attributes.end() && number->whole.at(0) == 3);
        order.ending = ".ply";
        order.folder = swaying.folder / "stopped";
        order.existing = WhatIsThere::resume;
        StopLater stop(2);
        QVERIFY(!hand_off(swaying.input(), order, stop));
        QVERIFY(!file_exists(order.folder + "/copies.ply.handoff.json"));
        const auto again = hand_off(swaying.input(), order);
        QVERIFY2(again, again ? "" : qPrintable(said(again.error())));
        for (const std::string& file : done->files)
            QCOMPARE(swaying.folder.read("stopped/" + file_name(file)),
                     swaying.folder.read("apart/" + file_name(file)));
        order.share = {1, 2};
        const auto split = hand_off(swaying.input(), order);
        QVERIFY(!split && said(split.error()).contains("cannot be split"));
        order = {"shared-poses", ".usdc", swaying.folder / "apart", "copies", {{5, 7}, 1}};
        order.each_copy = true;
        const auto shared = plan_handoff(swaying.input(), order);
        QVERIFY(!shared && said(shared.error()).contains("cannot be a file a copy"));
    }
    void what_is_not_wanted_is_left_out() {
        HandoffOrder order{"posed-copies", ".ply", swaying.folder / "less", "copies", {{3, 3}, 1}};
        const auto whole = hand_off(swaying.input(), order);
        QVERIFY(whole);
        const std::string full = swaying.folder.read("less/copies.0003.ply");
        order.existing = WhatIsThere::resume, order.as.velocities = false;
        QCOMPARE(hand_off(swaying.input(), order).error().code,
                 ErrorCode::changed); // other settings than the file there
        order.existing = WhatIsThere::replace;
        QVERIFY(hand_off(swaying.input(), order));
        const std::string less = swaying.folder.read("less/copies.0003.ply");
        QVERIFY(full.find("property float nx") != full.npos && less.find("property float nx") != less.npos);
        QCOMPARE(full.find("property float vx") != full.npos,
                 (*swaying.opened.sources.begin()).second.source->facts().carries.velocities);
        QVERIFY(less.find("property float vx") == less.npos);
        order.as.unit = 0;
        QCOMPARE(hand_off(swaying.input(), order).error().code, ErrorCode::invalid);
        QCOMPARE(unit_called("cm"), std::optional(0.01));
        QCOMPARE(unit_called("2.5"), std::optional(2.5));
        for (const char* wrong : {"", "0", "-1", "league", "1e400", "nan"}) QVERIFY2(!unit_called(wrong), wrong);
    }

    // The hash that is noted while a file is written is the one of what is on the disk then.
    void what_is_written_is_hashed() {
        QTemporaryDir folder;
        const std::string in = folder.path().toStdString();
        std::string bytes;
        for (std::uint32_t i = 0; i < 1'000'003; ++i) bytes += static_cast<char>(i * 2654435761u >> 24);
        auto file = AtomicFile::create(in + "/lanterns.bin", Existing::refuse);
        QVERIFY(file);
        for (const std::size_t from : {std::size_t(0), std::size_t(5), std::size_t(700'000)}) {
            const std::size_t to = from == 0 ? 5 : from == 5 ? 700'000 : bytes.size();
            file->write(bytes.data() + from, to - from);
        }
        QVERIFY(file->commit());
        const auto read = described(in, "lanterns.bin");
        QVERIFY(read);
        QCOMPARE(file->about().name, std::string("lanterns.bin"));
        QCOMPARE(file->about().bytes, std::uint64_t(bytes.size()));
        QCOMPARE(file->about().hash, read->hash);
        QCOMPARE(file->about().hash, text_hash(bytes));
        auto patched = AtomicFile::create(in + "/patched.bin", Existing::refuse);
        patched->write(bytes);
        patched->seek(3);
        patched->write("x");
        QVERIFY(patched->about().hash.empty()); // nobody knows
        auto known = AtomicFile::create(in + "/known.bin", Existing::refuse);
        known->hash_in_any_case();
        known->write(bytes);
        known->seek(3);
        known->write("x");
        QVERIFY(known->commit());
        bytes[3] = 'x';
        QCOMPARE(known->about().hash, text_hash(bytes));
        QCOMPARE(known->about().bytes, std::uint64_t(bytes.size())); // not what was written twice
    }
    void faces_are_known_by_themselves() {
        QTemporaryDir folder;
        auto layer = UsdLayerWriter::create(folder.path().toStdString() + "/a.usdc", UsdForm::binary, Existing::refuse);
        QVERIFY(layer);
        auto polygon = [](std::uint32_t corners, std::uint32_t first) {
            auto faces = std::make_shared<Faces>();
            faces->starts = {0, corners};
            for (std::uint32_t c = 0; c < corners; ++c) faces->corners.push_back(first + c);
            return std::shared_ptr<const Faces>(faces);
        };
        const auto quad = polygon(4, 0), triangle = polygon(3, 0), like_it = polygon(4, 0);
        const auto a = layer->keep(quad), b = layer->keep(triangle), again = layer->keep(quad),
                   same = layer->keep(like_it);
        QVERIFY(a.counts != b.counts && a.corners != b.corners);
        QVERIFY(again.counts == a.counts && again.corners == a.corners);
        QVERIFY(same.counts == a.counts && same.corners == a.corners);
        std::set<UsdKept> corners; // what has gone may leave its address to the next
        for (std::uint32_t k = 1; k <= 100; ++k) corners.insert(layer->keep(polygon(4, k)).corners);
        QCOMPARE(corners.size(), std::size_t(100));
    }

  private:
    static bool verify_all(const std::string& manifest) {
        const auto verified = verify_handoff(manifest);
        return verified && verified->files > 0;
    }
};

GARLAND_TEST_CASE(OutputKindsTest)
#include "output_kinds_test.moc"
