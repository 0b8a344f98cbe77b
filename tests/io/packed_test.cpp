// Files packed by others: gzip and NumPy's archives by Python, Zstandard by its own program.
#include "support/case.h"
#include "support/files.h"
#include "support/patience.h"
#include "support/python.h"

#include "io/files/packed_file.h"
#include "io/sources/converted.h"
#include "io/sources/open_source.h"

#include <QFileInfo>
#include <QJsonArray>
#include <QProcess>
#include <QStandardPaths>

using namespace garland;
using namespace garland::testing;

namespace {

SourcePtr opened(const std::string& path) {
    auto source = open_source(path);
    if (!source) qFatal("%s", qPrintable(said(source.error())));
    return *source;
}

PosePtr frame_of(const SourcePtr& source, std::int64_t frame) {
    auto pose = source->read(frame, Progress::none());
    if (!pose) qFatal("%s", qPrintable(said(pose.error())));
    return *pose;
}

double furthest_off(const Pose& pose, const QJsonArray& samples) {
    double most = samples.isEmpty() ? 1e9 : 0;
    for (const auto& one : samples) {
        const auto i = static_cast<std::size_t>(one[0].toInt());
        for (int k = 0; k < 3; ++k)
            most = std::max(most, std::abs(static_cast<double>(pose.points.at(i)[k]) - one[k + 1].toDouble()));
    }
    return most;
}

} // namespace

class PackedTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        GARLAND_NEEDS_PYTHON("meshio, numpy");
        qputenv("XDG_CACHE_HOME", QByteArray::fromStdString(folder_ / "cache"));
        QString error;
        wrote_ = run_python("write_files.py", {"archives", QString::fromStdString(folder_.path())}, &error);
        QVERIFY2(!wrote_.isEmpty(), qPrintable(error));
    }
    void cleanupTestCase() { qunsetenv("XDG_CACHE_HOME"); }

    void archives_of_arrays() {
        const SourcePtr cloth = opened(folder_ / "cloth.npz");
        QCOMPARE(cloth->facts().format, std::string("NumPy archive"));
        QCOMPARE(cloth->facts().frames(), std::int64_t(wrote_["frames"].toInt()));
        QVERIFY(cloth->facts().carries.velocities);
        QCOMPARE(cloth->facts().carries.attributes, (std::vector<std::string>{"heat"}));
        QCOMPARE(cloth->files(), (std::vector{folder_ / "cloth.npz"}));
        for (const int f : {0, 23, 239}) {
            const PosePtr pose = frame_of(cloth, f);
            QCOMPARE(furthest_off(*pose, samples(f)), 0.0);
            QCOMPARE(pose->velocities.at(77), V3f(24));
            QCOMPARE(pose->attributes.at(0).values.at(1000), static_cast<float>((f * 20000 + 1000) % 97));
            QCOMPARE(pose->faces->count(), std::size_t(19998));
            QCOMPARE(pose->faces->corners.at(301), 101u); // the second corner of face 100
        }
        QCOMPARE(cloth->facts().problems.size(), std::size_t(1)); // a text is no array of values
        QVERIFY(cloth->facts().problems[0].what.find("\"title\"") != std::string::npos);
        const SourcePtr packed = opened(folder_ / "packed.npz"); // deflated
        QCOMPARE(packed->facts().frames(), std::int64_t(240));
        QCOMPARE(furthest_off(*frame_of(packed, 239), samples(239)), 0.0);
        QCOMPARE(frame_of(packed, 5)->velocities.at(77), V3f(48)); // "velocity", although "vel" is there first
        QCOMPARE(packed->facts().carries.attributes, (std::vector<std::string>{"vel"}));
        const SourcePtr bare = opened(folder_ / "bare.npz"); // an array without a name, faces in bare.ply
        QCOMPARE(bare->facts().frames(), std::int64_t(3));
        QCOMPARE(frame_of(bare, 0)->faces->count(), std::size_t(19998));
        QCOMPARE(bare->files(), (std::vector{folder_ / "bare.npz", folder_ / "bare.ply"}));
        const SourcePtr sparks = opened(folder_ / "sparks.npz");
        QCOMPARE(sparks->facts().kind, SourceKind::particles);
        QCOMPARE(frame_of(sparks, 5)->ids.size(), std::size_t(10000));
        QCOMPARE(frame_of(sparks, 5)->ids.at(1), std::int64_t(3));
        // Opened again, nothing is unpacked again.
        QCOMPARE(converted_use().files, std::size_t(4));
        opened(folder_ / "cloth.npz");
        QCOMPARE(converted_use().files, std::size_t(4));
    }
    void archives_that_hold_something_else() {
        const std::string whole = folder_.read("packed.npz");
        folder_.write("cut.npz", whole.substr(0, whole.size() / 2));
        const auto cut = open_source(folder_ / "cut.npz");
        QVERIFY(!cut && cut.error().code == ErrorCode::malformed && cut.error().path == folder_ / "cut.npz");
        folder_.write("text.npz", "no archive at all");
        QCOMPARE(open_source(folder_ / "text.npz").error().code, ErrorCode::malformed);
        QCOMPARE(open_source(folder_ / "none.npz").error().code, ErrorCode::not_found);
        QCOMPARE(converted_use().files, std::size_t(4)); // nothing is kept of those
        const auto at = whole.find("points.npy");
        std::string renamed = whole;
        for (auto i = at; i != renamed.npos; i = renamed.find("points.npy", i + 1)) renamed.replace(i, 6, "ponits");
        folder_.write("renamed.npz", renamed);
        const auto other = open_source(folder_ / "renamed.npz");
        QVERIFY2(!other && said(other.error()).contains("none of its arrays is called positions: it has"),
                 qPrintable(said(other.error())));
        const std::string bad =
            numpy("import numpy as np, sys, warnings, zipfile\n"
                  "p = np.zeros((2, 4, 3), np.float32)\n"
                  "np.savez(sys.argv[1] + '/corner.npz', positions=p, faces=np.array([[0, 1, 9]]))\n"
                  "np.savez(sys.argv[1] + '/real.npz', positions=p, faces=np.array([[0., 1., 2.]]))\n"
                  "np.savez(sys.argv[1] + '/whole.npz', positions=p.astype(int))\n"
                  "np.savez(sys.argv[1] + '/twice.npz', positions=p)\n"
                  "warnings.simplefilter('ignore')\n"
                  "zipfile.ZipFile(sys.argv[1] + '/twice.npz', 'a').writestr('positions.npy', b'')\n");
        QVERIFY2(bad.empty(), bad.c_str());
        const auto corner = open_source(folder_ / "corner.npz"), real = open_source(folder_ / "real.npz"),
                   number = open_source(folder_ / "whole.npz"), twice = open_source(folder_ / "twice.npz");
        QVERIFY2(!twice && said(twice.error()).contains("it holds \"positions\" twice"),
                 qPrintable(said(twice.error())));
        QVERIFY2(!corner && said(corner.error()).contains("its face 0 has the point 9, but there are only 4") &&
                     corner.error().path == folder_ / "corner.npz",
                 qPrintable(said(corner.error())));
        QVERIFY2(!real && said(real.error()).contains("its faces are no table of whole numbers"),
                 qPrintable(said(real.error())));
        QVERIFY2(!number && said(number.error()).contains("whole.npz"), qPrintable(said(number.error())));
    }
    void series_packed_file_by_file() {
        for (const char* ending : {"ply", "obj"}) {
            const SourcePtr source = opened(folder_ / (std::string("sail.0007.") + ending + ".gz"));
            QCOMPARE(source->facts().first, std::int64_t(1));
            QCOMPARE(source->facts().last, std::int64_t(24));
            QCOMPARE(source->facts().points, std::size_t(20000));
            QCOMPARE(furthest_off(*frame_of(source, 24), samples(23)), 0.0);
        }
        const SourcePtr flies = opened(folder_ / "fireflies.0001.csv.gz");
        QCOMPARE(flies->facts().kind, SourceKind::particles);
        QCOMPARE(frame_of(flies, 1)->ids.at(199'999), std::int64_t(199'999));
        QCOMPARE(furthest_off(*frame_of(flies, 1), wrote_["fireflies"].toArray()), 0.0);
        for (const char* name : {"million.ply.gz", "million.obj.gz"}) {
            const SourcePtr million = opened(folder_ / name);
            QCOMPARE(million->facts().points, std::size_t(1'000'000));
            QCOMPARE(million->facts().faces, std::size_t(998'001));
            QCOMPARE(furthest_off(*frame_of(million, million->facts().first), wrote_["million"].toArray()), 0.0);
        }
        const QString zstd = QStandardPaths::findExecutable("zstd");
        if (zstd.isEmpty()) QSKIP("zstd is not here");
        for (int f = 1; f <= 24; ++f) {
            const std::string file = folder_ / ("sail." + std::to_string(10000 + f).substr(1) + ".ply");
            QCOMPARE(QProcess::execute(zstd, {"-q", "--rm", QString::fromStdString(file)}), 0);
        }
        const SourcePtr sail = opened(folder_ / "sail.0001.ply.zst");
        QCOMPARE(sail->facts().frames(), std::int64_t(24));
        QCOMPARE(furthest_off(*frame_of(sail, 24), samples(23)), 0.0);
    }
    void files_that_are_not_what_they_are_called() {
        const std::string packed = folder_.read("sail.0003.obj.gz");
        Folder folder;
        folder.write("plain.obj.gz", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
        const auto plain = open_source(folder / "plain.obj.gz");
        QVERIFY2(!plain && said(plain.error()).contains("not packed by gzip"), qPrintable(said(plain.error())));
        folder.write("cut.obj.gz", packed.substr(0, packed.size() / 3));
        const auto cut = open_source(folder / "cut.obj.gz");
        QVERIFY2(!cut && cut.error().code == ErrorCode::malformed, qPrintable(said(cut.error())));
        folder.write("empty.obj.gz", "");
        QVERIFY(!open_source(folder / "empty.obj.gz"));
        folder.write("a.usda.gz", packed);
        const auto usd = open_source(folder / "a.usda.gz");
        QVERIFY(!usd && usd.error().code == ErrorCode::unsupported && said(usd.error()).contains("unpack it first"));
        // A few kilobytes that hold 64 MB are not unpacked whole.
        const QString gzip = QStandardPaths::findExecutable("gzip");
        if (gzip.isEmpty()) QSKIP("gzip is not here");
        const QString make = "head -c 64M /dev/zero | gzip > " + QString::fromStdString(folder / "bomb.obj.gz");
        QCOMPARE(QProcess::execute("sh", {"-c", make}), 0);
        std::vector<char> bytes;
        const auto bomb = read_contents(folder / "bomb.obj.gz", bytes, 1 << 20);
        QVERIFY2(!bomb && bomb.error().code == ErrorCode::too_large, qPrintable(said(bomb.error())));
        QVERIFY(bytes.size() < (4u << 20));
        QCOMPARE(read_contents_head(folder / "bomb.obj.gz", 10)->size(), std::size_t(10));
    }

  private:
    // What Python says when it fails.
    std::string numpy(const char* text) const {
        QProcess python;
        python.start("/usr/bin/python3", {"-c", text, QString::fromStdString(folder_.path())});
        const bool fine = python.waitForFinished(patience * 60000) && python.exitCode() == 0;
        return fine ? std::string() : python.readAllStandardError().toStdString() + "(failed)";
    }
    QJsonArray samples(int frame) const { return wrote_["samples"].toObject()[QString::number(frame)].toArray(); }
    Folder folder_;
    QJsonObject wrote_;
};

GARLAND_TEST_CASE(PackedTest)
#include "packed_test.moc"
