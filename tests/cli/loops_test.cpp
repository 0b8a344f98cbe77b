// Loops and retimed sources on the command line, with good and bad input.
#include "running.h"
#include "support/files.h"
#include "support/notation.h"

#include "core/project/project.h"
#include "io/project/project_file.h"

using namespace garland;
using namespace garland::testing;
using Json = nlohmann::json;

class CliLoopTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString path(const char* name) { return QString::fromStdString(folder_ / name); }
    Answer edit(const QStringList& words) { return run(QStringList{"edit", path("festival.garland")} + words); }
    Project project() { return *load_project(folder_ / "festival.garland"); }
  private slots:
    void initTestCase() {
        const Answer a = run({"demo", QString::fromStdString(folder_.path()), "--only", "festival", "--quiet"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
    }
    void the_best_loops_are_told() {
        const Answer a = run({"loop", path("festival.garland"), "--most", "4", "--json"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        const Json j = a.json();
        QCOMPARE(j["loops"].size(), std::size_t(4));
        QCOMPARE(j["unit"].get<std::string>(), std::string("m"));
        double before = 0;
        for (const Json& loop : j["loops"]) {
            QVERIFY(loop["score"].get<double>() >= before); // the best first
            before = loop["score"].get<double>();
            QVERIFY(loop["start"].get<int>() >= 0 && loop["start"].get<int>() + loop["length"].get<int>() <= 95);
        }
        const Json late =
            run({"loop", path("festival.garland"), "--skip-first", "30", "--longest", "40", "--json"}).json();
        for (const Json& loop : late["loops"])
            QVERIFY(loop["start"].get<int>() >= 30 && loop["length"].get<int>() <= 40);
        QVERIFY(run({"loop", path("festival.garland"), "--shortest", "500"}).out.contains("no loop of 500 frames"));
        QCOMPARE(run({"loop", path("festival.garland"), "--source", "kite"}).code, 1);
        QCOMPARE(run({"loop", path("none.garland")}).code, 1);
    }
    void a_timing_is_lengthened_and_findings_are_ignored() {
        const Project before = project();
        QCOMPARE(edit({"speed", "--speed", "0.5"}).code, 0);
        QCOMPARE(edit({"trim", "--range", "1:60"}).code, 0);
        const Answer longer = edit({"lengthen"});
        QVERIFY2(longer.code == 0 && longer.out.contains("Lengthen to source frame 95"),
                 qPrintable(longer.out + longer.err));
        QCOMPARE(source_span(project().timings[0]).high.value, 95.0);
        QCOMPARE(edit({"lengthen"}).code, 1);
        // Without spreads all lanterns move alike.
        for (int i = 0; i < 2; ++i) QCOMPARE(edit({"spread", "--number", "1", "--remove"}).code, 0);
        const Answer found = run({"check", path("festival.garland"), "--json"});
        QCOMPARE(found.code, 3);
        const Json j = found.json();
        QCOMPARE(j["findings"][0]["kind"].get<std::string>(), std::string("twins"));
        const QString key = QString::fromStdString(j["findings"][0]["key"].get<std::string>());
        QCOMPARE(edit({"ignore", "--finding", key, "--reason", "as it should be"}).code, 0);
        const Json now = run({"check", path("festival.garland"), "--json"}).json();
        QCOMPARE(now["findings"].size() + 1, j["findings"].size());
        QCOMPARE(now["ignored"][0]["reason"].get<std::string>(), std::string("as it should be"));
        QCOMPARE(edit({"ignore", "--finding", key, "--remove"}).code, 0);
        QCOMPARE(edit({"ignore", "--finding", key, "--remove"}).code, 1);
        QCOMPARE(edit({"ignore", "--finding", "twins/no/such"}).code, 1);
        const Answer again = edit({"repeat"}); // the lantern's last pose does not lead to its first
        QCOMPARE(again.code, 1);
        QVERIFY(again.err.contains("does not loop as it is"));
        const Answer met = edit({"meet", "--at", "50", "--source-frame", "20"});
        QVERIFY2(met.code == 0 && met.out.contains("at source frame 20"), qPrintable(met.err));
        QVERIFY(save_project(folder_ / "festival.garland", before, Existing::replace));
    }
    void a_loop_is_closed_changed_and_opened() {
        Answer a = edit({"close"});
        QCOMPARE(a.code, 1);
        QVERIFY(a.err.contains("a loop needs its start and its length"));
        a = edit({"close", "--start", "41", "--length", "49", "--overlap", "16", "--json"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        QVERIFY(a.out.contains("49 frames; the gap between both ends is"));
        const Project p = project();
        QVERIFY(p.sources[0].closing && p.sources[0].closing->overlap == 16);
        QVERIFY(p.timings[0].last_is_first && p.timings[0].after.mode == OutsideMode::repeat);
        // The same source frame a loop later, and the pose there is the source's own.
        const Json now = run({"trace", path("festival.garland"), "--copy", "1", "--frames", "20", "--json"}).json();
        QVERIFY(now.dump().find("the source's own pose") != std::string::npos);
        QCOMPARE(
            edit({"close", "--ends", "two-layers", "--fade", "straight", "--layers", "add", "--keep-contrast"}).code,
            0);
        const Closing c = *project().sources[0].closing;
        QVERIFY(c.way == ClosingWay::half_shift && c.mix == LayerMix::add && c.curve == FadeCurve::straight &&
                c.keep_contrast && c.start == 41);
        QCOMPARE(edit({"close", "--fade", "0:0 0.4:0.1 smooth 1:1", "--fade-out", "0:1 0.9:1 1:0"}).code, 0);
        QCOMPARE(project().sources[0].closing->drawn_in.size(), std::size_t(3));
        QCOMPARE(project().sources[0].closing->drawn_out.size(), std::size_t(3));
        QVERIFY(edit({"close", "--fade", "0:0.5 1:1"}).err.contains("leads from 0.5 at 0"));
        QCOMPARE(edit({"close", "--fade", "straight", "--fade-out", "none"}).code, 0);
        QVERIFY(project().sources[0].closing->drawn_in.empty() && project().sources[0].closing->drawn_out.empty());
        QCOMPARE(edit({"close", "--ends", "wish"}).code, 1);
        a = edit({"close", "--ends", "end fade", "--start", "3"});
        QCOMPARE(a.code, 1);
        QVERIFY(a.err.contains("start 13 frames later"));
        QCOMPARE(project().sources[0].closing->start, 41); // nothing changed
        QCOMPARE(edit({"close", "--off"}).code, 0);
        QVERIFY(!project().sources[0].closing);
        QCOMPARE(edit({"close", "--off"}).code, 1);
    }
    void one_retimed_source_is_written() {
        const QString out = path("out");
        const QStringList words{"bake",     path("festival.garland"),
                                "--source", "paper lantern",
                                "--as",     "usda",
                                "--out",    out,
                                "--name",   "lantern",
                                "--frames", "1:6",
                                "--quiet",  "--json"};
        const Json dry = run(words + QStringList{"--dry-run"}).json();
        QVERIFY(dry["bytes"].get<double>() > 10000);
        QVERIFY(!QFile::exists(out + "/lantern.usda"));
        const Answer a = run(words);
        QVERIFY2(a.code == 0, qPrintable(a.err + a.out));
        QCOMPARE(a.json()["frames"].get<int>(), 6);
        const Json info = run({"info", out + "/lantern.usda", "--json"}).json();
        QCOMPARE(info["kind"].get<std::string>(), std::string("moving mesh"));
        QCOMPARE(info["points"].get<int>(), 2355);
        QVERIFY(info["velocities"].get<bool>());
        QCOMPARE(run(words).code, 1); // it is there
        QCOMPARE(run(words + QStringList{"--replace"}).code, 0);
        QCOMPARE(run({"bake", path("festival.garland"), "--as", "usda", "--out", out, "--frames", "1:2"}).code, 2);
        QCOMPARE(run({"bake", path("festival.garland"), "--source", "kite", "--out", out, "--frames", "1:2"}).code, 1);
        // The same alone as PLY: a single copy, where the source has it.
        const Answer ply = run({"bake", path("festival.garland"), "--source", "paper lantern", "--out", out, "--name",
                                "alone", "--frames", "3:3", "--json"});
        QCOMPARE(ply.json()["copy_count"].get<int>(), 1);
    }
};
GARLAND_TEST_CASE(CliLoopTest)
#include "loops_test.moc"
