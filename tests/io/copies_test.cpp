// Paths from files, everything an arrangement can say there and back, and what is written of carried and stretched
// copies.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "core/project/varying.h"
#include "demo/canal.h"
#include "io/files/series.h"
#include "io/handoff/bake.h"
#include "io/ply/ply.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"
#include "io/tables/path_file.h"

#include <random>

using namespace garland;
using namespace garland::testing;

class CopiesFileTest : public QObject {
    Q_OBJECT
    Folder folder_;
    Result<PathInFile> read(const char* name, const std::string& text) {
        folder_.write(name, text);
        return read_path(folder_ / name);
    }
  private slots:
    void a_path_of_each_format() {
        const std::vector<V3d> wanted{V3d(0, 0, 0), V3d(1, 0.5, 2), V3d(3, 0, 2)};
        auto obj = read("p.obj", "# an edge\nv 0 0 0\nv 1 0.5 2\nv 3 0 2\nv 9 9 9\nl 1 2\nl 2 3\n");
        QVERIFY2(obj, obj ? "" : qPrintable(said(obj.error())));
        QCOMPARE(obj->points, wanted);
        QVERIFY(!obj->closed && !obj->smooth);
        QCOMPARE(read("c.obj", "v 0 0 0\nv 1 0 0\nv 1 0 1\nl 1 2 3 1\n")->closed, true);
        QCOMPARE(read("n.obj", "v 0 0 0\nv 1 0.5 2\nv 3 0 2\nl -3 -2 -1\n")->points, wanted);
        QCOMPARE(read("p.csv", "x,y,z\n0,0,0\n1,0.5,2\n3,0,2\n")->points, wanted);
        const auto usda =
            read("p.usda",
                 "#usda 1.0\n(\n    metersPerUnit = 0.5\n    upAxis = \"Y\"\n)\ndef Xform \"quay\"\n{\n    double3 "
                 "xformOp:translate = (0, 0, 2)\n"
                 "    uniform token[] xformOpOrder = [\"xformOp:translate\"]\n    def BasisCurves \"edge\"\n    {\n    "
                 "    uniform token type = \"linear\"\n"
                 "        uniform token wrap = \"periodic\"\n        int[] curveVertexCounts = [3, 2]\n"
                 "        point3f[] points = [(0, 0, -2), (2, 1, 2), (6, 0, 2), (0, 0, 0), (1, 1, 1)]\n    }\n}\n");
        QVERIFY2(usda, usda ? "" : qPrintable(said(usda.error())));
        QCOMPARE(usda->points, wanted);
        QVERIFY(usda->closed && !usda->smooth && usda->paths == 2);
        // Positions in a buffer as text: (0,0,0) (1,.5,2) (3,0,2), a node moved by nothing but turned about y by 0.
        const QByteArray floats = [] {
            const float v[] = {0, 0, 0, 1, 0.5f, 2, 3, 0, 2};
            return QByteArray(reinterpret_cast<const char*>(v), sizeof v).toBase64();
        }();
        const auto gltf = read(
            "p.gltf",
            R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"translation":[0,0,1]}],
            "meshes":[{"primitives":[{"attributes":{"POSITION":0},"mode":3}]}],
            "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],
                "max":[3,0.5,2]}],
            "bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"byteLength":36,
                "uri":"data:application/octet-stream;base64,)" +
                floats.toStdString() + R"("}]})");
        QVERIFY2(gltf, gltf ? "" : qPrintable(said(gltf.error())));
        QCOMPARE(gltf->points.size(), std::size_t(3));
        QCOMPARE(gltf->points[1], V3d(1, 0.5, 3));
    }
    void bad_paths_say_where() {
        auto says = [&](const char* name, const std::string& text, const char* words) {
            const auto out = read(name, text);
            return !out && said(out.error()).contains(words);
        };
        QVERIFY(says("a.obj", "v 0 0 0\nv 1 0 0\nl 1 7\n", "line 3"));
        QVERIFY(says("b.obj", "v 0 zero 0\n", "line 1"));
        QVERIFY(says("c.obj", "v 0 0 0\nv 1 1 1\nf 1 2 2\n", "no line of at least two points"));
        QVERIFY(says("d.csv", "0,0,0\n1,nan,0\n", "line 2"));
        QVERIFY(says("e.usda", "#usda 1.0\ndef Mesh \"m\"\n{\n}\n", "no line"));
        QVERIFY(says("f.stl", "", "no path can be read"));
        QVERIFY(!read_path(folder_ / "nowhere.obj"));
    }
    void damaged_paths_never_crash() {
        const std::string texts[] = {"v 0 0 0\nv 1 0.5 2\nv 3 0 2\nl 1 2 3\n", "x,y,z\n0,0,0\n1,0.5,2\n",
                                     "#usda 1.0\ndef BasisCurves \"e\"\n{\n    int[] curveVertexCounts = [3]\n    "
                                     "point3f[] points = [(0, 0, 0), (1, 1, 1), (2, 2, 2)]\n}\n"};
        const char* names[] = {"x.obj", "x.csv", "x.usda"};
        std::mt19937 random(11);
        int fine = 0;
        for (int round = 0; round < 900; ++round) {
            std::string text = texts[round % 3];
            for (unsigned k = 0; k <= random() % 3; ++k) {
                const std::size_t at = random() % text.size();
                if (random() % 3 == 0) {
                    text.erase(at, random() % 5);
                } else {
                    text[at] = static_cast<char>(random() % 128);
                }
                if (text.empty()) text = " ";
            }
            fine += read(names[round % 3], text).has_value();
        }
        QVERIFY(fine > 50 && fine < 900);
    }
    void everything_an_arrangement_says_comes_back() {
        Project p = canal_project();
        Arrangement& a = p.arrangements[0];
        a.attitude.targets = {{OutputFrame(1), V3d(1, 2, 3), Toward::smooth},
                              {OutputFrame(50), V3d(4, 5, 6), Toward::step}};
        a.stretch.width = *parse_keys("0:1 smooth 1:2", "");
        a.stretch.height = *parse_keys("0:0.5", "");
        a.jitter = {V3d(0.1, 0, 0.2), 5, 0.3, 8};
        a.order = {OrderBy::attribute, true, V3d(0), 1, "mass"};
        a.choice.variants = {{p.sources[1].id, 2.5}};
        a.choice.own_weight = 3, a.choice.in_turn = true, a.choice.seed = 9;
        a.hidden_copies = {CopyId(3), CopyId(1u << 21)};
        a.begins.kind = StartKind::together, a.begins.frame = OutputFrame(12.5), a.begins.passes = 4,
        a.begins.hidden_before = true;
        a.by_hand.nudges = {{CopyId(2), -3.5}};
        a.by_hand.amount = *parse_keys("1:1 9:0", "");
        Spread& s = a.spreads[0];
        s.strength.share = 0.5, s.strength.keys = *parse_keys("1:1 smooth 96:0", ""),
        s.curve = *parse_keys("0:0 1:1", ""), s.after_start = true;
        s.by.kind = Driver::noise, s.by.noise.patch = 2.25, s.by.noise.detail = 4, s.by.noise.drift = V3d(0, 1, 0.5),
        s.by.bell = true;
        s.by.gradient.axis = V3d(0, 1, 0), s.by.gradient.along_path = true, s.by.distance.centre = V3d(1, 1, 1),
        s.by.distance.reach = 7, s.by.carrier.attribute = "mass", s.by.carrier.as_it_is = true, s.changes = 3;
        QVERIFY(single_out(p, p.arrangements[1].id, {CopyId(4), CopyId(9)}, {}));
        QVERIFY(single_out(p, p.arrangements[2].id, {}, "wheel"));
        a.layout.kind = ArrangementKind::box, a.layout.layers = 2, a.layout.layer_spacing = 0.5,
        a.layout.carried.least_apart = 0.25, a.layout.carried.seed = 4;
        QVERIFY(validate(p));
        const auto again = parse_project(project_text(p), "p.garland");
        QVERIFY2(again, again ? "" : qPrintable(said(again.error())));
        QVERIFY(*again == p);
        QCOMPARE(project_text(*again), project_text(p));
    }
    void fields_of_later_versions_are_kept() {
        std::string text = project_text(canal_project());
        const auto at = text.find("\"driver\": \"noise\"");
        text.insert(at, "\"swirl\": {\"by\": 3}, ");
        const auto p = parse_project(text, "p.garland");
        QVERIFY(p && project_text(*p).find("\"swirl\"") != std::string::npos);
    }
    void wrong_fields_say_which() {
        std::string text = project_text(canal_project());
        auto broken = [&](const std::string& from, const std::string& to) {
            std::string t = text;
            const auto at = t.find(from);
            if (at == t.npos) return QString("not there: ") + from.c_str();
            t.replace(at, from.size(), to);
            const auto out = parse_project(t, "p.garland");
            return out ? QString("was taken") : said(out.error());
        };
        QVERIFY(broken("\"driver\": \"noise\"", "\"driver\": \"luck\"").contains("even, over space"));
        QVERIFY(broken("\"kind\": \"curve\"", "\"kind\": \"spiral\"").contains("scatter"));
        QVERIFY(broken("\"carrier\": ", "\"carrier\": 9").contains("source that is not there"));
        QVERIFY2(broken("\"count\": 200", "\"count\": 900000").contains("memory") ||
                     broken("\"count\": 200", "\"count\": 900000").contains("MB"),
                 qPrintable(broken("\"count\": 200", "\"count\": 900000")));
    }
    void stretched_and_carried_copies_are_written_where_they_are() {
        // One point that moves up a unit a frame carries a tetrahedron twice as wide.
        for (int f = 0; f < 3; ++f) {
            Pose dot;
            dot.points = {V3f(2, static_cast<float>(f), 0)};
            dot.ids = {5};
            QVERIFY(
                write_ply(folder_ / numbered("dot.", f, 4, ".ply"), dot, PlyForm::little_endian, Existing::replace));
            Pose mesh = tetrahedron(0);
            mesh.velocities.assign(mesh.points.size(), V3f(0));
            QVERIFY(
                write_ply(folder_ / numbered("mesh.", f, 4, ".ply"), mesh, PlyForm::little_endian, Existing::replace));
        }
        Project p;
        p.settings.range = {0, 2};
        const SourceId mesh = add_source(p, "mesh", "mesh.0000.ply", {0, 2, {24, 1}}),
                       dot = add_source(p, "dot", "dot.0000.ply", {0, 2, {24, 1}});
        static_cast<void>(mesh);
        p.arrangements[1].hidden = true;
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::points;
        a.layout.carried.source = dot;
        a.stretch.width = {{0, 2, Toward::linear}};
        QVERIFY(save_project(folder_ / "p.garland", p, Existing::replace));
        auto opened = open_project(folder_ / "p.garland");
        QVERIFY2(opened && opened->missing.empty(), opened ? "" : qPrintable(said(opened.error())));
        PoseCache cache(1 << 24);
        QVERIFY(find_groundwork(opened->project, opened->sources, cache));
        const ShowPtr show = make_show(opened->project, opened->sources, cache);
        QVERIFY(bake(*show, {folder_.path(), "out", {1, 1}, Existing::replace}));
        const auto out = read_ply(folder_ / "out.0001.ply");
        QVERIFY(out);
        const Pose& written = **out;
        const Pose base = tetrahedron(0);
        QCOMPARE(written.points.size(), base.points.size());
        for (std::size_t i = 0; i < base.points.size(); ++i) {
            QVERIFY(
                (written.points[i] - V3f(base.points[i].x * 2 + 2, base.points[i].y + 1, base.points[i].z)).length() <
                1e-5f);
            QVERIFY((written.velocities[i] - V3f(0, 24, 0)).length() < 1e-2f); // a unit a frame, 24 frames a second
        }
    }
};
GARLAND_TEST_CASE(CopiesFileTest)
#include "copies_test.moc"
