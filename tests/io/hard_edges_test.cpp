// Normals of corners through files: read from what an independent writer made, and written so that independent readers
// find the normal of each face at its corners.
#include "io/handed_off.h"
#include "support/hard_box.h"

#include "core/geometry/corner_normals.h"
#include "io/handoff/fast_copy.h"
#include "io/obj/obj.h"
#include "io/sources/open_source.h"

#include <assimp/Exporter.hpp>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>
#include <random>

using namespace garland;
using namespace garland::testing;

namespace {

// Frame f of a box that grows and turns, as text that no writer of ours made: each face names one normal.
std::string box_text(int f) {
    Pose box = hard_box();
    const double angle = 0.07 * f;
    for (V3f& p : box.points) {
        const double x = p.x * (1 + 0.05 * f), y = p.y, z = p.z;
        p = V3f(static_cast<float>(x * std::cos(angle) + z * std::sin(angle)), static_cast<float>(y),
                static_cast<float>(z * std::cos(angle) - x * std::sin(angle)));
    }
    std::string text;
    for (const V3f& p : box.points) text += fmt::format("v {} {} {}\n", p.x, p.y, p.z);
    for (std::size_t face = 0; face < 6; ++face) {
        const V3f n = face_normal(box, face);
        text += fmt::format("vn {} {} {}\n", n.x, n.y, n.z);
    }
    for (std::size_t face = 0; face < 6; ++face) {
        text += "f";
        for (std::size_t c = face * 4; c < face * 4 + 4; ++c)
            text += fmt::format(" {}//{}", box.faces->corners[c] + 1, face + 1);
        text += "\n";
    }
    return text;
}

void write_boxes(const Folder& folder) {
    for (int f = 0; f < 20; ++f) folder.write(numbered("box", f, 4, ".obj"), box_text(f));
}
void slow_and_turned(Project& p) {
    p.timings[0].map = parse_map("1:0 60:19"); // between frames, too
    p.arrangements[0].layout.count = 4;
}

// The largest distance of a triangle's normals of corners from the normal of its points.
double furthest_of_triangles(const QJsonObject& mesh) {
    const QJsonArray points = mesh["points"].toArray(), indices = mesh["indices"].toArray(),
                     normals = mesh["normals"].toArray();
    if (indices.isEmpty() || normals.size() != indices.size() * 3) return 1e9;
    auto point = [&](int c) {
        const QJsonArray p = points[indices[c].toInt()].toArray();
        return V3d(p[0].toDouble(), p[1].toDouble(), p[2].toDouble());
    };
    double worst = 0;
    for (int t = 0; t + 2 < indices.size(); t += 3) {
        const V3d face = (point(t + 1) - point(t)).cross(point(t + 2) - point(t)).normalized();
        for (int c = t; c < t + 3; ++c) {
            const V3d n(normals[c * 3].toDouble(), normals[c * 3 + 1].toDouble(), normals[c * 3 + 2].toDouble());
            worst = std::max(worst, (n - face).length());
        }
    }
    return worst;
}

double furthest_by_assimp(const std::string& path, unsigned* faces = nullptr) {
    Assimp::Importer importer;
    const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate | aiProcess_PreTransformVertices);
    if (!scene || scene->mNumMeshes == 0) return 1e9;
    double worst = 0;
    if (faces) *faces = 0;
    for (unsigned m = 0; m < scene->mNumMeshes; ++m) {
        const aiMesh& mesh = *scene->mMeshes[m];
        if (!mesh.HasNormals()) return 1e9;
        for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
            const unsigned* i = mesh.mFaces[f].mIndices;
            const aiVector3D face =
                ((mesh.mVertices[i[1]] - mesh.mVertices[i[0]]) ^ (mesh.mVertices[i[2]] - mesh.mVertices[i[0]]))
                    .Normalize();
            for (int k = 0; k < 3; ++k)
                worst = std::max(worst, static_cast<double>((mesh.mNormals[i[k]] - face).Length()));
            if (faces) ++*faces;
        }
    }
    return worst;
}

// Crates along a canal, each with normals of its faces at its own 24 vertices.
std::unique_ptr<aiScene> crates(unsigned count) {
    auto scene = std::make_unique<aiScene>();
    scene->mRootNode = new aiNode;
    scene->mNumMeshes = scene->mNumMaterials = scene->mRootNode->mNumMeshes = 1;
    scene->mMeshes = new aiMesh* [1] { new aiMesh };
    scene->mMaterials = new aiMaterial* [1] { new aiMaterial };
    scene->mRootNode->mMeshes = new unsigned[1]{0};
    aiMesh& mesh = *scene->mMeshes[0];
    mesh.mPrimitiveTypes = aiPrimitiveType_POLYGON;
    mesh.mNumVertices = count * 24, mesh.mNumFaces = count * 6;
    mesh.mVertices = new aiVector3D[mesh.mNumVertices];
    mesh.mNormals = new aiVector3D[mesh.mNumVertices];
    mesh.mFaces = new aiFace[mesh.mNumFaces];
    std::mt19937 random(7);
    std::uniform_real_distribution<float> size(0.5f, 2);
    for (unsigned b = 0; b < count; ++b) {
        Pose box = hard_box();
        const V3f sides(size(random), size(random), size(random)), at(static_cast<float>(b % 200) * 5, 0,
                                                                      static_cast<float>(b / 200) * 5); // NOLINT
        for (V3f& p : box.points) p = p * sides + at;
        for (unsigned c = 0; c < 24; ++c) {
            const V3f &p = box.points[box.faces->corners[c]], &n = box.corner_normals[c];
            mesh.mVertices[b * 24 + c] = {p.x, p.y, p.z};
            mesh.mNormals[b * 24 + c] = {n.x, n.y, n.z};
        }
        for (unsigned f = 0; f < 6; ++f) {
            aiFace& face = mesh.mFaces[b * 6 + f];
            face.mNumIndices = 4;
            face.mIndices = new unsigned[4];
            for (unsigned k = 0; k < 4; ++k) face.mIndices[k] = b * 24 + f * 4 + k;
        }
    }
    return scene;
}

const char* left_handed_text = R"(#usda 1.0
(
    startTimeCode = 1
    endTimeCode = 2
)
def Mesh "crate" (
    kind = "component"
)
{
    uniform token orientation = "leftHanded"
    int[] faceVertexCounts = [4, 4]
    int[] faceVertexIndices = [3, 2, 1, 0, 2, 5, 4, 1]
    point3f[] points.timeSamples = {
        1: [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (1, 0, -1), (1, 1, -1)],
        2: [(0, 0, 0), (2, 0, 0), (2, 1, 0), (0, 1, 0), (2, 0, -1), (2, 1, -1)],
    }
    normal3f[] normals = [(0, 0, 1), (0, 0, 1), (0, 0, 1), (0, 0.6, 0.8), (1, 0, 0), (1, 0, 0), (1, 0, 0), (1, 0, 0)] (
        interpolation = "faceVarying"
    )
    float[] primvars:heat = [0, 1, 2, 3, 4, 5, 6, 7] (
        interpolation = "faceVarying"
    )
    color3f[] primvars:displayColor = [(1, 0, 0), (1, 0, 0), (1, 0, 0), (1, 0, 0), (0, 1, 0), (0, 1, 0), (0, 1, 0),
        (0, 1, 0)] (
        interpolation = "faceVarying"
    )
    uniform token subdivisionScheme = "none"
}
)";

} // namespace

class HardEdgesTest : public QObject {
    Q_OBJECT
  private slots:
    // 20 000 crates, 480 000 corners; text has six digits.
    void obj_by_an_independent_writer() {
        Folder folder;
        constexpr unsigned count = 20000;
        const auto scene = crates(count);
        Assimp::Exporter exporter;
        QCOMPARE(exporter.Export(scene.get(), "obj", folder / "crates.obj"), aiReturn_SUCCESS);
        const auto read = read_obj(folder / "crates.obj");
        QVERIFY2(read, read ? "" : qPrintable(said(read.error())));
        const Pose& pose = **read;
        QCOMPARE(pose.faces->count(), std::size_t(count) * 6);
        QCOMPARE(pose.corner_normals.size(), std::size_t(count) * 24);
        const aiMesh& mesh = *scene->mMeshes[0];
        for (unsigned c = 0; c < count * 24; ++c) {
            const aiVector3D &p = mesh.mVertices[c], &n = mesh.mNormals[c];
            const V3f& point = pose.points[pose.faces->corners[c]];
            QVERIFY((point - V3f(p.x, p.y, p.z)).length() <= 1e-2f); // of up to a thousand metres
            QVERIFY((pose.corner_normals[c] - V3f(n.x, n.y, n.z)).length() <= 1e-5f);
        }
        QVERIFY(pose.points.size() < std::size_t(count) * 24); // points are shared between faces as the file has them
        QVERIFY(obj_left_out(folder / "crates.obj").empty() ||
                obj_left_out(folder / "crates.obj")[0].find("normals") == std::string::npos);
    }
    void copies_as_obj_by_an_independent_reader() {
        Festival f(write_boxes, "box0000.obj", slow_and_turned);
        for (const bool each : {false, true}) {
            HandoffOrder order{"posed-copies", ".obj", f.folder / (each ? "each" : "all"), "crates", {{9, 10}, 1}};
            order.each_copy = each;
            const auto done = hand_off(f.input(), order);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            for (const std::string& file : done->files) {
                unsigned faces = 0;
                const double worst = furthest_by_assimp(file, &faces);
                QCOMPARE(faces, each ? 12u : 48u);
                QVERIFY2(worst < 2e-3, qPrintable(QString("%1 in %2").arg(worst).arg(file.c_str())));
            }
        }
    }
    void ply_says_before_that_it_cannot_hold_them() {
        Festival f(write_boxes, "box0000.obj", slow_and_turned);
        HandoffOrder order{"posed-copies", ".ply", f.folder / "out", "crates", {{9, 10}, 1}};
        auto words = [&] {
            const auto plan = plan_handoff(f.input(), order);
            std::string all;
            for (const std::string& w : plan ? plan->words : std::vector<std::string>{}) all += w + "\n";
            return all;
        };
        const std::string wanted =
            "PLY cannot hold normals of corners, so those of \"lantern\" are left out; USD and OBJ keep them.\n";
        QCOMPARE(words(), wanted);
        // Beside it one whose files are gone: there is nothing to say of it.
        Festival missing(write_boxes, "box0000.obj", [](Project& p) {
            add_source(p, "gone", "gone.obj", {0, 19, {24, 1}});
        });
        const auto plan = plan_handoff(missing.input(), order);
        QVERIFY2(plan, plan ? "" : qPrintable(said(plan.error())));
        QCOMPARE(plan->words.size(), std::size_t(1));
        order.each_copy = true;
        QCOMPARE(words(), wanted);
        order.ending = ".obj";
        QCOMPARE(words(), std::string());
        order.each_copy = false, order.ending = ".usdc";
        QCOMPARE(words(), std::string());
    }
    void usd_by_the_reference_library() {
        GARLAND_NEEDS_NODE();
        Festival f(write_boxes, "box0000.obj", [](Project& p) {
            slow_and_turned(p);
            p.arrangements[0].stretch.width = *parse_keys("0:1 smooth 1:2", "");
        });
        for (const char* ending : {".usdc", ".usda"}) {
            for (const bool z_up : {false, true}) {
                HandoffOrder order{"posed-copies", ending, f.folder / (z_up ? "z" : "y"), "crates", {{1, 12}, 1}};
                order.as.z_up = z_up;
                const auto done = hand_off(f.input(), order);
                QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
                QString error;
                const QJsonArray answer =
                    run_node("usd_points.cjs", {"points", QString::fromStdString(done->files[0]), "1,5,12"}, &error)
                        .array();
                QVERIFY2(answer.size() == 3, qPrintable(error));
                for (const auto& at : answer) {
                    const QJsonArray meshes = at.toObject()["meshes"].toArray();
                    QCOMPARE(meshes.size(), 4);
                    for (const auto& mesh : meshes) {
                        const double worst = furthest_of_triangles(mesh.toObject());
                        QVERIFY2(worst < 2e-3, qPrintable(QString::number(worst)));
                    }
                }
            }
        }
    }
    void shared_poses_and_references_have_them() {
        Festival f(write_boxes, "box0000.obj", slow_and_turned);
        HandoffOrder order{"shared-poses", ".usda", f.folder / "out", "crates", {{1, 12}, 1}};
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        const UsdText usd(f.folder / "out/crates.usda");
        const UsdSpec* first = usd.prim("Mesh");
        QVERIFY(first);
        QCOMPARE(usd.floats(*first, "normals", 1, 3).size(), std::size_t(72));
        QVERIFY(f.folder.read("out/crates.usda").find("interpolation = \"faceVarying\"") != std::string::npos);
        order.output = "references", order.name = "refs";
        const auto refs = hand_off(f.input(), order);
        QVERIFY2(refs, refs ? "" : qPrintable(said(refs.error())));
        const auto back = open_source(f.folder / "out/refs.usda");
        QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
        const auto pose = (*back)->read(7, Progress::none());
        QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
        QCOMPARE((*pose)->corner_normals.size(), std::size_t(96));
        QVERIFY(furthest_from_faces(**pose) < 2e-3f);
    }
    void one_file_for_viewers_by_an_independent_reader() {
        GARLAND_NEEDS_NODE();
        Festival f(write_boxes, "box0000.obj", slow_and_turned);
        const HandoffOrder order{"viewer", ".glb", f.folder / "out", "crates", {{1, 12}, 1}};
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        unsigned faces = 0;
        const double worst = furthest_by_assimp(f.folder / "out/crates.glb", &faces); // the first pose, unmorphed
        QCOMPARE(faces, 48u);
        QVERIFY2(worst < 1e-3, qPrintable(QString::number(worst)));
        QString error;
        const QJsonObject checked =
            run_node("check_glb.mjs", {QString::fromStdString(f.folder / "out/crates.glb")}, &error)[0].toObject();
        QVERIFY2(checked["errors"].toInt(-1) == 0 && checked["warnings"].toInt(-1) == 0, qPrintable(error));
    }
    void what_is_no_number_is_left_out_and_said() {
        Folder folder;
        std::string obj = box_text(0), usd = left_handed_text;
        obj.replace(obj.find("vn "), obj.find('\n', obj.find("vn ")) - obj.find("vn "), "vn nan 0 1");
        usd.replace(usd.find("(0, 0.6, 0.8)"), 13, "(0, inf, 0.8)");
        folder.write("crate.obj", obj);
        folder.write("crate.usda", usd);
        for (const char* name : {"crate.obj", "crate.usda"}) {
            const auto source = open_source(folder / name);
            QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
            const auto pose = (*source)->read((*source)->facts().first, Progress::none());
            QVERIFY(pose && (*pose)->normals.empty() && (*pose)->corner_normals.empty());
            QVERIFY(!(*source)->facts().carries.normals);
            std::string told;
            for (const SourceProblem& p : (*source)->facts().problems) told += p.what + "; ";
            QVERIFY2(told.find("normals that are no finite numbers") != told.npos, told.c_str());
        }
    }
    // 20 000 crates, 480 000 corners, in a binary file that the reference library wrote.
    void usd_by_the_reference_writer() {
        GARLAND_NEEDS_NODE();
        constexpr std::uint32_t count = 20000;
        Folder folder;
        std::mt19937 random(9);
        std::uniform_real_distribution<double> angle(0, 6);
        std::string counts, corners, points, normals;
        auto add = [](std::string& text, const V3f& v) {
            fmt::format_to(std::back_inserter(text), "{}({}, {}, {})", text.empty() ? "" : ", ", v.x, v.y, v.z);
        };
        std::vector<V3f> all_points, all_normals;
        for (std::uint32_t b = 0; b < count; ++b) {
            Pose box = hard_box();
            const double turn = angle(random), c = std::cos(turn), s = std::sin(turn);
            for (V3f& p : box.points) {
                p = V3f(static_cast<float>(c * p.x + s * p.z) + static_cast<float>(b % 200) * 3, p.y,
                        static_cast<float>(c * p.z - s * p.x));
                add(points, p);
                all_points.push_back(p);
            }
            for (std::uint32_t k = 0; k < 24; ++k) {
                fmt::format_to(std::back_inserter(corners), "{}{}", corners.empty() ? "" : ", ",
                               b * 8 + box.faces->corners[k]);
                if (k % 4 == 0) counts += counts.empty() ? "4" : ", 4";
                all_normals.push_back(face_normal(box, k / 4));
                add(normals, all_normals.back());
            }
        }
        folder.write("crates.usda", "#usda 1.0\ndef Mesh \"crates\"\n{\n    int[] faceVertexCounts = [" + counts +
                                        "]\n    int[] faceVertexIndices = [" + corners + "]\n    point3f[] points = [" +
                                        points + "]\n    normal3f[] normals = [" + normals +
                                        "] (\n        interpolation = \"faceVarying\"\n    )\n    uniform token "
                                        "subdivisionScheme = \"none\"\n}\n");
        QString error;
        run_node(
            "usd_points.cjs",
            {"convert", QString::fromStdString(folder / "crates.usda"), QString::fromStdString(folder / "crates.usdc")},
            &error);
        QVERIFY2(QFile::exists(QString::fromStdString(folder / "crates.usdc")), qPrintable(error));
        for (const char* name : {"crates.usda", "crates.usdc"}) {
            const auto source = open_source(folder / name);
            QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
            const auto pose = (*source)->read((*source)->facts().first, Progress::none());
            QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
            QVERIFY((*pose)->points == all_points);
            QCOMPARE((*pose)->corner_normals.size(), std::size_t(count) * 24);
            for (std::size_t c = 0; c < all_normals.size(); ++c)
                QVERIFY(((*pose)->corner_normals[c] - all_normals[c]).length() < 1e-6f);
        }
    }
    void left_handed_faces_keep_their_own() {
        Folder folder;
        folder.write("crate.usda", left_handed_text);
        const auto source = open_source(folder / "crate.usda");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        for (const std::int64_t frame : {1, 2, 1, 2}) { // faces are known from the second time on
            const auto pose = (*source)->read(frame, Progress::none());
            QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
            const Faces& faces = *(*pose)->faces;
            QCOMPARE((*pose)->corner_normals.size(), std::size_t(8));
            for (std::size_t c = 0; c < 8; ++c) {
                const V3f& n = (*pose)->corner_normals[c];
                // The file gives the face's last corner, point 0, a normal of its own.
                const V3f should = c < 4 ? (faces.corners[c] == 0 ? V3f(0, 0.6f, 0.8f) : V3f(0, 0, 1)) : V3f(1, 0, 0);
                QVERIFY2((n - should).length() < 1e-6f, qPrintable(QString("corner %1").arg(c)));
            }
            QCOMPARE(faces.corner_attributes.size(), std::size_t(2));
            for (const Attribute& a : faces.corner_attributes) {
                if (a.name == "heat") QCOMPARE(a.values, (std::vector<float>{3, 2, 1, 0, 7, 6, 5, 4}));
                if (a.name == "displayColor") QCOMPARE(a.values.size(), std::size_t(24));
            }
        }
        std::string told;
        for (const SourceProblem& p : (*source)->facts().problems) told += p.what + ": " + p.advice + "; ";
        QCOMPARE(told,
                 std::string("\"crate\" has colours that differ at the corners of a point: they are kept as values "
                             "of corners, and not shown; "));
    }
    void of_faces_and_of_the_whole_mesh() {
        Folder folder;
        std::string text = left_handed_text;
        const auto from = text.find("normal3f[]"), to = text.find("float[] primvars:heat");
        folder.write("faces.usda",
                     text.substr(0, from) +
                         "normal3f[] normals = [(0, 0, 2), (3, 0, 0)] (\n interpolation = \"uniform\"\n)\n" +
                         text.substr(to));
        folder.write("one.usda", text.substr(0, from) +
                                     "normal3f[] normals = [(0, 0, 2)] (\n interpolation = \"constant\"\n)\n" +
                                     text.substr(to));
        const auto faces = open_source(folder / "faces.usda"), one = open_source(folder / "one.usda");
        QVERIFY(faces && one);
        const auto of_faces = (*faces)->read(2, Progress::none()), of_all = (*one)->read(2, Progress::none());
        QVERIFY(of_faces && of_all);
        QCOMPARE((*of_faces)->corner_normals[3], V3f(0, 0, 1));
        QCOMPARE((*of_faces)->corner_normals[4], V3f(1, 0, 0));
        QCOMPARE((*of_all)->normals, std::vector<V3f>(6, V3f(0, 0, 1)));
    }
    // A layer says once what its normals belong to: those of points become those of corners, and the other way round.
    void what_the_first_frame_has_the_others_get() {
        for (const bool hard_first : {true, false}) {
            Festival f(
                [&](const Folder& folder) {
                    for (int k = 0; k < 20; ++k) {
                        std::string text = box_text(0);
                        if ((k < 5) != hard_first) { // one normal for all faces
                            for (std::size_t at; (at = text.find("//")) != text.npos;) {
                                const auto end = text.find_first_of(" \n", at);
                                text.replace(at, end - at, "@@1");
                            }
                            for (std::size_t at; (at = text.find("@@")) != text.npos;) text.replace(at, 2, "//");
                        }
                        folder.write(numbered("box", k, 4, ".obj"), text);
                    }
                },
                "box0000.obj",
                [](Project& p) {
                    p.timings[0].map = parse_map("1:0 20:19");
                    p.arrangements[0].layout.count = 1;
                });
            const auto done = hand_off(f.input(), {"posed-copies", ".usda", f.folder / "out", "crate", {{1, 20}, 1}});
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            const UsdText usd(f.folder / "out/crate.usda");
            const UsdSpec* mesh = usd.prim("Mesh");
            for (double t : {1.0, 12.0})
                QCOMPARE(usd.floats(*mesh, "normals", t, 3).size(), std::size_t(hard_first ? 72 : 24));
            const std::string text = f.folder.read("out/crate.usda");
            QCOMPARE(text.find("faceVarying") != text.npos, hard_first);
        }
    }
    // Recomputed between frames, the edges are as hard as in the file's own.
    void between_frames_recomputed_ones_stay_hard() {
        Festival f(write_boxes, "box0000.obj", [](Project& p) {
            slow_and_turned(p);
            p.sources[0].import_settings.fresh_normals = true;
        });
        for (const double t : {1.0, 7.4, 30.5}) {
            const auto all = pose_all(*f.show, OutputFrame(t));
            QVERIFY(all);
            for (const SampledPose& one : all->front().poses)
                QVERIFY2(furthest_from_faces(*one.pose) < 1e-5f, qPrintable(QString::number(t)));
        }
    }
    void a_fast_copy_says_what_it_leaves_out() {
        Folder folder;
        write_boxes(folder);
        const auto source = open_source(folder / "box0000.obj");
        QVERIFY(source && (*source)->facts().carries.normals);
        FastCopyOrder order;
        order.stem = folder / "fast";
        const auto done = make_fast_copy(**source, order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QVERIFY2(done->kept.find("normals of corners") != std::string::npos, done->kept.c_str());
        const auto back = open_source(done->files[0]);
        QVERIFY(back && !(*back)->facts().carries.normals);
    }
};
GARLAND_TEST_CASE(HardEdgesTest)
#include "hard_edges_test.moc"
