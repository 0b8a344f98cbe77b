// garland-cli preview, edit place and wobble by axes: good and bad.
#include "cli/running.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/patience.h"

#include "io/files/series.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

using namespace garland;
using namespace garland::testing;

class CliPreviewTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString path_;

    Project project() const { return *load_project(path_.toStdString()); }
    QString did(const QStringList& words) const {
        const Answer a = run(QStringList{"edit", path_} + words);
        return a.code == 0 ? a.out.trimmed() : QString("error %1: ").arg(a.code) + a.err.trimmed();
    }
    Answer seen(const QString& out, const QStringList& words) const {
        QStringList all{"preview", path_, "--out", q(folder_ / out.toStdString()), "--samples", "2"};
        if (!words.contains("--size"))
            all << "--size"
                << "64x36";
        return run(all + words);
    }

  private slots:
    void initTestCase() {
        for (int f = 0; f < 20; ++f) {
            Pose pose;
            pose.points = {V3f(-1, 0, 0), V3f(1, 0, 0), V3f(0, 1 + static_cast<float>(f) * 0.1f, 0)};
            auto faces = std::make_shared<Faces>();
            faces->starts = {0, 3};
            faces->corners = {0, 1, 2};
            pose.faces = faces;
            QVERIFY(
                write_ply(folder_ / numbered("leaf.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::replace));
        }
    }
    void init() {
        Project p;
        p.settings.range = {1, 20};
        add_source(p, "leaf", "leaf.0000.ply", {0, 19, {24, 1}});
        p.arrangements[0].layout.count = 3;
        p.arrangements[0].layout.spacing = 2;
        p.settings.camera = {V3d(0, 1, 0), 8, 0, 5, 40};
        path_ = q(folder_ / "p.garland");
        QVERIFY(save_project(path_.toStdString(), p, Existing::replace));
    }
    void pictures_and_a_movie_without_a_display() {
        Answer a = seen("shots", {"--frames", "1:5:2", "--transparent", "--ground", "none", "--json"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QCOMPARE(a.json()["frames"].get<int>(), 3);
        QCOMPARE(a.json()["files"].size(), std::size_t(3));
        QProcess decoder; // another program's
        decoder.start("ffmpeg", {"-v", "error", "-i", q(folder_ / "shots/preview.0003.png"), "-f", "rawvideo",
                                 "-pix_fmt", "rgba", "-"});
        QVERIFY(decoder.waitForFinished(patience * 60000));
        const QByteArray pixels = decoder.readAllStandardOutput();
        QCOMPARE(pixels.size(), 64 * 36 * 4);
        QCOMPARE(static_cast<int>(pixels[3]), 0);
        QCOMPARE(static_cast<int>(static_cast<unsigned char>(pixels[(20 * 64 + 32) * 4 + 3])), 255);
        a = seen("shots", {"--frames", "1:5", "--transparent", "--ground", "none"});
        QCOMPARE(a.code, 1);
        QVERIFY2(a.err.contains("3 files already exist") && a.err.contains("Nothing was written"), qPrintable(a.err));
        a = seen("shots", {"--frames", "1:5", "--transparent", "--ground", "none", "--keep"});
        QVERIFY2(a.out.contains("2 frames") && a.out.contains("3 pictures were there and are kept"), qPrintable(a.out));
        a = seen("movie", {"--frames", "1:6", "--as", "mp4"});
        QVERIFY2(a.code == 0 && a.out.contains("6 frames in") && a.out.contains("preview.mp4"),
                 qPrintable(a.out + a.err));
        QVERIFY(a.err.contains("the camera has no keys"));
        a = seen("deep", {"--frames", "4:4", "--as", "exr", "--passes"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        a = seen("words", {"--frames", "4:4", "--size", "240x136", "--overlay", "frame,time,project,colours",
                           "--colour", "delay"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        a = seen("none", {"--frames", "4:4", "--overlay", "frame,clock"});
        QVERIFY2(a.code == 2 && a.err.contains("clock") && a.err.contains("use frame, time"), qPrintable(a.err));
        a = seen("dry", {"--frames", "1:20", "--dry-run", "--json"});
        QCOMPARE(a.json()["file_count"].get<int>(), 20);
        QVERIFY(!QDir(q(folder_ / "dry")).exists());
    }
    void what_cannot_be_done_is_said_first() {
        struct Case {
            QStringList words;
            const char* said;
            int code;
        };
        const Case cases[] = {{{"--frames", "1:2", "--as", "gif"}, "no kind of preview", 2},
                              {{"--frames", "1:2", "--as", "mp4", "--transparent"}, "no transparency", 1},
                              {{"--frames", "1:2", "--as", "mp4", "--size", "63x36"}, "even width and height", 1},
                              {{"--frames", "1:2", "--size", "0x36"}, "0 × 36 pixels", 1},
                              {{"--frames", "1:2", "--size", "100000x36"}, "100000 × 36", 1},
                              {{"--frames", "1:2", "--size", "big"}, "no size of a picture", 2},
                              {{"--frames", "1:2", "--ground", "grass"}, "is no ground", 2},
                              {{"--frames", "1:2", "--colour", "mood"}, "nothing to colour by", 2},
                              {{"--frames", "1:2", "--shutter", "400"}, "shutter", 1},
                              {{"--frames", "1:2", "--keep", "--replace"}, "kept and replaced", 2},
                              {{"--frames", "1:2", "--as", "mov", "--passes"}, "no passes", 1}};
        for (const Case& c : cases) {
            const Answer a = seen("none", c.words);
            QVERIFY2(a.err.contains(QString::fromUtf8(c.said)), qPrintable(c.words.join(' ') + ": " + a.err));
            QCOMPARE(a.code, c.code);
            QVERIFY(!QDir(q(folder_ / "none")).exists());
        }
    }
    void a_contact_sheet_of_copies_and_frames() {
        Answer a = run({"contact", path_, "--out", q(folder_ / "sheet.png"), "--frames", "1:9:4", "--tile", "32",
                        "--samples", "2", "--json"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QCOMPARE(a.json()["copy_count"].get<int>(), 3);
        QCOMPARE(a.json()["frames"].get<int>(), 3);
        QProcess decoder;
        decoder.start("ffprobe", {"-v", "error", "-show_entries", "stream=width,height", "-of", "csv=p=0",
                                  q(folder_ / "sheet.png")});
        QVERIFY(decoder.waitForFinished(patience * 60000));
        QCOMPARE(QString::fromUtf8(decoder.readAllStandardOutput()).trimmed(),
                 QString("%1,%2").arg(a.json()["width"].get<int>()).arg(a.json()["height"].get<int>()));
        a = run({"contact", path_, "--out", q(folder_ / "sheet.png"), "--frames", "1:9:4"});
        QVERIFY(a.code == 1 && a.err.contains("exist"));
        a = run({"contact", path_, "--out", q(folder_ / "none.png"), "--frames", "1:2", "--copies", "7"});
        QVERIFY2(a.code == 1 && a.err.contains("there is no copy 7"), qPrintable(a.err));
        a = run({"contact", path_, "--out", q(folder_ / "none.png"), "--frames", "1:2", "--copies", "x"});
        QVERIFY(a.code == 2 && a.err.contains("is no copy"));
        a = run({"contact", path_, "--out", q(folder_ / "none.png"), "--frames", "1:400", "--tile", "64"});
        QVERIFY(a.code == 1 && a.err.contains("the sheet would be"));
    }
    void the_camera_goes_out_as_a_file() {
        Answer a = run({"camera", path_, "--frames", "1:5", "--out", q(folder_ / "camera.usda"), "--aspect", "2"});
        QVERIFY2(a.code == 0 && a.out.contains("the camera of 5 frames written to"), qPrintable(a.err));
        QVERIFY(folder_.read("camera.usda").find("horizontalAperture = 48") != std::string::npos);
        a = run({"camera", path_, "--frames", "1:5", "--out", q(folder_ / "camera.usda")});
        QVERIFY(a.code == 1 && a.err.contains("already"));
        a = run({"camera", path_, "--frames", "1:5", "--out", q(folder_ / "camera.csv")});
        QCOMPARE(q(folder_.read("camera.csv")), run({"camera", path_, "--frames", "1:5"}).out);
        a = run({"camera", path_, "--frames", "1:5", "--out", q(folder_ / "camera.obj")});
        QVERIFY(a.code == 1 && a.err.contains("use .usda, .gltf or .csv"));
    }
    void check_fails_on_kinds_and_writes_a_page() {
        did({"place", "--keys", "1:0,0,0 step 10:0,2,0"});
        Answer a = run({"check", path_, "--fail-on", "pop"});
        QCOMPARE(a.code, 3);
        a = run({"check", path_, "--fail-on", "seam,crowding", "--report", q(folder_ / "check.html")});
        QCOMPARE(a.code, 0);
        const QString page = q(folder_.read("check.html"));
        QVERIFY(page.contains("<h2>Pops</h2>") && page.contains("data:image/png;base64,iVBOR") &&
                page.contains("Examined"));
        QVERIFY(!page.contains("http")); // it needs nothing else
        a = run({"check", path_, "--report", q(folder_ / "check.html")});
        QVERIFY(a.code == 1 && a.err.contains("already"));
        a = run({"check", path_, "--fail-on", "size", "--out", q(folder_ / "there"), "--what", "shared-poses"});
        QCOMPARE(a.code, 0);
        QVERIFY2(a.out.contains("examined room on the disk: shared poses in"), qPrintable(a.out));
        a = run({"check", path_, "--out", q(folder_ / "there"), "--what", "lanterns"});
        QCOMPARE(a.code, 1);
        QVERIFY2(a.err.contains("there is no output \"lanterns\"") && a.err.contains("shared-poses"),
                 qPrintable(a.err));
        a = run({"check", path_, "--fail-on", "mood"});
        QVERIFY(a.code == 2 && a.err.contains("is no kind of finding"));
    }
    void an_arrangement_is_keyed_as_a_whole() {
        QCOMPARE(did({"place", "--at", "1", "--place", "0,0,0"}), "Key the place of \"leaf\"\n1 key");
        QCOMPARE(
            did({"place", "--at", "11", "--place", "0,0,5", "--turn", "0,90,0", "--scale", "2", "--toward", "smooth"}),
            "Key the place of \"leaf\"\n2 keys");
        const auto keys = project().arrangements[0].place_keys;
        QCOMPARE(keys.size(), std::size_t(2));
        QCOMPARE(keys[1].turn, V3d(0, 90, 0));
        // What is written stands there: the third copy (2 m to the right of the middle) is turned to −z, twice as far.
        QVERIFY(run({"bake", path_, "--out", q(folder_ / "keyed"), "--frames", "11:11", "--replace"}).code == 0);
        const auto written = read_ply(folder_ / "keyed/copies.0011.ply");
        QVERIFY(written);
        const V3f left = (*written)->points[6], right = (*written)->points[7]; // of the third copy
        QVERIFY2(((left + right) / 2 - V3f(0, 0, 5 - 4)).length() < 1e-4f, "it stands where its keys put it");
        QVERIFY(std::abs((right - left).length() - 4) < 1e-4f);
        QCOMPARE(did({"place", "--keys", "1:0,0,0 5:1,0,0 smooth 9:0,0,0"}), "Key the place of \"leaf\"\n3 keys");
        QVERIFY(did({"place", "--at", "6", "--remove-key"}).contains("has no key at output frame 6"));
        QVERIFY(did({"place", "--keys", "5:0,0,0 1:0,0,0"}).contains("does not come after"));
        QVERIFY(did({"place", "--keys", "five"}).contains("is no key of a place"));
        QCOMPARE(did({"place", "--clear"}), "Remove the keys of place of \"leaf\"");
        QVERIFY(project().arrangements[0].place_keys.empty());
    }
    void wobbles_take_one_number_or_three() {
        did({"wobble", "--place", "0.5", "--turn", "12"});
        QCOMPARE(project().arrangements[0].wobble.position, V3d(0.5));
        QCOMPARE(project().arrangements[0].wobble.turn, V3d(0, 12, 0));
        did({"wobble", "--place", "0.5,0,0.25", "--turn", "1,2,3", "--end", "settle", "--settle-turn", "4,5,6"});
        QCOMPARE(project().arrangements[0].wobble.position, V3d(0.5, 0, 0.25));
        QCOMPARE(project().arrangements[0].wobble.turn, V3d(1, 2, 3));
        QCOMPARE(project().arrangements[0].wobble.settle_turn, V3d(4, 5, 6));
        QVERIFY(did({"wobble", "--turn", "1,2"}).contains("error"));
        did({"arrange", "--upright", "off", "--bank", "0.5", "--facing", "along"});
        QVERIFY(!project().arrangements[0].attitude.upright);
        QCOMPARE(project().arrangements[0].attitude.bank, 0.5);
    }
    void the_table_says_what_plays_copies() {
        did({"zone", "--add", "Glow", "--shape", "ball", "--size", "1,1,1", "--outer", "0", "--keys",
             "1:-4,0,0 17:4,0,0"});
        did({"play", "--by", "starts", "--zones", "Glow"});
        // 0.5 m a frame: the middle copy is entered 0.5 m before its centre, at 8, and left at 10
        const Answer table = run({"table", path_, "--frames", "9:9"});
        QVERIFY2(table.out.contains("9,2,c02,leaf,leaf,1,1,1,0,1,8,10,1\n") ||
                     table.out.contains("9,2,c2,leaf,leaf,1,1,1,0,1,8,10,1\n"),
                 qPrintable(table.out));
        const auto rows = run({"table", path_, "--frames", "9:9", "--json"}).json()["rows"];
        QVERIFY(close(rows[1]["entered"].get<double>(), 8, 1e-6));
        QVERIFY(!rows[2].contains("left")); // it is still to come
    }
};
GARLAND_TEST_CASE(CliPreviewTest)
#include "preview_test.moc"
