// The names of pictures that materials have: carried along from what is read into what is written.
#include "support/case.h"
#include "support/files.h"
#include "support/node.h"

#include "core/geometry/join_poses.h"
#include "io/handoff/bake.h"
#include "io/obj/mtl.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"
#include "io/project/open_project.h"
#include "io/sources/open_source.h"

#include <assimp/Exporter.hpp>
#include <assimp/Importer.hpp>
#include <assimp/material.h>
#include <assimp/scene.h>

#include <QDirIterator>
#include <QJsonObject>
#include <filesystem>

using namespace garland;
using namespace garland::testing;

namespace {

PosePtr first_pose(const std::string& path) {
    const auto source = open_source(path);
    if (!source) return nullptr;
    const auto pose = (*source)->read((*source)->facts().first, Progress::none());
    return pose ? *pose : nullptr;
}

// The base colour's picture of each material by its name, as assimp (independent of this project) reads the file.
std::map<std::string, std::string> by_assimp(const std::string& path) {
    Assimp::Importer importer;
    std::map<std::string, std::string> out;
    const aiScene* scene = importer.ReadFile(path, 0);
    for (unsigned m = 0; scene && m < scene->mNumMaterials; ++m) {
        aiString name, file;
        const aiMaterial& material = *scene->mMaterials[m];
        if (material.Get(AI_MATKEY_NAME, name) != AI_SUCCESS) continue;
        const bool there = material.GetTexture(aiTextureType_DIFFUSE, 0, &file) == AI_SUCCESS ||
                           material.GetTexture(aiTextureType_BASE_COLOR, 0, &file) == AI_SUCCESS;
        if (there && file.length > 0 && file.C_Str()[0] != '*') out[name.C_Str()] = file.C_Str();
    }
    return out;
}

std::string last_word(std::string path) {
    std::replace(path.begin(), path.end(), '\\', '/');
    return std::filesystem::path(path).filename().string();
}

const char* quad = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n";

} // namespace

class PicturesTest : public QObject {
    Q_OBJECT
  private slots:
    void libraries_of_obj_files() {
        Folder folder;
        std::filesystem::create_directories(folder / "look");
        folder.write("look/paper.mtl",
                     "# of a lantern\nnewmtl paper\nKd 1 1 1\nmap_Kd rice paper.png\nmap_Ks not this.png\n"
                     "newmtl frame\nmap_Kd -s 2 2 1 -clamp on wood.png\r\nnewmtl unused\nmap_Kd x.png\n");
        folder.write("other.mtl", "newmtl ribbon\n\tmap_Kd /cloth/silk.png\nnewmtl bare\nKd 0 0 0\nmap_Kd\n");
        folder.write("lamp.obj",
                     std::string("mtllib look/paper.mtl\nmtllib other.mtl\nmtllib nowhere.mtl\n") + quad +
                         "usemtl paper\nf 1/1 2/2 3/3\nusemtl frame\nf 1/1 3/3 4/4\nusemtl ribbon\nf 1/1 2/2 4/4\n"
                         "usemtl bare\nf 2/2 3/3 4/4\n");
        const auto pose = read_obj(folder / "lamp.obj");
        QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
        const std::map<std::string, std::string> wanted = {{"paper", folder / "look/rice paper.png"},
                                                           {"frame", folder / "look/wood.png"},
                                                           {"ribbon", "/cloth/silk.png"}};
        QVERIFY((*pose)->faces->pictures == wanted);
        // A library that is none, a folder, or endless text takes nothing away.
        folder.write("odd.mtl", std::string(1 << 16, 'x') + "\nmap_Kd\nnewmtl\nmap_Kd a.png");
        QCOMPARE(pictures_of_library(folder / "odd.mtl").size(), std::size_t(1));
        QVERIFY(pictures_of_library(folder / "").empty());
    }
    // Every OBJ and glTF file of an independent collection names the pictures that assimp finds in it.
    void the_same_as_assimp_finds() {
        int files = 0, pictures = 0;
        for (const char* kind : {"OBJ", "glTF2"}) {
            QDirIterator all(QString("/usr/share/assimp/models/") + kind, {"*.obj", "*.gltf"}, QDir::Files,
                             QDirIterator::Subdirectories);
            while (all.hasNext()) {
                const std::string path = all.next().toStdString();
                const auto theirs = by_assimp(path);
                const PosePtr pose = first_pose(path);
                if (!pose || !pose->faces || theirs.empty()) continue;
                for (const auto& [material, picture] : pose->faces->pictures) {
                    const auto there = theirs.find(material);
                    QVERIFY2(there != theirs.end(), (path + ": " + material).c_str());
                    QVERIFY2(last_word(there->second) == last_word(picture), (path + ": " + picture).c_str());
                    QVERIFY2(std::filesystem::path(picture).is_absolute(), picture.c_str());
                    ++pictures;
                }
                for (const auto& [material, picture] : theirs) { // and none is missed of those in use
                    const auto& used = pose->faces->materials;
                    if (std::find(used.begin(), used.end(), material) != used.end())
                        QVERIFY2(pose->faces->pictures.count(material), (path + ": " + picture).c_str());
                }
                ++files;
            }
        }
        QVERIFY2(files >= 3 && pictures >= 6, qPrintable(QString("%1 files, %2 pictures").arg(files).arg(pictures)));
    }
    // A quarter of a million points in four hundred pieces, each with a material and a picture of its own, which assimp
    // writes as OBJ with its library.
    void at_working_size() {
        constexpr unsigned pieces = 400, side = 25;
        Folder folder;
        auto scene = std::make_unique<aiScene>();
        scene->mRootNode = new aiNode;
        scene->mNumMeshes = scene->mNumMaterials = scene->mRootNode->mNumMeshes = pieces;
        scene->mMeshes = new aiMesh*[pieces];
        scene->mMaterials = new aiMaterial*[pieces];
        scene->mRootNode->mMeshes = new unsigned[pieces];
        for (unsigned m = 0; m < pieces; ++m) {
            scene->mRootNode->mMeshes[m] = m;
            auto* mesh = scene->mMeshes[m] = new aiMesh;
            mesh->mMaterialIndex = m;
            mesh->mPrimitiveTypes = aiPrimitiveType_POLYGON;
            mesh->mNumVertices = side * side;
            mesh->mVertices = new aiVector3D[side * side];
            for (unsigned i = 0; i < side * side; ++i)
                mesh->mVertices[i] = {static_cast<float>(i % side), static_cast<float>(m),
                                      static_cast<float>(i / side)};
            mesh->mNumFaces = (side - 1) * (side - 1);
            mesh->mFaces = new aiFace[mesh->mNumFaces];
            for (unsigned f = 0; f < mesh->mNumFaces; ++f) {
                const unsigned at = f / (side - 1) * side + f % (side - 1);
                mesh->mFaces[f].mNumIndices = 4;
                mesh->mFaces[f].mIndices = new unsigned[4]{at, at + 1, at + side + 1, at + side};
            }
            auto* material = scene->mMaterials[m] = new aiMaterial;
            const aiString name("paper " + std::to_string(m)), file("pictures/paper " + std::to_string(m) + ".png");
            material->AddProperty(&name, AI_MATKEY_NAME);
            material->AddProperty(&file, AI_MATKEY_TEXTURE_DIFFUSE(0));
        }
        Assimp::Exporter exporter;
        QCOMPARE(exporter.Export(scene.get(), "obj", folder / "lamps.obj"), aiReturn_SUCCESS);
        const PosePtr pose = first_pose(folder / "lamps.obj");
        QVERIFY(pose);
        QCOMPARE(pose->points.size(), std::size_t(pieces) * side * side);
        QCOMPARE(pose->faces->pictures.size(), std::size_t(pieces));
        for (std::size_t f = 0; f < pose->faces->count(); ++f) { // each face has the picture of the piece it lies in
            const auto m = static_cast<int>(pose->points[pose->faces->corners[pose->faces->starts[f]]].y);
            const std::string& name = pose->faces->materials[pose->faces->material_of[f]];
            const auto picture = pose->faces->pictures.find(name);
            QVERIFY2(picture != pose->faces->pictures.end(), name.c_str());
            QCOMPARE(picture->second, folder / ("pictures/paper " + std::to_string(m) + ".png"));
        }
        QVERIFY(write_ply(folder / "lamps.ply", *pose, PlyForm::little_endian, Existing::replace));
        QVERIFY((*read_ply(folder / "lamps.ply"))->faces->pictures == pose->faces->pictures);
    }
    // UsdPreviewSurface and UsdUVTexture as their specification has them (Pixar's USD, "UsdPreviewSurface Proposal").
    void bound_materials_of_usd() {
        Folder folder;
        const std::string shader = R"(
            def Shader "surface" { uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = </look/paper/image.outputs:rgb> }
            def Shader "image" { uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./pictures/rice.png@
                token inputs:sourceColorSpace = "sRGB" }
            def Shader "bumps" { uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./pictures/bumps.png@
                token inputs:sourceColorSpace = "raw" })";
        folder.write("lamp.usda", "#usda 1.0\ndef Scope \"look\" { def Material \"paper\" {" + shader + R"(
            }
            def Material "plain" { def Shader "surface" { uniform token info:id = "UsdPreviewSurface" } } }
            def Mesh "lamp" { int[] faceVertexCounts = [3, 3]
                int[] faceVertexIndices = [0, 1, 2, 0, 2, 3]
                point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
                rel material:binding = </look/paper>
                def GeomSubset "rim" { uniform token elementType = "face"
                    int[] indices = [1]
                    rel material:binding = </look/plain> } })");
        const PosePtr pose = first_pose(folder / "lamp.usda");
        QVERIFY(pose);
        QCOMPARE(pose->faces->materials, (std::vector<std::string>{"paper", "plain"}));
        QVERIFY(pose->faces->pictures == (std::map<std::string, std::string>{{"paper", folder / "pictures/rice.png"}}));
    }
    // What is connected to the surface's base colour counts, however many textures there are: straight, through a node
    // graph and a correction, with a file named by the material, in a layer that is referenced.
    void connections_lead_to_the_base_colour() {
        Folder folder;
        const auto texture = [](const std::string& name, const std::string& file) {
            return "def Shader \"" + name + "\" { uniform token info:id = \"UsdUVTexture\"\n" + file +
                   "\ntoken inputs:sourceColorSpace = \"sRGB\"\ncolor3f outputs:rgb }\n";
        };
        const auto surface = [](const std::string& material, const std::string& base, const std::string& glow) {
            return "token outputs:surface.connect = </look/" + material + "/surface.outputs:surface>\n" +
                   "def Shader \"surface\" { uniform token info:id = \"UsdPreviewSurface\"\n" + base +
                   "\ncolor3f inputs:emissiveColor.connect = </look/" + material + "/" + glow +
                   ".outputs:rgb>\ntoken outputs:surface }\n";
        };
        const std::string look =
            "def Material \"paper\" {\n" +
            surface("paper", "color3f inputs:diffuseColor.connect = </look/paper/image.outputs:rgb>", "glow") +
            texture("image", "asset inputs:file = @./pictures/rice.png@") +
            texture("glow", "asset inputs:file = @./pictures/glow.png@") + "}\ndef Material \"silk\" {\n" +
            "asset inputs:weave = @./pictures/silk.png@\n" +
            surface("silk", "color3f inputs:diffuseColor.connect = </look/silk/graph.outputs:colour>", "glow") +
            "def NodeGraph \"graph\" { color3f outputs:colour.connect = </look/silk/graph/warm.outputs:out>\n"
            "def Shader \"warm\" { color3f inputs:in.connect = </look/silk/graph/image.outputs:rgb>\n"
            "color3f outputs:out }\n" +
            texture("image", "asset inputs:file.connect = </look/silk.inputs:weave>") + "}\n" +
            texture("glow", "asset inputs:file = @./pictures/glow.png@") + "}\ndef Material \"plain\" {\n" +
            surface("plain", "color3f inputs:diffuseColor = (1, 0, 0)", "glow") +
            texture("glow", "asset inputs:file = @./pictures/glow.png@") + "}\ndef Material \"round\" {\n" +
            surface("round", "color3f inputs:diffuseColor.connect = </look/round/a.outputs:rgb>", "a") +
            "def Shader \"a\" { color3f inputs:in.connect = </look/round/b.outputs:rgb>\ncolor3f outputs:rgb }\n"
            "def Shader \"b\" { color3f inputs:in.connect = </look/round/a.outputs:rgb>\ncolor3f outputs:rgb }\n}\n";
        std::filesystem::create_directories(folder / "layers");
        folder.write("layers/look.usda", "#usda 1.0\ndef Scope \"look\" {\n" + look + "}\n");
        const auto strip = [](const std::string& name, int at) {
            const std::string x = std::to_string(at);
            return "def Mesh \"" + name + "\" { int[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 1, 2]\n" +
                   "point3f[] points = [(" + x + ", 0, 0), (" + x + ", 1, 0), (" + x + ", 0, 1)]\n" +
                   "rel material:binding = </there/" + name + "> }\n";
        };
        folder.write(
            "lamp.usda",
            "#usda 1.0\ndef Scope \"there\" ( references = @layers/look.usda@</look> ) {}\ndef Xform \"lamp\" {\n" +
                strip("paper", 0) + strip("silk", 2) + strip("plain", 4) + strip("round", 6) + "}\n");
        const std::map<std::string, std::string> wanted = {{"paper", folder / "layers/pictures/rice.png"},
                                                           {"silk", folder / "layers/pictures/silk.png"}};
        const PosePtr pose = first_pose(folder / "lamp.usda");
        QVERIFY(pose);
        QVERIFY(pose->faces->pictures == wanted);
    }
    // Four hundred lamps as another writer packs them, each with four pictures in sRGB; every fourth has a plain
    // colour.
    void packages_of_another_writer() {
        GARLAND_NEEDS_NODE();
        Folder folder;
        QString error;
        const auto told = run_node("write_usdz.mjs", {QString::fromStdString(folder / "lamps.usdz"), "400"}, &error);
        const QJsonObject wanted = told.object();
        QVERIFY2(wanted.size() == 300, qPrintable(error));
        const PosePtr pose = first_pose(folder / "lamps.usdz");
        QVERIFY(pose);
        QCOMPARE(pose->faces->count(), std::size_t(400 * 12));
        QCOMPARE(pose->faces->pictures.size(), std::size_t(300));
        for (const auto& [material, picture] : pose->faces->pictures) {
            const QString theirs = wanted.value(QString::fromStdString(material)).toString();
            QVERIFY2(!theirs.isEmpty() && QString::fromStdString(picture).contains("/" + theirs + "_"),
                     picture.c_str());
        }
    }
    void into_what_is_written() {
        Folder folder;
        folder.write("lamp.mtl", "newmtl paper\nmap_Kd rice paper.png\nnewmtl frame\nmap_Kd wood.png\n");
        folder.write("lamp.obj", std::string("mtllib lamp.mtl\n") + quad +
                                     "usemtl paper\nf 1/1 2/2 3/3\nusemtl frame\nf 1/1 3/3 4/4\n");
        const PosePtr pose = first_pose(folder / "lamp.obj");
        QVERIFY(pose);
        const std::map<std::string, std::string> wanted = {{"paper", folder / "rice paper.png"},
                                                           {"frame", folder / "wood.png"}};
        QVERIFY(pose->faces->pictures == wanted);
        QVERIFY(write_ply(folder / "own.ply", *pose, PlyForm::little_endian, Existing::replace));
        QVERIFY((*read_ply(folder / "own.ply"))->faces->pictures == wanted);
        // Two copies in one file, as a hand-off has them.
        PoseJoiner joiner;
        joiner.add(*pose, 0);
        joiner.add(*pose, 1);
        QVERIFY(joiner.take(false).faces->pictures == wanted);
        // One texture for all faces, as scanners' programs write it.
        folder.write("scan.ply", "ply\nformat ascii 1.0\ncomment TextureFile sea grass.png\nelement vertex 3\n"
                                 "property float x\nproperty float y\nproperty float z\nelement face 1\n"
                                 "property list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n");
        const auto scan = read_ply(folder / "scan.ply");
        QVERIFY2(scan, scan ? "" : qPrintable(said(scan.error())));
        QVERIFY((*scan)->faces->pictures ==
                (std::map<std::string, std::string>{{"sea grass", folder / "sea grass.png"}}));
    }
    void through_a_hand_off() {
        Folder folder;
        folder.write("lamp.mtl", "newmtl paper\nmap_Kd rice.png\n");
        for (int f = 0; f < 3; ++f)
            folder.write("lamp.000" + std::to_string(f) + ".obj",
                         std::string("mtllib lamp.mtl\n") + quad + "usemtl paper\nf 1/1 2/2 3/3 4/4\n");
        Project p;
        add_source(p, "lamp", folder / "lamp.0000.obj", {0, 2, p.settings.rate});
        const auto opened = open_project(std::move(p), folder / "lamp.garland");
        QVERIFY2(opened, opened ? "" : qPrintable(said(opened.error())));
        QVERIFY(opened->missing.empty());
        PoseCache cache(1 << 24);
        const ShowPtr show = make_show(opened->project, opened->sources, cache);
        BakeOrder order;
        order.folder = folder / "out";
        order.frames = {1, 2};
        const auto done = bake(*show, order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        const std::map<std::string, std::string> wanted = {{"paper", folder / "rice.png"}};
        QVERIFY((*read_ply(folder / "out/copies.0001.ply"))->faces->pictures == wanted);
    }
};

GARLAND_TEST_CASE(PicturesTest)
#include "pictures_test.moc"
