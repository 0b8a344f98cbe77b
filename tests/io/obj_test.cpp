#include "io/sources/open_source.h"
#include "support/assimp_reading.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/obj/obj.h"

using namespace garland;
using namespace garland::testing;

namespace {
const std::string models = "/usr/share/assimp/models/";
Result<PosePtr> parse(const std::string& text) {
    static const std::string path = "a.obj";
    return parse_obj(text.data(), text.size(), path);
}
} // namespace

class ObjTest : public QObject {
    Q_OBJECT
  private slots:
    void files_of_others_data() {
        QTest::addColumn<QString>("file");
        for (const char* f : {"OBJ/WusonOBJ.obj", "OBJ/box.obj", "OBJ/multiple_spaces.obj", "OBJ/box_longline.obj",
                              "OBJ/cube_with_vertexcolors.obj", "OBJ/box_without_lineending.obj", "OBJ/regr01.obj"}) {
            QTest::newRow(f) << f;
        }
    }
    void files_of_others() { // against what Assimp reads
        QFETCH(QString, file);
        const std::string path = models + file.toStdString();
        const auto pose = read_obj(path);
        QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
        const AssimpReading theirs = read_with_assimp(path);
        QVERIFY(theirs.ok);
        const auto t = (*pose)->faces->triangles();
        double area = 0;
        for (std::size_t i = 0; i < t.size(); i += 3) {
            const V3f a = (*pose)->points[t[i]];
            area += 0.5 * ((*pose)->points[t[i + 1]] - a).cross((*pose)->points[t[i + 2]] - a).length();
        }
        QCOMPARE(t.size() / 3, theirs.triangles);
        QVERIFY(close(area, theirs.area, 1e-4 * theirs.area + 1e-9));
        QVERIFY((bounds(**pose).size() - theirs.box.size()).length() < 1e-3f * theirs.box.size().length() + 1e-6f);
    }
    void all_ways_to_name_a_corner() {
        const auto pose = parse("v 0 0 0\nv 1 0 0\nv 0 1 0 # a remark\nvt 0 0\nvt 1 0\nvt 0 1\nvn 0 0 1\n"
                                "f 1 2 3\nf 1/1 2/2 3/3\nf 1//1 2//1 3//1\nf -3/-3/-1 -2/-2/-1 \\\n -1/-1/-1\n");
        QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
        QCOMPARE((*pose)->faces->count(), std::size_t(4));
        for (std::size_t c = 0; c < 12; ++c) QCOMPARE((*pose)->faces->corners[c], static_cast<std::uint32_t>(c % 3));
        QVERIFY((*pose)->faces->corner_uvs.empty()); // not every corner has one
        const auto uv = parse("v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvn 0 0 2\nf 1/1/1 2/2/1 3/3/1\n");
        QCOMPARE((*uv)->faces->corner_uvs.size(), std::size_t(3));
        QCOMPARE((*uv)->normals[0], V3f(0, 0, 1));
    }
    void split_normals_are_left_out() {
        const auto pose = parse("v 0 0 0\nv 1 0 0\nv 0 1 0\nvn 0 0 1\nvn 1 0 0\nf 1//1 2//1 3//1\nf 1//2 3//2 2//2\n");
        QVERIFY(pose && (*pose)->normals.empty());
    }
    void errors_name_the_line_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("says");
        QTest::newRow("word") << "v 0 0 0\nv 1 one 0\n"
                              << "line 2: \"one\" is not a number";
        QTest::newRow("short") << "v 0 0\n"
                               << "line 1: a number is missing";
        QTest::newRow("past") << "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n"
                              << "face 0 points to point 3, but there are only 3";
        QTest::newRow("zero") << "v 0 0 0\nf 0 1 1\n"
                              << "line 2: a face points to point 0";
        QTest::newRow("before the first") << "v 0 0 0\nf -1 -2 -1\n"
                                          << "line 2: a face points to point -2";
        QTest::newRow("fraction") << "v 0 0 0\nf 1.5 1 1\n"
                                  << "line 2: a face needs whole numbers";
        QTest::newRow("nan") << "v 0 0 0\nv nan 0 0\n"
                             << "point 1 is not finite";
        QTest::newRow("empty") << ""
                               << "has no bytes";
        QTest::newRow("huge index") << "v 0 0 0\nf 1 99999999999999999999 1\n"
                                    << "line 2: a face needs whole numbers";
    }
    void errors_name_the_line() {
        QFETCH(QString, text);
        QFETCH(QString, says);
        const auto pose = parse(text.toStdString());
        QVERIFY(!pose);
        QVERIFY2(said(pose.error()).contains(says), qPrintable(said(pose.error())));
    }
    void invalid_models_are_errors() {
        QVERIFY(!read_obj(models + "invalid/empty.obj"));
        QVERIFY(!read_obj(models + "invalid/malformed.obj"));
        QVERIFY(!parse(std::string("v 0 0 0\n\0\0", 10)));
    }
    void writes_what_it_reads() {
        Folder folder;
        const Pose pose = tetrahedron(0.1);
        QVERIFY(write_obj(folder / "a.obj", pose, Existing::refuse));
        const auto back = read_obj(folder / "a.obj");
        QVERIFY((*back)->points == pose.points && (*back)->faces->same_shape(*pose.faces));
        const auto counts = read_obj_counts(folder / "a.obj");
        QVERIFY(counts->points == 4 && counts->faces == 4);
    }
    void what_is_left_out_is_said() {
        Folder folder;
        folder.write(
            "a.obj",
            "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nvn 0 0 1\nvn 1 0 0\nf 1//1 2//1 3//1\nf 1//2 3//2 4//2\nl 1 2\np 3\n");
        const auto source = open_source(folder / "a.obj");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QVERIFY((*source)->facts().carries.normals);
        std::string told;
        for (const SourceProblem& p : (*source)->facts().problems) told += p.what + "; ";
        QCOMPARE(told, std::string("lines are left out; points by themselves are left out; "));
        const auto pose = read_obj(folder / "a.obj");
        QCOMPARE((*pose)->corner_normals,
                 (std::vector<V3f>{{0, 0, 1}, {0, 0, 1}, {0, 0, 1}, {1, 0, 0}, {1, 0, 0}, {1, 0, 0}}));
    }
};
GARLAND_TEST_CASE(ObjTest)
#include "obj_test.moc"
