// The command line as people use it: the built program, its answers and exit codes.
#include "cli/running.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/files/series.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"
#include "io/tables/timing_table.h"

#include <QCryptographicHash>
#include <nlohmann/json.hpp>

using namespace garland;
using namespace garland::testing;
using Json = nlohmann::json;

class CliTest : public QObject {
    Q_OBJECT
    Folder demo_;
    QString project_;
  private slots:
    void initTestCase() {
        const Answer a = run({"demo", q(demo_.path()), "--only", "festival", "--quiet"});
        QCOMPARE(a.code, 0);
        project_ = a.out.trimmed();
        QVERIFY(QFile::exists(project_));
    }
    void the_demo_is_the_same_every_time() {
        Folder again;
        QCOMPARE(run({"demo", q(again.path()), "--only", "festival", "--json"}).json()["project"].get<std::string>(),
                 again / "festival.garland");
        for (const char* name : {"lantern.npy", "lantern_velocity.npy", "lantern.ply", "festival.garland"}) {
            QVERIFY2(again.read(name) == demo_.read(name), name);
        }
    }
    void the_demo_is_a_real_lantern() {
        const Json j = run({"info", q(demo_ / "lantern.npy"), "--json"}).json();
        QCOMPARE(j["kind"].get<std::string>(), std::string("moving mesh"));
        QCOMPARE(j["frames"].get<int>(), 96);
        QVERIFY(j["points"].get<int>() >= 2000 && j["points"].get<int>() <= 3000);
        QVERIFY(j["velocities"].get<bool>());
        QVERIFY(j["problems"].empty());
        const double high = j["box"][1][1].get<double>() - j["box"][0][1].get<double>();
        QVERIFY(high > 0.7 && high < 1.3); // metres, from hook to tassel
        const QString text = run({"info", q(demo_ / "lantern.ply")}).out;
        QVERIFY(text.contains("moving mesh, PLY and NumPy array") && text.contains("0 to 95 (96 frames)"));
    }
    void no_two_lanterns_are_twins() {
        const Answer a = run({"check", project_, "--json"});
        QCOMPARE(a.code, 0);
        QVERIFY(a.json()["findings"].empty());
        QVERIFY(!a.json()["examined"].empty());
    }
    void twins_are_findings() {
        auto p = load_project(project_.toStdString());
        p->arrangements[0].spreads.clear();
        QVERIFY(save_project(demo_ / "alike.garland", *p, Existing::replace));
        const Answer a = run({"check", q(demo_ / "alike.garland"), "--json"});
        QCOMPARE(a.code, 3);
        QCOMPARE(a.json()["findings"][0]["kind"].get<std::string>(), std::string("twins"));
        QCOMPARE(a.json()["findings"][0]["copies"].size(), std::size_t(60));
        QVERIFY(run({"check", q(demo_ / "alike.garland")}).out.contains("twins: c01, c02, c03 and 57 more"));
    }
    void trace_prints_every_stage() {
        const Answer a = run({"trace", project_, "--copy", "5", "--frames", "100:101:0.5"});
        QCOMPARE(a.code, 0);
        for (const char* stage :
             {"strength", "delay and rate", "timing", "before / after", "source range", "sub-frame"}) {
            QCOMPARE(a.out.count("\n  " + QString(stage).leftJustified(15) + ' '), 3);
        }
        const Json j = run({"trace", project_, "--copy", "5", "--frames", "100", "--json"}).json();
        const double source = j["trace"][0]["stages"][4]["numbers"]["source"].get<double>();
        const QString nine = QString::number(source, 'g', 9);
        QVERIFY2(a.out.contains("source " + nine.left(9)), qPrintable(nine)); // at least nine digits are printed
    }
    void bake_table_and_trace_agree() {
        Folder out;
        const Answer dry = run({"bake", project_, "--out", q(out / "w"), "--frames", "50:52", "--dry-run", "--json"});
        QCOMPARE(dry.json()["file_count"].get<int>(), 3);
        QVERIFY(!QFile::exists(q(out / "w")));
        const Answer a = run({"bake", project_, "--out", q(out / "w"), "--frames", "50:52", "--json"});
        QCOMPARE(a.code, 0);
        QCOMPARE(a.json()["files"].size(), std::size_t(3));
        const auto pose = read_ply(out / "w/copies.0051.ply");
        QCOMPARE((*pose)->points.size(), std::size_t(60 * 2355));
        QCOMPARE(run({"bake", project_, "--out", q(out / "w"), "--frames", "52:53"}).code, 1); // 52 is there already
        QVERIFY(!QFile::exists(q(out / "w/copies.0053.ply")));
        QCOMPARE(run({"bake", project_, "--out", q(out / "w"), "--frames", "52:53", "--replace"}).code, 0);

        QCOMPARE(run({"table", project_, "--frames", "50:52", "--out", q(out / "t.csv")}).code, 0);
        const auto rows = read_timing_table(out / "t.csv");
        QCOMPARE(rows->size(), std::size_t(180));
        const Json j = run({"trace", project_, "--copy", "17", "--frames", "51", "--json"}).json();
        QCOMPARE((*rows)[60 + 16].source_frame, j["trace"][0]["stages"][4]["numbers"]["source"].get<double>());
        const Answer plain = run({"table", project_, "--frames", "50:50"});
        QCOMPARE(plain.out.count('\n'), 61);
        QCOMPARE(run({"table", project_, "--frames", "50:50", "--json"}).json()["rows"].size(), std::size_t(60));
    }
    void wrong_usage_is_two() {
        QCOMPARE(run({}).code, 2);
        QCOMPARE(run({"nonsense"}).code, 2);
        QCOMPARE(run({"trace", project_, "--copy", "1"}).code, 2);
        QCOMPARE(run({"trace", project_, "--copy", "1", "--frames", "9:3"}).code, 2);
        QCOMPARE(run({"bake", project_, "--out", "/tmp/x", "--frames", "1:2:0.5"}).code, 2);
        QCOMPARE(run({"--help"}).code, 0);
        QVERIFY(run({"bake", "--help"}).out.contains("--frames"));
        QVERIFY(run({"--version"}).out.contains("garland-cli"));
    }
    void errors_are_one_and_say_where() {
        const Answer missing = run({"info", "/nowhere/a.ply", "--json"});
        QCOMPARE(missing.code, 1);
        QCOMPARE(missing.json()["error"]["code"].get<std::string>(), std::string("not_found"));
        QVERIFY(missing.err.contains("/nowhere/a.ply: does not exist"));
        const Answer copy = run({"trace", project_, "--copy", "61", "--frames", "1"});
        QCOMPARE(copy.code, 1);
        QVERIFY(copy.err.contains("there is no copy 61") && copy.err.contains("60 copies"));
        Folder folder;
        folder.write("new.garland", "{\"garland\": 99}");
        QCOMPARE(run({"check", q(folder / "new.garland")}).code, 1);
    }
    void a_missing_cache_is_named() {
        Folder folder;
        QVERIFY(QFile::copy(project_, q(folder / "f.garland")));
        const Answer a = run({"trace", q(folder / "f.garland"), "--copy", "3", "--frames", "30"});
        QCOMPARE(a.code, 0); // times do not need the files
        QVERIFY(a.err.contains("lantern.ply"));
        QCOMPARE(run({"bake", q(folder / "f.garland"), "--out", q(folder / "o"), "--frames", "1:2"}).code, 1);
        QCOMPARE(run({"check", q(folder / "f.garland")}).code, 1);
    }
    void a_fast_copy_is_written_and_compared() {
        Folder folder;
        const QString stem = q(folder / "small");
        const Json dry = run({"fast-copy", q(demo_ / "lantern.npy"), "--out", stem, "--half", "--no-velocities",
                              "--dry-run", "--json"})
                             .json();
        const Answer a =
            run({"fast-copy", q(demo_ / "lantern.npy"), "--out", stem, "--half", "--no-velocities", "--json"});
        QCOMPARE(a.code, 0);
        QCOMPARE(a.json()["frames"].get<int>(), 96);
        QVERIFY(a.json()["largest_difference"].get<double>() < 0.001); // half floats near one metre
        QVERIFY(a.json()["bytes"].get<double>() >= dry["bytes"].get<double>());
        QCOMPARE(run({"info", stem + ".ply", "--json"}).json()["velocities"].get<bool>(), false);
        QCOMPARE(run({"fast-copy", q(demo_ / "lantern.npy"), "--out", stem}).code, 1); // there already
        QCOMPARE(run({"fast-copy", q(demo_ / "lantern.npy"), "--out", stem, "--bare", "--replace", "--json"}).code, 0);
        QVERIFY(!run({"info", stem + ".ply", "--json"}).json()["colours"].get<bool>());
        QCOMPARE(run({"fast-copy", q(demo_ / "lantern.npy"), "--out", stem, "--keep", "colours", "--replace"}).code, 0);
        QVERIFY(run({"info", stem + ".ply", "--json"}).json()["colours"].get<bool>());
        const Answer none = run({"fast-copy", q(demo_ / "lantern.npy"), "--out", stem, "--keep", "glow", "--replace"});
        QCOMPARE(none.code, 1);
        QVERIFY(none.err.contains("no \"glow\" to keep") && none.err.contains("colours"));
    }
};
GARLAND_TEST_CASE(CliTest)
#include "cli_test.moc"
