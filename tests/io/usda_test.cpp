#include "io/usda_texts.h"
#include "support/case.h"
#include "support/files.h"
#include "support/node.h"
#include "support/notation.h"

#include "core/geometry/keyed_model.h"
#include "demo/quay.h"
#include "io/gltf/gltf.h"
#include "io/sources/open_source.h"
#include "io/usd/usda_write.h"

#include <Eigen/Geometry>
#include <QJsonArray>
#include <QJsonObject>
#include <fmt/format.h>

using namespace garland;
using namespace garland::testing;

namespace {

Result<SourcePtr> opened(const Folder& folder, const std::string& text) {
    folder.write("a.usda", text);
    return open_source(folder / "a.usda");
}

} // namespace

class UsdaTest : public QObject {
    Q_OBJECT
  private slots:
    void meshes_with_time_samples_are_caches() {
        Folder folder;
        const auto source = opened(folder, moving_mesh_text);
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const SourceFacts& f = (*source)->facts();
        QCOMPARE(f.kind, SourceKind::mesh_sequence);
        QCOMPARE(f.first, 1);
        QCOMPARE(f.last, 4);
        QCOMPARE(*f.says.rate, (Rate{25, 1}));
        QCOMPARE(f.says.up, UpAxis::z);
        QCOMPARE(f.says.scale, 0.01);
        QVERIFY(f.carries.uvs && f.carries.colours && f.carries.velocities);
        QCOMPARE(f.carries.attributes, (std::vector<std::string>{"pane"}));
        const PosePtr first = *(*source)->read(1, Progress::none()), second = *(*source)->read(2, Progress::none()),
                      third = *(*source)->read(3, Progress::none());
        QCOMPARE(first->points[1], V3f(11, 0, 0)); // with its parent's move
        QVERIFY(second->points
                    .empty()); // None: there is no value until the next sample (as the reference library reads it)
        QCOMPARE(third->points[0], V3f(10, 0, 2));
        QCOMPARE(first->colours[3], V3f(0.5f, 0.25f, 1));
        QCOMPARE(first->attributes[0].whole, (std::vector<std::int32_t>{7, 8, 9, 10}));
        QCOMPARE(first->faces->corner_uvs.size(), std::size_t(6));
        QCOMPARE(first->faces->corners, third->faces->corners);
    }
    void changing_faces_are_told() {
        Folder folder;
        const auto source = opened(folder, changing_faces_text);
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::mesh_sequence);
        QCOMPARE((*source)->facts().varies.faces_change_at, std::optional<std::int64_t>(2));
    }
    void points_are_particles() {
        Folder folder;
        const auto source = opened(folder, points_text);
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::particles);
        const PosePtr pose = *(*source)->read(1, Progress::none());
        QCOMPARE(pose->ids, (std::vector<std::int64_t>{9000000000}));
        QCOMPARE(pose->points[0], V3f(2, 2, 3));
    }
    // Column vectors and Eigen's own rotations, against the format's row vectors and its order of operations.
    void transforms_agree_with_eigen() {
        Folder folder;
        const auto source = opened(folder, transforms_text);
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().frames(), 11);
        using namespace Eigen;
        for (double frame : {0.0, 2.5, 10.0}) {
            const PosePtr pose = *(*source)->exact_at(frame, SubFrame::linear, Progress::none());
            const double r = M_PI / 180;
            const Affine3d outer = Translation3d(1, 2, 3) * AngleAxisd(40 * r, Vector3d::UnitZ()) *
                                   AngleAxisd(30 * r, Vector3d::UnitY()) * AngleAxisd(20 * r, Vector3d::UnitX()) *
                                   Scaling(2.0);
            const Affine3d inner = Affine3d(Translation3d(0, 5, 0)) * AngleAxisd(M_PI * frame / 10, Vector3d::UnitY()) *
                                   Translation3d(0, -5, 0);
            for (int i = 0; i < 3; ++i) {
                const Vector3d wanted = outer * inner * Vector3d(Vector3d::Unit(i));
                QVERIFY((V3d(pose->points[static_cast<std::size_t>(i)]) - V3d(wanted.x(), wanted.y(), wanted.z()))
                            .length() < 1e-5);
            }
        }
    }
    void the_jar_is_the_same_in_both_formats() {
        Folder folder;
        const auto jar = break_jar();
        QVERIFY(write_glb(folder / "jar.glb", *jar, Existing::refuse));
        QVERIFY(write_usda(folder / "jar.usda", *jar, {24, 1}, Existing::refuse));
        const auto a = open_source(folder / "jar.glb"), b = open_source(folder / "jar.usda");
        QVERIFY2(b, b ? "" : qPrintable(said(b.error())));
        QCOMPARE((*b)->facts().kind, SourceKind::pieces);
        QCOMPARE((*b)->facts().frames(), (*a)->facts().frames());
        QCOMPARE(*(*b)->facts().says.rate, (Rate{24, 1}));
        for (double frame : {0.0, 12.0, 33.4, 95.0}) {
            const PosePtr x = *(*a)->exact_at(frame, SubFrame::linear, Progress::none()),
                          y = *(*b)->exact_at(frame, SubFrame::linear, Progress::none());
            QCOMPARE(x->points.size(), y->points.size());
            for (std::size_t i = 0; i < x->points.size(); ++i) QVERIFY((x->points[i] - y->points[i]).length() < 1e-5f);
        }
    }
    // tinyusdz and @kroxilon/usda-parser, pinned in tests/node: neither knows anything of Garland.
    void two_other_parsers_read_what_is_written() {
        GARLAND_NEEDS_NODE();
        Folder folder;
        const KeyedModel wheel = pinwheel();
        QVERIFY(write_usda(folder / "wheel.usda", wheel, {24, 1}, Existing::refuse));
        QString error;
        const QJsonObject out =
            run_node("check_usda.mjs", {QString::fromStdString(folder / "wheel.usda")}, &error).object();
        QVERIFY2(out["read"].toBool(), qPrintable(error + out["layer"].toString()));
        // The first one's values and times, as numbers.
        auto named = [](const QJsonArray& list, const QString& key, const QString& name) {
            for (const auto& one : list) {
                if (one.toObject()[key].toString() == name) return one.toObject();
            }
            return QJsonObject();
        };
        const QJsonArray top =
            named(out["tree"].toObject()["statements"].toArray(), "name", "garland")["statements"].toArray();
        const QJsonArray stick = named(top, "name", "stick")["statements"].toArray(),
                         head = named(stick, "name", "head")["statements"].toArray();
        const QJsonArray turns = named(named(head, "name", "wheel")["statements"].toArray(), "reference",
                                       "xformOp:orient.timeSamples")["value"]
                                     .toObject()["declarations"]
                                     .toObject()["values"]
                                     .toArray();
        const KeyTrack& track = wheel.tracks[0];
        QCOMPARE(turns.size(), static_cast<int>(track.keys()));
        double before = -1;
        for (int i = 0; i < turns.size(); ++i) {
            const double code = turns[i].toObject()["index"].toDouble();
            QVERIFY(code > before); // rising
            before = code;
            QVERIFY(std::abs(code - track.times[static_cast<std::size_t>(i)] * 24) < 1e-3);
            const QJsonArray q = turns[i].toObject()["value"].toArray();
            QCOMPARE(q.size(), 4);
            const double* v = &track.values[static_cast<std::size_t>(i) * 4];
            const double wanted[] = {v[3], v[0], v[1], v[2]};
            for (int k = 0; k < 4; ++k) QVERIFY(std::abs(q[k].toDouble() - wanted[k]) < 1e-6);
        }
        QCOMPARE(named(stick, "reference", "xformOp:translate")["defineType"].toString(), QString("double3"));
        const QJsonArray mesh = named(stick, "name", "mesh")["statements"].toArray();
        QCOMPARE(named(mesh, "reference", "points")["value"].toArray().size(),
                 static_cast<int>(wheel.meshes[0].base.points.size()));
        QCOMPARE(named(mesh, "reference", "points")["defineType"].toString(), QString("point3f[]"));
        int corners = 0;
        for (const auto& n : named(mesh, "reference", "faceVertexCounts")["value"].toArray()) corners += n.toInt();
        QCOMPARE(named(mesh, "reference", "faceVertexIndices")["value"].toArray().size(), corners);
        // The second one's own text of the layer, read again, moves as the first.
        folder.write("again.usda", out["layer"].toString().toStdString());
        const auto a = open_source(folder / "wheel.usda"), b = open_source(folder / "again.usda");
        QVERIFY2(b, b ? "" : qPrintable(said(b.error())));
        for (double frame : {0.0, 17.0, 40.5, 96.0}) {
            const PosePtr x = *(*a)->exact_at(frame, SubFrame::linear, Progress::none()),
                          y = *(*b)->exact_at(frame, SubFrame::linear, Progress::none());
            QCOMPARE(x->points.size(), y->points.size());
            for (std::size_t i = 0; i < x->points.size(); ++i) QVERIFY((x->points[i] - y->points[i]).length() < 1e-5f);
        }
    }
    void what_the_file_hides_is_hidden_and_what_is_left_out_is_said() {
        // Visibility, purpose and active: as the schemas UsdGeomImageable and the core say (from memory).
        Folder folder;
        const std::string sheet = "point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\nint[] faceVertexCounts = "
                                  "[3]\nint[] faceVertexIndices = [0, 1, 2]\n";
        auto mesh = [&](const char* name, const char* more, const char* data = "") {
            return fmt::format("def Mesh \"{}\" {} {{\n{}{}\n}}\n", name, data, sheet, more);
        };
        const auto source = opened(
            folder, "#usda 1.0\n" +
                        mesh("seen", "texCoord2f[] primvars:st = [(0, 0)]\nint[] primvars:st:indices = [0, 0, 0]") +
                        mesh("unseen", "token visibility = \"invisible\"") +
                        mesh("helper", "uniform token purpose = \"guide\"") + mesh("off", "", "(active = false)") +
                        mesh("blinks", "token visibility.timeSamples = { 1: \"inherited\", 3: \"invisible\", }") +
                        "def Xform \"store\" {\n token visibility = \"invisible\"\n" + mesh("inside", "") + "}\n");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::mesh_sequence);
        for (const auto& [frame, points] : {std::pair{1, 6}, {2, 6}, {3, 3}}) // seen, and blinks while it is seen
            QCOMPARE((*(*source)->read(frame, Progress::none()))->points.size(), std::size_t(points));
        std::string all;
        for (const SourceProblem& p : (*source)->facts().problems) all += p.what + "; ";
        for (const char* words : {"3 prims are invisible", "\"off\" is not active"})
            QVERIFY2(all.find(words) != all.npos, all.c_str());
        QCOMPARE((*(*source)->read(1, Progress::none()))->uvs.size(), std::size_t(6)); // indexed ones, resolved
        const auto nothing = opened(folder, "#usda 1.0\n" + mesh("unseen", "token visibility = \"invisible\""));
        QVERIFY(!nothing && describe(nothing.error()).find("invisible") != std::string::npos);
        // Two sets of points are one source; a number stays one particle's.
        const auto clouds = opened(folder, "#usda 1.0\ndef Points \"sparks\" {\npoint3f[] points = [(0, 0, 0)]\n}\ndef "
                                           "Points \"ash\" {\npoint3f[] points = [(0, 0, 0), (1, 0, 0)]\n}\n");
        QVERIFY2(clouds, clouds ? "" : qPrintable(said(clouds.error())));
        QCOMPARE((*(*clouds)->read(0, Progress::none()))->ids, (std::vector<std::int64_t>{0, 1, 3}));
    }
    void bad_text_is_refused_with_its_line() {
        Folder folder;
        auto complaint = [&](std::string text, const char* words, std::int64_t line) {
            const auto source = opened(folder, text);
            const bool fine = !source && describe(source.error()).find(words) != std::string::npos &&
                              source.error().line.value_or(0) == line;
            if (!fine) qWarning("said: %s", source ? "nothing" : describe(source.error()).c_str());
            return fine;
        };
        auto with = [](std::string from, std::string to) {
            std::string text = moving_mesh_text;
            text.replace(text.find(from), from.size(), to);
            return text;
        };
        QVERIFY(complaint("#usda 2.0\n", "does not begin", 1));
        const auto late = opened(folder, with("(1, 1, 8)", "(1, one, 8)")); // found when that frame is read
        QVERIFY(late);
        const auto frame = (*late)->read(4, Progress::none());
        QVERIFY(!frame);
        QVERIFY2(frame.error().line == 26 && frame.error().frame == 4 && said(frame.error()).contains("\"one"),
                 qPrintable(said(frame.error())));
        QVERIFY(complaint(with("[0, 1, 2, 0, 2, 3]", "[0, 1, 2, 0, 2, 4]"), "point 4", 21));
        QVERIFY(complaint(with("[3, 3]", "[3, 4]"), "need 7", 20));
        QVERIFY(complaint(with("3: [", "4: ["), "comes twice", 22));
        QVERIFY(complaint(with("3: [", "x: ["), "not a number", 25));
        QVERIFY(complaint(std::string(moving_mesh_text).substr(0, 700), "do not end", 22));
        QVERIFY(complaint(with("timeCodesPerSecond = 25", "timeCodesPerSecond = 0"), "timeCodesPerSecond", 10));
        QVERIFY(complaint(std::string(moving_mesh_text) + "}\n", "brace too many", 36));
        std::string deep = "#usda 1.0\n";
        for (int i = 0; i < 5000; ++i) deep += "def \"a\" {\n";
        QVERIFY(!opened(folder, deep));
        QVERIFY(!opened(folder, "#usda 1.0\ndef \"a\" { float x = " + std::string(100000, '[') + "\n}\n"));
        folder.write("b.usda", std::string("PXR-USDC\0\0", 10));
        QVERIFY(describe(open_source(folder / "b.usda").error()).find("cut") != std::string::npos);
        const auto empty = opened(folder, "#usda 1.0\ndef Xform \"a\" (references = @b.usda@) {}\n");
        QVERIFY2(!empty && said(empty.error()).contains("b.usda, which \"a\" refers to, could not be read"),
                 qPrintable(empty ? "" : said(empty.error())));
    }
};
GARLAND_TEST_CASE(UsdaTest)
#include "usda_test.moc"
