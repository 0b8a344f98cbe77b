// The list of formats against the readers and the document, and readers by command with real programs (sh, cp, cat).
#include "support/case.h"
#include "support/files.h"
#include "support/python.h"
#include "support/volume_writer.h"

#include "io/formats.h"
#include "io/sources/converted.h"
#include "io/sources/open_source.h"
#include "io/sources/reader_commands.h"
#include "io/sources/readers.h"

#include <QElapsedTimer>
#include <QFileInfo>
#include <set>
#include <thread>

using namespace garland;
using namespace garland::testing;

namespace {

const char* const lamp = "#usda 1.0\n(\n    endTimeCode = 2\n    startTimeCode = 1\n)\n\ndef Mesh \"lamp\"\n{\n"
                         "    int[] faceVertexCounts = [3]\n    int[] faceVertexIndices = [0, 1, 2]\n"
                         "    point3f[] points.timeSamples = {\n        1: [(0, 0, 0), (1, 0, 0), (0, 1, 0)],\n"
                         "        2: [(0, 0, 0), (1, 0, 0), (0, 3, 0)],\n    }\n}\n";

// Settings and cache of a user who has nothing yet.
struct User {
    Folder folder;
    User() {
        qputenv("XDG_CONFIG_HOME", QByteArray::fromStdString(folder / "config"));
        qputenv("XDG_CACHE_HOME", QByteArray::fromStdString(folder / "cache"));
    }
    ~User() {
        qunsetenv("XDG_CONFIG_HOME");
        qunsetenv("XDG_CACHE_HOME");
    }
    void bind(const std::string& line, const std::string& as, double limit = 60) const {
        QVERIFY(save_reader_commands({{".lamps", *command_words(line), as, limit}}));
    }
    Result<SourcePtr> open(const std::string& name, Progress& progress = Progress::none()) const {
        return open_source(folder / name, progress);
    }
    QStringList cached() const {
        return QDir(QString::fromStdString(converted_folder()))
            .entryList(QDir::AllEntries | QDir::Hidden | QDir::NoDotAndDotDot);
    }
};

struct Stopping : Progress { // as soon as it is told something of the program
    std::atomic<bool> stop = false;
    void report(double, std::string_view what) override { stop = stop || what == "sh"; }
    bool cancelled() const override { return stop; }
};

struct Shares : Progress {
    std::vector<double> all;
    void report(double share, std::string_view) override { all.push_back(share); }
};

} // namespace

class FormatsTest : public QObject {
    Q_OBJECT
  private slots:
    void the_document_shows_the_list() {
        QFile file(GARLAND_DOCS "/formats.md");
        QVERIFY(file.open(QIODevice::ReadOnly));
        const std::string text = file.readAll().toStdString();
        QVERIFY2(text.find(formats_table()) != text.npos,
                 "docs/formats.md differs from the list: put the output of garland-cli formats --markdown there");
    }
    void every_ending_of_the_list_is_opened() {
        Folder folder;
        std::size_t tried = 0;
        for (const Format& f : formats()) {
            QVERIFY2(!f.read.empty() || !f.written.empty(), f.name.c_str());
            if (!f.gathered) continue;
            for (const std::string& ending : f.endings) {
                folder.write("a" + ending, "");
                const auto source = open_source(folder / ("a" + ending));
                QVERIFY2(!source && source.error().code != ErrorCode::unsupported, ending.c_str());
                ++tried;
            }
        }
        QVERIFY(tried >= 11);
        folder.write("a.lamps", "");
        QCOMPARE(open_source(folder / "a.lamps").error().code, ErrorCode::unsupported);
    }
    // Which reader takes a path goes by what lies beside it; every reader is asked for by some of these.
    void each_reader_takes_its_files() {
        struct Case {
            std::vector<std::string> files;
            std::string asked, reader;
        };
        const std::string points = "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\n"
                                   "property float z\nproperty int id\nend_header\n0 0 0 7\n";
        const std::vector<Case> cases = {
            {{}, "lamp.0001.csv.gz", "particles, a packed file a frame"},
            {{}, "lamp.0001.obj.zst", "mesh series, a packed file a frame"},
            {{"lamp_ids.npy"}, "lamp.npy", "particles in arrays"},
            {{}, "lamp_ids.npy", "particles in arrays"},
            {{}, "lamp.npy", "array beside a mesh"},
            {{"lamp.npy"}, "lamp_velocity.npy", "array beside a mesh"},
            {{}, "lamp.npz", "archive of arrays"},
            {{}, "lamp_pieces.csv", "table of pieces"},
            {{"lamp_pieces.csv", "lamp.npy"}, "lamp.obj", "mesh beside a table of pieces"},
            {{"lamp.npy"}, "lamp.ply", "mesh beside an array"},
            {{}, "lamp.0001.csv", "particles, a file a frame"},
            {{"points.ply"}, "points.ply", "particles, a file a frame"},
            {{}, "lamp.0001.PLY", "mesh series"},
            {{}, "smoke.0001.vdb", "OpenVDB volumes"},
            {{"sparks.vdb"}, "sparks.vdb", "OpenVDB points"},
            {{}, "lamp.glb", "glTF"},
            {{}, "lamp.usdz", "USD"},
            {{}, "lamp.lamps", ""},
        };
        std::set<std::string> asked;
        for (const Case& c : cases) {
            Folder folder;
            for (const std::string& file : c.files) {
                folder.write(file, file == "points.ply" ? points : "");
                if (file == "sparks.vdb") write_points(folder / file, 3);
            }
            const AskedPath path = asked_path(folder / c.asked);
            std::string taken;
            for (const Reader& reader : readers()) {
                if (taken.empty() && reader.takes(path)) taken = reader.name;
            }
            QVERIFY2(taken == c.reader, (c.asked + ": " + taken).c_str());
            if (!taken.empty()) asked.insert(taken);
        }
        QCOMPARE(asked.size(), readers().size());
    }
    void a_command_reads_a_file_once() {
        const User user;
        user.folder.write("a b.lamps", lamp);
        QVERIFY(said(user.open("a b.lamps").error()).contains("garland-cli readers"));
        user.bind("sh -c \"echo run >> '" + user.folder / "count" + "'; cp \\\"$1\\\" \\\"$2\\\"\" x {in} {out}",
                  "usda");
        for (int i = 0; i < 3; ++i) {
            const auto source = user.open("a b.lamps");
            QVERIFY2(source, qPrintable(source ? "" : said(source.error())));
            QCOMPARE((*source)->facts().format, std::string(".lamps by command, as USD text, 1 mesh"));
            QCOMPARE((*source)->files(), std::vector{user.folder / "a b.lamps"});
            QCOMPARE((*(*source)->read(2, Progress::none()))->points[2].y, 3.0f);
        }
        QCOMPARE(user.folder.read("count"), std::string("run\n"));
        QCOMPARE(converted_use().files, std::size_t(1));
        // Another file of the same name is another source.
        std::string taller = lamp;
        taller.replace(taller.find("(0, 3, 0)"), 9, "(0, 5, 0)");
        user.folder.write("a b.lamps", taller);
        QCOMPARE((*(*user.open("a b.lamps"))->read(2, Progress::none()))->points[2].y, 5.0f);
        QCOMPARE(user.folder.read("count"), std::string("run\nrun\n"));
        clear_converted();
        QVERIFY(user.open("a b.lamps"));
        QCOMPARE(user.folder.read("count"), std::string("run\nrun\nrun\n"));
    }
    void a_command_may_write_a_series_or_an_array() {
        const User user;
        user.folder.write("a.lamps", "0 0 1 0 1 0 0 0 2");
        const std::string ply =
            "printf 'ply\\\\nformat ascii 1.0\\\\nelement vertex 3\\\\nproperty float x\\\\nproperty float "
            "y\\\\nproperty float z\\\\nelement face 1\\\\nproperty list uchar int vertex_indices\\\\nend_header"
            "\\\\n0 0 0\\\\n1 0 0\\\\n0 %s 0\\\\n3 0 1 2\\\\n'";
        user.bind("sh -c \"for n in 1 2 3; do " + ply + " $n > \\\"$2.000$n.ply\\\"; done\" x {in} {out}", "ply");
        const auto series = user.open("a.lamps");
        QVERIFY2(series, qPrintable(series ? "" : said(series.error())));
        QCOMPARE((*series)->facts().frames(), std::int64_t(3));
        QCOMPARE((*(*series)->read(3, Progress::none()))->points[2].y, 3.0f);
        // An array of NumPy's format 1.0, whose first bytes are those of its specification.
        std::string array = QByteArray::fromHex("934e554d505901007600").toStdString();
        array += "{'descr': '<f4', 'fortran_order': False, 'shape': (2, 3, 3), }";
        array.resize(10 + 0x76 - 1, ' ');
        array += '\n';
        std::vector<float> points(18, 0.25f);
        points[17] = 7;
        array.append(reinterpret_cast<const char*>(points.data()), points.size() * sizeof(float));
        user.folder.write("b.npy", array);
        user.folder.write("b.lamps", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
        user.bind("sh -c \"cp \\\"$1\\\" \\\"$2.obj\\\"; cp '" + user.folder / "b.npy" +
                      "' \\\"$2.npy\\\"\" x {in} {out}",
                  "npy");
        const auto moving = user.open("b.lamps");
        QVERIFY2(moving, qPrintable(moving ? "" : said(moving.error())));
        QCOMPARE((*(*moving)->read(1, Progress::none()))->points[2].z, 7.0f);
    }
    // Half a million points in four frames, written by NumPy and meshio, which the reader is a program of.
    void a_command_of_working_size() {
        GARLAND_NEEDS_PYTHON("numpy, meshio");
        const User user;
        user.folder.write("big.lamps", "500000");
        user.bind("/usr/bin/python3 \"" GARLAND_PYTHON_CHECKS "/read_lamps.py\" {in} {out}", "npy", 250);
        const auto source = user.open("big.lamps");
        QVERIFY2(source, qPrintable(source ? "" : said(source.error())));
        QCOMPARE((*source)->facts().frames(), std::int64_t(4));
        for (const int frame : {0, 3}) {
            const PosePtr pose = *(*source)->read(frame, Progress::none());
            QCOMPARE(pose->points.size(), std::size_t(500'000));
            std::size_t wrong = 0;
            for (std::size_t i = 0; i < pose->points.size(); ++i)
                wrong +=
                    pose->points[i] != V3f(static_cast<float>(i % 1000), static_cast<float>(i / 1000), frame * 0.25f);
            QCOMPARE(wrong, std::size_t(0));
        }
    }
    void what_goes_wrong_is_said_and_nothing_is_kept_data() {
        QTest::addColumn<QString>("line");
        QTest::addColumn<double>("limit");
        QTest::addColumn<QString>("words");
        QTest::newRow("fails") << "sh -c \"echo the lamp is broken >&2; exit 7\" {in} {out}" << 60.
                               << "code 7; it said: the lamp is broken";
        QTest::newRow("silent") << "false {in} {out}" << 60. << "code 1 and said nothing";
        QTest::newRow("nothing") << "true {in} {out}" << 60. << "wrote no .usda file";
        QTest::newRow("rubbish") << "sh -c \"echo rubbish > \\\"$1\\\"\" x {out} {in}" << 60.
                                 << "wrote cannot be opened";
        QTest::newRow("not there") << "no-such-lamp-program {in} {out}" << 60.
                                   << "there is no program \"no-such-lamp-program\"";
        QTest::newRow("late") << "sh -c \"sleep 600\" {in} {out}" << 0.2 << "longer than 0.2 s";
        QTest::newRow("killed") << "sh -c \"kill -9 $$\" {in} {out}" << 60. << "code 137";
    }
    void what_goes_wrong_is_said_and_nothing_is_kept() {
        QFETCH(QString, line);
        QFETCH(double, limit);
        QFETCH(QString, words);
        const User user;
        user.folder.write("a.lamps", lamp);
        user.bind(line.toStdString(), "usda", limit);
        const auto source = user.open("a.lamps");
        QVERIFY(!source);
        QVERIFY2(said(source.error()).contains(words), qPrintable(said(source.error())));
        QVERIFY2(said(source.error()).contains("a.lamps"), qPrintable(said(source.error())));
        QCOMPARE(user.cached(), QStringList());
        QCOMPARE(user.folder.read("a.lamps"), std::string(lamp));
    }
    void it_can_be_cancelled() {
        const User user;
        user.folder.write("a.lamps", lamp);
        user.bind("sh -c \"sleep 600 & sleep 600\" {in} {out}", "usda");
        Stopping progress;
        QElapsedTimer taken;
        taken.start();
        QCOMPARE(user.open("a.lamps", progress).error().code, ErrorCode::cancelled);
        QVERIFY(taken.elapsed() < 60'000); // not the ten minutes that it would have slept
        QCOMPARE(user.cached(), QStringList());
    }
    void what_it_prints_is_progress() {
        const User user;
        user.folder.write("a.lamps", lamp);
        user.bind("sh -c \"echo 50 %; sleep 0.3; cp \\\"$1\\\" \\\"$2\\\"\" x {in} {out}", "usda");
        Shares progress;
        QVERIFY(user.open("a.lamps", progress));
        QVERIFY(std::any_of(progress.all.begin(), progress.all.end(),
                            [](double s) { return std::abs(s - (0.1 + 0.7 * 0.5)) < 1e-9; })); // its part of the whole
    }
    void settings_are_checked() {
        const User user;
        const ReaderCommand good{".lamps", {"cp", "{in}", "{out}"}, "usda", 60};
        QVERIFY(save_reader_commands({good}));
        const std::string kept = user.folder.read("config/garland/readers.json");
        auto refused = [&](auto change, const char* words) {
            ReaderCommand bad = good;
            change(bad);
            const auto done = save_reader_commands({bad});
            return !done && said(done.error()).contains(words);
        };
        QVERIFY(refused([](auto& r) { r.ending = "lamps"; }, "no file ending"));
        QVERIFY(refused([](auto& r) { r.ending = ".Lamps"; }, "no file ending"));
        QVERIFY(refused([](auto& r) { r.ending = ".usdc"; }, "without a command"));
        QVERIFY(refused([](auto& r) { r.command = {}; }, "no program"));
        QVERIFY(refused([](auto& r) { r.command = {"{in}", "{out}"}; }, "{in}"));
        QVERIFY(refused([](auto& r) { r.as = "obj"; }, "choose one of usdc"));
        QVERIFY(refused([](auto& r) { r.limit = 0; }, "more than 0 s"));
        QVERIFY(!save_reader_commands({good, good}));
        QCOMPARE(user.folder.read("config/garland/readers.json"), kept);
        QCOMPARE(*load_reader_commands(), std::vector{good});
        for (const char* bad : {"{", "[]", "{\"garland_readers\": 2}", "{\"garland_readers\": 1, \"readers\": [{}]}",
                                "{\"garland_readers\": 1, \"readers\": [{\"ending\": \".a\", \"command\": [1]}]}"}) {
            user.folder.write("config/garland/readers.json", bad);
            const auto read = load_reader_commands();
            QVERIFY2(!read && said(read.error()).contains("readers.json"), bad);
        }
    }
    void a_command_is_a_line_and_back() {
        for (const std::vector<std::string>& words :
             {std::vector<std::string>{"cp", "{in}", "{out}"}, {"a b", "", "say \"so\"", "back\\slash", "ä"}})
            QCOMPARE(*command_words(command_line(words)), words);
        QCOMPARE(*command_words("  a   \"b c\"d  "), (std::vector<std::string>{"a", "b cd"}));
        QVERIFY(!command_words("a \"b"));
    }
};

GARLAND_TEST_CASE(FormatsTest)
#include "formats_test.moc"
