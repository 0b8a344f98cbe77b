// Files of working size that others wrote: NumPy, meshio and OpenVDB's own Python module (tests/python/write_files.py),
// and OpenVDB's C++ library with every compression it has. Values are compared with what the writers say they wrote.
#include "support/assimp_reading.h"
#include "support/case.h"
#include "support/files.h"
#include "support/node.h"
#include "support/python.h"
#include "support/volume_writer.h"

#include "core/geometry/volume.h"
#include "io/handoff/bake.h"
#include "io/handoff/fast_copy.h"
#include "io/sources/open_source.h"
#include "io/vdb/volume_file.h"

#include <QDirIterator>
#include <QJsonArray>

using namespace garland;
using namespace garland::testing;

namespace {

void compare_points(const Pose& pose, const QJsonArray& samples, float allowed = 0) {
    QVERIFY(!samples.isEmpty());
    for (const auto& one : samples) {
        const QJsonArray s = one.toArray();
        const auto i = static_cast<std::size_t>(s[0].toInt());
        QVERIFY(i < pose.points.size());
        for (int k = 0; k < 3; ++k) {
            const auto wanted = static_cast<float>(s[k + 1].toDouble());
            QVERIFY2(std::abs(pose.points[i][k] - wanted) <= allowed,
                     qPrintable(QString("point %1: %2 instead of %3").arg(i).arg(pose.points[i][k]).arg(wanted)));
        }
    }
}

PosePtr frame_of(const SourcePtr& source, std::int64_t frame) {
    auto pose = source->read(frame, Progress::none());
    if (!pose) qFatal("%s", qPrintable(said(pose.error())));
    return *pose;
}

} // namespace

class RealSizeTest : public QObject {
    Q_OBJECT
  private slots:
    void volumes_by_python() {
        GARLAND_NEEDS_PYTHON("pyopenvdb, numpy");
        Folder folder;
        QString error;
        const QJsonObject files =
            run_python("write_files.py", {"volumes", QString::fromStdString(folder.path())}, &error);
        QVERIFY2(!files.isEmpty(), qPrintable(error));
        for (const QString& name : files.keys()) {
            const QJsonObject wanted = files[name].toObject();
            const auto volume = read_volume(folder / name.toStdString());
            QVERIFY2(volume, qPrintable(name + ": " + (volume ? QString() : said(volume.error()))));
            QCOMPARE((*volume)->facts().size(), static_cast<std::size_t>(wanted["grids"].toArray().size()));
            for (std::size_t g = 0; g < (*volume)->facts().size(); ++g) {
                QCOMPARE(QString::fromStdString((*volume)->facts()[g].name),
                         wanted["grids"].toArray()[static_cast<int>(g)].toString());
                QCOMPARE(static_cast<double>((*volume)->facts()[g].active),
                         wanted["active"].toArray()[static_cast<int>(g)].toDouble());
            }
            for (const auto& one : wanted["samples"].toArray()) {
                const QJsonArray s = one.toArray();
                const V3f at(static_cast<float>(s[1].toDouble()), static_cast<float>(s[2].toDouble()),
                             static_cast<float>(s[3].toDouble()));
                const double value = value_at(**volume, s[0].toString().toStdString(), at);
                const double allowed =
                    name == "half.vdb" ? 2e-3 : 2e-4; // the place goes through a float, and between voxels
                QVERIFY2(std::abs(value - s[4].toDouble()) < allowed * std::max(1.0, std::abs(s[4].toDouble())),
                         qPrintable(QString("%1: %2 instead of %3").arg(name).arg(value).arg(s[4].toDouble())));
            }
            // The whole way: opened as a source, written again, read again, the same.
            const auto source = open_source(folder / name.toStdString());
            QVERIFY2(source, qPrintable(name + ": " + (source ? QString() : said(source.error()))));
            QVERIFY(write_volume(folder / "again.vdb", **volume, Existing::replace));
            const auto again = read_volume(folder / "again.vdb");
            QVERIFY2(again, qPrintable(name + " again: " + (again ? QString() : said(again.error()))));
            QCOMPARE(furthest(**volume, **again), 0.0);
        }
    }
    void volumes_in_every_compression_data() {
        QTest::addColumn<int>("compression");
        QTest::newRow("none") << int(vdb_none);
        QTest::newRow("active values") << int(vdb_active);
        QTest::newRow("zip") << int(vdb_zip);
        QTest::newRow("zip and active values") << int(vdb_zip | vdb_active);
        QTest::newRow("blosc and active values") << int(vdb_blosc | vdb_active);
    }
    void volumes_in_every_compression() {
        QFETCH(int, compression);
        Folder folder;
        write_every_grid(folder / "all.vdb", static_cast<std::uint32_t>(compression));
        const auto volume = read_volume(folder / "all.vdb");
        QVERIFY2(volume, volume ? "" : qPrintable(said(volume.error())));
        QCOMPARE((*volume)->facts().size(), std::size_t(9));
        for (int i = 0; i < 200; ++i) {
            const int x = i * 7 % 40, y = i * 11 % 40, z = i * 13 % 40;
            const V3f at(0.5f * static_cast<float>(x), 0.5f * static_cast<float>(y), 0.5f * static_cast<float>(z));
            QCOMPARE(value_at(**volume, "density", at), static_cast<float>(1 + x + 2 * y + 3 * z));
            QCOMPARE(value_at(**volume, "heat", at),
                     static_cast<float>(1 + x + 2 * y + 3 * z)); // eight bytes read as four
        }
        QCOMPARE(value_at(**volume, "tiles", V3f(4000, 100, 7)), 3.0f);
        QCOMPARE(value_at(**volume, "switches", V3f(1, 2, 3)), 1.0f);
        QCOMPARE(value_at(**volume, "switches", V3f(1, 2, 4)), 0.0f);
        QCOMPARE(value_at(**volume, "count", V3f(5, 6, 7)), static_cast<float>(1 + 10 + 24 + 42));
        QCOMPARE(value_at(**volume, "number", V3f(5, 6, 7)), static_cast<float>(1 + 10 + 24 + 42));
        QCOMPARE((*volume)->facts()[4].active, std::uint64_t(0));
        const auto source = open_source(folder / "all.vdb");
        QVERIFY(source);
        int said_so = 0;
        for (const SourceProblem& p : (*source)->facts().problems)
            said_so += QString::fromStdString(p.what).contains("switches") +
                       QString::fromStdString(p.what).contains("eight bytes") +
                       QString::fromStdString(p.what).contains("whole numbers");
        QCOMPARE(said_so, 5);
        const auto copied = make_fast_copy(**source, {folder / "fast"});
        QVERIFY2(copied, copied ? "" : qPrintable(said(copied.error())));
        QCOMPARE(copied->worst, 0.0);
    }
    // Truth values, a velocity as three grids, and one on the faces of its cells (Harlow and Welch 1965): what
    // pyopenvdb wrote is linear in space, so that means and places between voxels are known exactly.
    void grids_of_other_kinds() {
        GARLAND_NEEDS_PYTHON("pyopenvdb, numpy");
        Folder folder;
        QString error;
        const QJsonObject wrote =
            run_python("write_files.py", {"grid_kinds", QString::fromStdString(folder.path())}, &error);
        QVERIFY2(!wrote.isEmpty(), qPrintable(error));
        const auto voxel = static_cast<float>(wrote["voxel"].toDouble());
        auto open = [&](const char* name) {
            auto source = open_source(folder / name);
            if (!source) qFatal("%s: %s", name, qPrintable(said(source.error())));
            return *source;
        };
        const SourcePtr mask = open("mask.vdb"), axes = open("axes.vdb"), faces = open("faces.vdb");
        const VolumePtr inside = frame_of(mask, 0)->volume, wind = frame_of(axes, 0)->volume,
                        centred = frame_of(faces, 0)->volume;
        QCOMPARE(static_cast<double>(inside->facts()[0].active), wrote["inside"].toDouble());
        QCOMPARE(inside->facts()[0].type, std::string("float"));
        QCOMPARE(value_at(*inside, "inside", V3f(48, 48, 48) * voxel), 1.0f);
        QVERIFY(axes->facts().carries.velocities && faces->facts().carries.velocities &&
                !mask->facts().carries.velocities);
        QCOMPARE(axes->facts().carries.attributes, (std::vector<std::string>{"vel (vector)", "density (float)"}));
        QCOMPARE(wind->facts().size(), std::size_t(2));
        double off = 0;
        for (int i = 0; i < 500; ++i) {
            const V3f v(static_cast<float>(2 + i * 7 % 90), static_cast<float>(2 + i * 11 % 90),
                        static_cast<float>(2 + i * 13 % 90));
            // vel.y lies half a voxel lower: at a voxel of vel.x it is what it would be half a voxel on.
            const V3f wanted(1 + 0.5f * v.x, 2 - 0.25f * (v.y + 0.5f) + v.z, 3 + v.y),
                middle(1 + 0.5f * v.x, 2 - 0.25f * v.y + v.z, 3 + v.y + 2 * v.z);
            off = std::max<double>(off, (vector_at(*wind, "vel", v * voxel) - wanted).length());
            off = std::max<double>(off, (vector_at(*centred, "velocity", v * voxel) - middle).length());
        }
        QVERIFY2(off < 2e-3, qPrintable(QString::number(off)));
        auto problems = [](const SourcePtr& source) {
            QString all;
            for (const SourceProblem& p : source->facts().problems) all += QString::fromStdString(p.what + "; ");
            return all;
        };
        QVERIFY(problems(mask).contains("\"inside\" holds truth values"));
        QVERIFY(problems(axes).contains("\"vel.x\", \"vel.y\" and \"vel.z\" are the axes of a velocity"));
        QVERIFY(problems(faces).contains("on the faces of its cells"));
    }
    // The same volume is the same bytes, whenever it is written.
    void volumes_carry_nothing_random() {
        Folder folder;
        write_ball(folder / "a.vdb", 30);
        const auto volume = read_volume(folder / "a.vdb");
        QVERIFY(volume);
        QVERIFY(write_volume(folder / "b.vdb", **volume, Existing::refuse));
        QVERIFY(write_volume(folder / "c.vdb", **volume, Existing::refuse));
        QCOMPARE(folder.read("b.vdb"), folder.read("c.vdb"));
    }
    void meshes_of_a_million_points() {
        GARLAND_NEEDS_PYTHON("meshio, numpy");
        Folder folder;
        QString error;
        const QJsonObject files = run_python("write_files.py", {"mesh", QString::fromStdString(folder.path())}, &error);
        QVERIFY2(!files.isEmpty(), qPrintable(error));
        for (const QString& name : files.keys()) {
            const auto source = open_source(folder / name.toStdString());
            QVERIFY2(source, qPrintable(name + ": " + (source ? QString() : said(source.error()))));
            const PosePtr pose = frame_of(*source, (*source)->facts().first);
            QCOMPARE(pose->points.size(), static_cast<std::size_t>(files[name].toObject()["points"].toInt()));
            QCOMPARE(pose->faces->count(), static_cast<std::size_t>(files[name].toObject()["faces"].toInt()));
            compare_points(*pose, files[name].toObject()["samples"].toArray());
        }
    }
    // Text with numbers printed by NumPy; the reference USD library makes the binary form of it (whole numbers and
    // floats packed).
    // UsdSkel's linear blend skinning and UsdGeomPointInstancer, by NumPy.
    void skeletons_and_instancers_of_working_size() {
        GARLAND_NEEDS_PYTHON("numpy");
        Folder folder;
        QString error;
        const QJsonObject wrote =
            run_python("write_files.py", {"stages", QString::fromStdString(folder.path())}, &error);
        QVERIFY2(!wrote.isEmpty(), qPrintable(error));
        const auto eel = open_source(folder / "bent.usda"), lamps = open_source(folder / "lamps.usda"),
                   points = open_source(folder / "lamps.usda", Progress::none(), {{"show", "instances"}});
        for (const auto* source : {&eel, &lamps, &points})
            QVERIFY2(*source, qPrintable(*source ? "" : said(source->error())));
        QCOMPARE((*eel)->facts().points, static_cast<std::size_t>(wrote["points"].toInt()));
        compare_points(*frame_of(*eel, 1), wrote["rest"].toArray(), 1e-5f);
        compare_points(*frame_of(*eel, 2), wrote["skinned"].toArray(), 2e-5f);
        const auto instances = static_cast<std::size_t>(wrote["instances"].toInt());
        const PosePtr all = frame_of(*lamps, 0), places = frame_of(*points, 0);
        QCOMPARE(all->points.size(), 4 * instances);
        QCOMPARE(all->faces->count(), 4 * instances);
        compare_points(*all, wrote["standing"].toArray(), 1e-4f);
        QCOMPARE(places->points.size(), instances);
        compare_points(*places, wrote["places"].toArray());
    }
    void usd_of_a_million_points() {
        GARLAND_NEEDS_PYTHON("numpy");
        GARLAND_NEEDS_NODE();
        Folder folder;
        QString error;
        const QJsonObject wanted = run_python("write_files.py", {"usd", QString::fromStdString(folder.path())}, &error);
        QVERIFY2(!wanted.isEmpty(), qPrintable(error));
        run_node(
            "usd_points.cjs",
            {"convert", QString::fromStdString(folder / "cloth.usda"), QString::fromStdString(folder / "cloth.usdc")},
            &error);
        for (const char* name : {"cloth.usda", "cloth.usdc"}) {
            const auto source = open_source(folder / name);
            QVERIFY2(source, source ? "" : qPrintable(said(source.error()) + error));
            QCOMPARE((*source)->facts().points, static_cast<std::size_t>(wanted["points"].toInt()));
            QCOMPARE((*source)->facts().faces, static_cast<std::size_t>(wanted["faces"].toInt()));
            for (const int frame : {1, 2}) {
                const PosePtr pose = frame_of(*source, frame);
                compare_points(*pose, wanted["samples"].toObject()[QString::number(frame)].toArray());
                QCOMPARE(pose->attributes.at(0).values[999'999], 999'999.0f);
                QCOMPARE(pose->faces->corners[4 * 998'000 + 2], 999'999u);
            }
        }
    }
    void arrays_of_ten_thousand_frames() {
        GARLAND_NEEDS_PYTHON("meshio, numpy");
        Folder folder;
        QString error;
        const QJsonObject files =
            run_python("write_files.py", {"arrays", QString::fromStdString(folder.path())}, &error);
        QVERIFY2(!files.isEmpty(), qPrintable(error));
        for (const QString& name : files.keys()) {
            const auto source = open_source(folder / name.toStdString());
            QVERIFY2(source, qPrintable(name + ": " + (source ? QString() : said(source.error()))));
            QCOMPARE((*source)->facts().frames(), std::int64_t(10000));
            const QJsonObject samples = files[name].toObject()["samples"].toObject();
            for (const QString& frame : samples.keys())
                compare_points(*frame_of(*source, frame.toLongLong()), samples[frame].toArray());
        }
    }
    void series_of_two_thousand_files() {
        GARLAND_NEEDS_PYTHON("meshio, numpy");
        Folder folder;
        QString error;
        const QJsonObject wanted =
            run_python("write_files.py", {"series", QString::fromStdString(folder.path())}, &error);
        QVERIFY2(!wanted.isEmpty(), qPrintable(error));
        const auto source = open_source(folder / "leaf.0001.ply");
        QVERIFY(source);
        QCOMPARE((*source)->facts().frames(), std::int64_t(2000));
        const QJsonObject samples = wanted["samples"].toObject();
        for (const QString& frame : samples.keys())
            compare_points(*frame_of(*source, frame.toLongLong()), samples[frame].toArray());
    }
    // Every model in an open format that Assimp's test models bring: read right (the same box as Assimp's), or refused
    // in words. What is read in part says so among its problems.
    void models_of_others() {
        const QString root = "/usr/share/assimp/models";
        if (!QDir(root).exists()) QSKIP("the test models are not here (./check installs them)");
        int right = 0, refused = 0, part = 0, other = 0;
        QDirIterator all(root, {"*.ply", "*.obj", "*.gltf", "*.glb"}, QDir::Files, QDirIterator::Subdirectories);
        while (all.hasNext()) {
            const std::string path = all.next().toStdString();
            const auto source = open_source(path);
            if (!source) {
                QVERIFY2(!source.error().message.empty(), path.c_str());
                ++refused;
                continue;
            }
            const auto pose = (*source)->any_time() ? (*source)->exact_at(static_cast<double>((*source)->facts().first),
                                                                          SubFrame::linear, Progress::none())
                                                    : (*source)->read((*source)->facts().first, Progress::none());
            QVERIFY2(pose, path.c_str());
            if (!(*source)->facts().problems.empty()) ++part;
            const AssimpReading theirs = read_with_assimp(path);
            const bool plain =
                path.ends_with(".ply") ||
                path.ends_with(".obj"); // nodes of others are not applied there; gltf_test compares those
            if (!theirs.ok || !plain || theirs.triangles == 0) {
                ++other;
                continue;
            }
            const Imath::Box3f box = bounds(**pose);
            const float size = std::max(box.size().length(), 1e-6f);
            QVERIFY2((box.min - theirs.box.min).length() < 1e-4f * size || (*source)->facts().points > theirs.points,
                     path.c_str());
            ++right;
        }
        qInfo("models in open formats: %d read right, %d refused with a reason, %d of those read said that something "
              "was left out, %d had nothing to compare with",
              right, refused, part, other);
        QVERIFY(right >= 20);
    }
};
GARLAND_TEST_CASE(RealSizeTest)
#include "real_size_test.moc"
