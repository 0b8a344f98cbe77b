// The command line under stress, as scripts and farms use it: pipes, locks, signals, full devices, limits, crafted
// input.
#include "cli/running.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/patience.h"

#include "io/files/series.h"
#include "io/files/temporary.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

#include <QTest>
#include <csignal>
#include <filesystem>
#include <memory>
#include <random>
#include <sys/stat.h>

using namespace garland;
using namespace garland::testing;
using Json = nlohmann::json;

namespace {

// For the start of such a line: kilobytes of addresses that its programs may have.
QString limited(int kilobytes) {
    return addresses_can_be_limited ? QString("ulimit -v %1; ").arg(kilobytes) : QString();
}

// A line of a shell, with what the program is called in it as $G.
Answer shell(const QString& line, const QString& folder) {
    QProcess process;
    process.setWorkingDirectory(folder);
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert("G", GARLAND_CLI);
    process.setProcessEnvironment(environment);
    process.start("bash", {"-c", line});
    if (!process.waitForFinished(patience * 120000)) return {-1, {}, "did not finish"};
    return {process.exitCode(), QString::fromUtf8(process.readAllStandardOutput()),
            QString::fromUtf8(process.readAllStandardError())};
}

} // namespace

class RobustTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString here() const { return q(folder_.path()); }
    int temporaries() const {
        int n = 0;
        for (const auto& entry : std::filesystem::directory_iterator(folder_.path()))
            n += is_temporary(entry.path().filename().string());
        return n;
    }
  private slots:
    void initTestCase() {
        for (int f = 1; f <= 60; ++f)
            QVERIFY(write_ply(folder_ / numbered("drop.", f, 4, ".ply"), tetrahedron(static_cast<float>(f)),
                              PlyForm::little_endian, Existing::refuse));
        const Answer made =
            run({"new", q(folder_ / "p.garland"), "--rate", "25", "--range", "1:80", "--name", "Canal"});
        QCOMPARE(made.code, 0);
        const Answer gathered = run({"edit", q(folder_ / "p.garland"), "gather", q(folder_ / "drop.0001.ply")});
        QVERIFY2(gathered.code == 0, qPrintable(gathered.err));
        QVERIFY2(gathered.out.contains("\"drop\""), qPrintable(gathered.out)); // as the window calls it
        QCOMPARE(run({"edit", q(folder_ / "p.garland"), "arrange", "--kind", "line", "--count", "12"}).code, 0);
    }
    void projects_are_made_and_set_up() {
        const Project p = *load_project(folder_ / "p.garland");
        QCOMPARE(to_text(p.settings.rate), std::string("25"));
        QCOMPARE(p.settings.range.last, std::int64_t(80));
        QCOMPARE(p.settings.name, std::string("Canal"));
        QCOMPARE(run({"new", q(folder_ / "p.garland")}).code, 1); // already exists
        QCOMPARE(run({"new", q(folder_ / "x.garland"), "--rate", "fast"}).code, 2);
        const Answer nothing = run({"edit", q(folder_ / "none.garland"), "gather", q(folder_ / "drop.0001.ply")});
        QCOMPARE(nothing.code, 1);
        QVERIFY(nothing.err.contains("none.garland: does not exist"));
        QCOMPARE(run({"edit", q(folder_ / "p.garland"), "settings", "--rate", "30", "--range", "5:90", "--name", "Quay",
                      "--alike-below", "0.25", "--twins-above", "0.75", "--only-moving", "off", "--out",
                      q(folder_ / "s.garland")})
                     .code,
                 0);
        const Settings s = load_project(folder_ / "s.garland")->settings;
        QVERIFY(s.rate == (Rate{30, 1}) && s.range == (FrameRange{5, 90}) && s.name == "Quay" &&
                s.alike_below == 0.25 && s.twin_share == 0.75 && !s.twins_only_moving);
        for (const QStringList& bad : {QStringList{"--alike-below", "-1"},
                                       {"--twins-above", "1.5"},
                                       {"--range", "1:900000000"},
                                       {"--range", "9:1"},
                                       {"--only-moving", "perhaps"}}) {
            const Answer a = run(QStringList{"edit", q(folder_ / "p.garland"), "settings"} + bad);
            QVERIFY2(a.code == 1 && a.err.contains("the project as it is"), qPrintable(bad.join(' ') + a.err));
        }
    }
    void help_is_of_the_word_asked_for() {
        for (const QStringList& way :
             {QStringList{"edit", "hold", "--help"}, {"edit", q(folder_ / "p.garland"), "hold", "--help"}}) {
            const Answer a = run(way);
            QCOMPARE(a.code, 0);
            QVERIFY2(a.out.contains("--keep-end") && !a.out.contains("camera-move"), qPrintable(a.out));
        }
    }
    void answers_in_json_are_of_one_kind() {
        const QString p = q(folder_ / "p.garland");
        const QList<QStringList> calls{{"info", q(folder_ / "drop.0001.ply")},
                                       {"trace", p, "--copy", "1", "--frames", "1:3"},
                                       {"check", p},
                                       {"table", p, "--frames", "1:3:2"},
                                       {"camera", p, "--frames", "1:3"},
                                       {"edit", p, "hold", "--at", "5", "--frames", "2", "--dry-run"},
                                       {"info", "/nowhere/a.ply"},
                                       {"bake", p},
                                       {"nonsense"},
                                       {"edit", p, "hold", "--at", "5parsecs", "--frames", "2"},
                                       {"bake", p, "--out", q(folder_ / "o"), "--frames", "1:9:4", "--dry-run"}};
        std::map<std::string, int> kinds; // of every field, wherever it stands
        for (const QStringList& call : calls) {
            const Json j = run(call + QStringList{"--json"}).json();
            QVERIFY2(j.is_object() && j.value("garland_cli", 0) == 1, qPrintable(call.join(' ')));
            const std::function<void(const Json&)> look = [&](const Json& part) {
                if (part.is_array()) {
                    for (const Json& one : part) look(one);
                }
                if (!part.is_object()) return;
                for (const auto& [key, value] : part.items()) {
                    const int kind = value.is_number()   ? 1
                                     : value.is_string() ? 2
                                     : value.is_array()  ? 3
                                     : value.is_object() ? 4
                                                         : 5;
                    const auto [at, fresh] = kinds.emplace(key, kind);
                    QVERIFY2(fresh || at->second == kind, key.c_str());
                    if (key != "numbers") look(value);
                }
            };
            look(j);
        }
        const Json rows = run({"table", p, "--frames", "1:3:2", "--json"}).json()["rows"];
        QCOMPARE(rows.size(), std::size_t(24));
        QCOMPARE(rows[12]["output_frame"].get<int>(), 3);
        QCOMPARE(rows[0]["source"].get<std::string>(), std::string("drop"));
        QCOMPARE(rows[0]["name"].get<std::string>(), std::string("c01"));
    }
    void frames_go_in_steps_wherever_they_are_asked_for() {
        Folder out;
        QCOMPARE(run({"bake", q(folder_ / "p.garland"), "--out", q(out.path()), "--frames", "1:21:10"}).code, 0);
        QCOMPARE(out.names(), (QStringList{"copies.0001.ply", "copies.0011.ply", "copies.0021.ply"}));
        QCOMPARE(run({"bake", q(folder_ / "p.garland"), "--source", "drop", "--as", "usda", "--out", q(out.path()),
                      "--frames", "1:21:10"})
                     .code,
                 0);
        QCOMPARE(out.read("copies.usda").find("            2: "), std::string::npos);
        QCOMPARE(run({"table", q(folder_ / "p.garland"), "--frames", "1:21:10"}).out.count('\n'), 1 + 3 * 12);
        QCOMPARE(run({"bake", q(folder_ / "p.garland"), "--out", q(out.path()), "--frames", "1:21:0.5"}).code, 2);
    }
    void times_may_carry_units() {
        const QString p = q(folder_ / "u.garland");
        QVERIFY(QFile::copy(q(folder_ / "p.garland"), p));
        QCOMPARE(run({"edit", p, "tempo", "--beats-per-minute", "125"}).code, 0); // 12 frames
        const Answer half = run({"edit", p, "hold", "--at", "0.4s", "--frames", "2beats", "--dry-run"});
        QVERIFY2(half.out.contains("for 24 frames at output frame 10"), qPrintable(half.out + half.err));
        QVERIFY(run({"edit", p, "hold", "--at=10f", "--frames", "400ms", "--dry-run"})
                    .out.contains("for 10 frames at output frame 10"));
        QVERIFY(run({"edit", p, "reverse", "--range", "0.2s:1s", "--dry-run"}).out.contains("5 to 25"));
        const Answer bad = run({"edit", p, "hold", "--at", "3 furlongs", "--frames", "2"});
        QVERIFY(bad.code == 2 && bad.err.contains("furlongs"));
    }
    void projects_come_and_go_through_pipes() {
        const Answer a =
            shell("$G new - --rate 24 | $G edit - tempo --beats-per-minute 90 | $G edit - marker --at 12 --name bell",
                  here());
        QCOMPARE(a.code, 0);
        const auto p = parse_project(a.out.toStdString(), "out");
        QVERIFY2(p, qPrintable(a.out));
        QCOMPARE(p->settings.tempo.beats_per_minute, 90.0);
        QCOMPARE(p->settings.markers.size(), std::size_t(1));
        QCOMPARE(shell("$G table - --frames 1:2 < p.garland", here()).out.count('\n'), 25);
        QVERIFY(shell("echo nonsense | $G check -", here()).err.contains("standard input"));
    }
    void markers_do_not_double() {
        const QString p = q(folder_ / "m.garland");
        QVERIFY(QFile::copy(q(folder_ / "p.garland"), p));
        for (int k = 0; k < 2; ++k) QCOMPARE(run({"edit", p, "marker", "--at", "12", "--name", "bell"}).code, 0);
        QCOMPARE(load_project(p.toStdString())->settings.markers.size(), std::size_t(1));
        const Answer renamed = run({"edit", p, "marker", "--at", "12", "--name", "drum"});
        QVERIFY(renamed.out.contains("it was called \"bell\""));
    }
    void missed_beats_are_reported() {
        const QString p = q(folder_ / "b.garland");
        QVERIFY(QFile::copy(q(folder_ / "p.garland"), p));
        QCOMPARE(run({"edit", p, "tempo", "--beats-per-minute", "125", "--first-beat", "1"}).code, 0);
        const Answer a = run({"edit", p, "phrases", "--phrase", "1:11"});
        QVERIFY2(a.out.contains("phrase 1 ends at 12, 1 frame before its beat"), qPrintable(a.out));
        QVERIFY(run({"check", p}).out.contains("off the beat"));
        QVERIFY(!run({"edit", p, "phrases", "--phrase", "1:12"}).out.contains("beat"));
        QVERIFY(!run({"check", p}).out.contains("off the beat"));
    }
    void what_is_never_shown_is_said() {
        const QString p = q(folder_ / "slow.garland");
        QVERIFY(QFile::copy(q(folder_ / "p.garland"), p));
        QCOMPARE(run({"edit", p, "form", "--to", "speeds"}).code, 0);
        const Answer a = run({"edit", p, "ramp", "--range", "10:20", "--to-speed", "0"});
        QVERIFY2(a.out.contains("frames of the source are never shown now"), qPrintable(a.out + a.err));
        // Timings that nobody changed go along with their source.
        const Answer first = run({"edit", q(folder_ / "p.garland"), "source", "--first-frame", "101", "--dry-run"});
        QVERIFY2(first.out.contains("plays frames 101 to 160 now"), qPrintable(first.out + first.err));
        QVERIFY(
            run({"edit", p, "source", "--first-frame", "101", "--dry-run"}).out.contains("changed by hand and stays"));
    }
    // Forty edits at once: none is lost.
    void edits_at_the_same_time_all_count() {
        QVERIFY(QFile::copy(q(folder_ / "p.garland"), q(folder_ / "many.garland")));
        const Answer a = shell("for i in $(seq 40); do $G edit many.garland marker --at $i --name m$i > /dev/null & "
                               "p=\"$p $!\"; done; for x in $p; do wait $x || echo failed; done",
                               here());
        QCOMPARE(a.out, QString());
        QCOMPARE(load_project(folder_ / "many.garland")->settings.markers.size(), std::size_t(40));
    }
    void output_that_goes_nowhere_is_an_error() {
        for (const char* line :
             {"$G table p.garland --frames 1:500 > /dev/full", "$G camera p.garland --frames 1:5000 > /dev/full",
              "$G trace p.garland --copy 1 --frames 1:500 > /dev/full", "$G info drop.0001.ply --json > /dev/full",
              "$G check p.garland --json > /dev/full",
              "$G edit - tempo --beats-per-minute 90 < p.garland > /dev/full"}) {
            const Answer a = shell(line, here());
            QVERIFY2(a.code == 1, qPrintable(QString("%1: %2 %3").arg(line).arg(a.code).arg(a.err)));
            QVERIFY2(a.err.contains("standard output"), line);
        }
        QVERIFY(shell("$G table p.garland --frames 1:9 --out /dev/full --replace", here()).err.contains("is a device"));
        // Nor does it end the program that nobody can be told.
        for (const char* words : {"2> /dev/full", "2>&-"}) {
            const QString to(words);
            QCOMPARE(shell("$G info /nowhere " + to, here()).code, 1);
            const Answer tempo = shell("$G edit p.garland tempo --beats-per-minute 90 --dry-run " + to, here());
            QVERIFY2(tempo.code == 0, qPrintable(tempo.out));
        }
        // What is said where standard error is closed does not land in the file that is written next.
        QCOMPARE(
            shell("cp p.garland quiet.garland; $G edit quiet.garland marker --at 7 --name bell 2>&- >&-", here()).code,
            0);
        QCOMPARE(shell("$G edit quiet.garland tempo --beats-per-minute 90 --dry-run", here()).code, 0);
        QVERIFY(folder_.read("quiet.garland").find("bell") != std::string::npos);
    }
    void limits_are_errors() {
        // A file-size limit of 40 KB, 32 open files, and little memory.
        const Answer size =
            shell("ulimit -f 40; $G bake p.garland --out small --frames 1:1; echo $?; $G fast-copy drop.0001.ply --out "
                  "tiny; echo $?; $G table p.garland --frames 1:2000 --out t.csv; echo $?",
                  here());
        QVERIFY2(size.out.contains("1"), qPrintable(size.out + size.err));
        QVERIFY2(!size.err.contains("signal") && !size.out.contains("153") && size.err.contains("no room left"),
                 qPrintable(size.out + size.err));
        QVERIFY(!QFile::exists(q(folder_ / "t.csv")));
        const Answer files = shell("ulimit -n 32; $G bake p.garland --out few --frames 1:40", here());
        QVERIFY2(files.code == 0, qPrintable(files.err));
        const Answer memory = shell(limited(600000) + "$G bake p.garland --out little --frames 1:4; echo $?", here());
        QVERIFY2(memory.out.contains("0\n"), qPrintable(memory.out + memory.err));
        QCOMPARE(temporaries(), 0);
    }
    void names_stay_inside_their_folder() {
        const Answer a =
            run({"bake", q(folder_ / "p.garland"), "--out", q(folder_ / "in"), "--name", "../x", "--frames", "1"});
        QCOMPARE(a.code, 2);
        QVERIFY(!QFile::exists(q(folder_ / "x.0001.ply")) && !QFile::exists(q(folder_ / "in")));
    }
    void a_cache_of_any_size_gives_the_same() {
        Folder a, b;
        QCOMPARE(run({"bake", q(folder_ / "p.garland"), "--out", q(a.path()), "--frames", "1:20"}).code, 0);
        QCOMPARE(
            run({"bake", q(folder_ / "p.garland"), "--out", q(b.path()), "--frames", "1:20", "--cache", "4KB"}).code,
            0);
        for (const QString& name : a.names()) QCOMPARE(a.read(name.toStdString()), b.read(name.toStdString()));
        QCOMPARE(run({"check", q(folder_ / "p.garland"), "--cache", "much"}).code, 2);
    }
    void signals_end_it_cleanly_data() {
        QTest::addColumn<int>("signal");
        QTest::newRow("interrupt") << SIGINT;
        QTest::newRow("terminate") << SIGTERM;
    }
    void signals_end_it_cleanly() {
        QFETCH(int, signal);
        Folder out;
        QProcess process;
        process.start(GARLAND_CLI, {"bake", q(folder_ / "p.garland"), "--out", q(out.path()), "--frames", "1:200000"});
        QVERIFY(process.waitForStarted());
        QTRY_VERIFY_WITH_TIMEOUT(out.names().size() > 5, 20000);
        ::kill(static_cast<pid_t>(process.processId()), signal);
        QVERIFY(process.waitForFinished(patience * 20000));
        QCOMPARE(process.exitStatus(), QProcess::NormalExit);
        QCOMPARE(process.exitCode(), 128 + signal);
        for (const QString& name : out.names()) {
            QVERIFY(!is_temporary(name.toStdString()));
            QVERIFY(read_ply(out / name.toStdString()));
        }
    }
    // Killed at seeded moments while a copy is replaced: what is there opens, whole, as the old or the new one.
    void killed_copies_are_whole() {
        std::mt19937 random(11);
        QCOMPARE(run({"fast-copy", q(folder_ / "drop.0001.ply"), "--out", q(folder_ / "kill/c")}).code,
                 1); // no such folder
        QVERIFY(std::filesystem::create_directory(folder_ / "kill"));
        QCOMPARE(run({"fast-copy", q(folder_ / "drop.0001.ply"), "--out", q(folder_ / "kill/c")}).code, 0);
        int killed = 0;
        for (int trial = 0; trial < 25; ++trial) {
            QProcess process;
            process.start(GARLAND_CLI, {"fast-copy", q(folder_ / "drop.0001.ply"), "--out", q(folder_ / "kill/c"),
                                        "--replace", "--quiet"});
            QVERIFY(process.waitForStarted());
            ::usleep(std::uniform_int_distribution<unsigned>(5000, 120000)(random));
            ::kill(static_cast<pid_t>(process.processId()), SIGKILL);
            process.waitForFinished(patience * 30000);
            killed += process.exitStatus() == QProcess::CrashExit;
            const Answer a = run({"info", q(folder_ / "kill/c.ply"), "--json"});
            QVERIFY2(a.code == 0, qPrintable(a.err));
            QCOMPARE(a.json()["first"].get<int>(), 1);
            QCOMPARE(a.json()["frames"].get<int>(), 60);
        }
        QVERIFY(killed > 5);
        QCOMPARE(run({"fast-copy", q(folder_ / "drop.0001.ply"), "--out", q(folder_ / "kill/c"), "--replace"}).code, 0);
        for (const auto& entry : std::filesystem::directory_iterator(folder_ / "kill"))
            QVERIFY(!is_temporary(entry.path().filename().string()));
    }
    // Sines, logarithms and the like do not depend on the processor: the same bytes with and without its newer
    // instructions.
    void every_processor_level_writes_the_same_bytes() {
        QCOMPARE(run({"edit", q(folder_ / "p.garland"), "arrange", "--kind", "ring", "--count", "37", "--out",
                      q(folder_ / "ring.garland")})
                     .code,
                 0);
        QCOMPARE(run({"edit", q(folder_ / "ring.garland"), "wobble", "--place", "0.4", "--turn", "33", "--size", "0.2"})
                     .code,
                 0);
        QCOMPARE(run({"edit", q(folder_ / "ring.garland"), "water", "--wind-speed", "7", "--grid", "64", "--layers",
                      "2", "--loop-length", "48"})
                     .code,
                 0);
        QCOMPARE(run({"edit", q(folder_ / "ring.garland"), "spread", "--arrangement", "drop", "--add", "--driver",
                      "noise", "--to", "17"})
                     .code,
                 0);
        const char* levels[] = {
            "", "glibc.cpu.hwcaps=-AVX2_Usable,-AVX2,-FMA_Usable,-FMA,-FMA4_Usable,-FMA4,-AVX512F_Usable,-AVX512F",
            "glibc.cpu.hwcaps=-AVX_Usable,-AVX,-AVX2,-FMA,-FMA4,-SSE4_1,-SSE4_2,-ERMS"};
        std::map<QString, std::string> first;
        for (const char* level : levels) {
            Folder out;
            QProcess process;
            QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
            environment.insert("GLIBC_TUNABLES", level);
            process.setProcessEnvironment(environment);
            process.start(GARLAND_CLI,
                          {"bake", q(folder_ / "ring.garland"), "--out", q(out.path()), "--frames", "1:31:10"});
            QVERIFY(process.waitForFinished(patience * 60000) && process.exitCode() == 0);
            for (const QString& name : out.names()) {
                const std::string bytes = out.read(name.toStdString());
                const auto [at, fresh] = first.emplace(name, bytes);
                QVERIFY2(fresh || at->second == bytes, qPrintable(name + " under " + level));
            }
        }
        QCOMPARE(first.size(), std::size_t(4));
    }
    // Documents that once ended the program, or took gigabytes.
    void crafted_input_is_refused_within_a_gigabyte() {
        folder_.write("deep.garland", "{\"garland\": 1, \"a\": " + std::string(60000, '['));
        folder_.write("slope.garland",
                      R"({"garland": 1, "sources": [{"id": 1, "name": "s", "path": "drop.0001.ply"}],
                "timings": [{"id": 2, "keys": [{"at": 1, "source": 0, "toward": "free", "leave": 1e308},
            {"at": 9, "source": 1e8, "arrive": -1e308}]}], "arrangements": [{"id": 3, "source": 1, "timing": 2}]})");
        folder_.write("boxes.garland",
                      R"({"garland": 1, "sources": [{"id": 1, "name": "s", "path": "drop.0001.ply"}],
                "timings": [{"id": 2, "keys": [{"at": 1, "source": 0}]}],
            "arrangements": [{"id": 3, "source": 1, "timing": 2, "kind": "box", "columns": 1000000000,
                "rows": 1000000000, "layers": 1000000000}]})");
        folder_.write("range.garland", R"({"garland": 1, "range": {"first": 1, "last": 900000000}})");
        folder_.write("twins.garland", R"({"garland": 1, "twins": {"alike_below": -3, "share": 9}})");
        for (const char* name : {"deep", "slope", "boxes", "range", "twins"}) {
            const Answer a = shell(limited(1000000) + QString("$G check %1.garland --json").arg(name), here());
            QVERIFY2(a.code == 1, qPrintable(QString("%1: %2 %3").arg(name).arg(a.code).arg(a.err)));
            QVERIFY2(a.err.contains(".garland") && !a.err.contains("nan", Qt::CaseInsensitive), qPrintable(a.err));
        }
    }
};
GARLAND_TEST_CASE(RobustTest)
#include "robust_test.moc"
