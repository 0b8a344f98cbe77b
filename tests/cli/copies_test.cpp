// Arranging and varying on the command line, with good and bad input.
#include "running.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/project/project_file.h"

#include <set>

using namespace garland;
using namespace garland::testing;

class CliCopiesTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString path(const char* name) { return QString::fromStdString(folder_ / name); }
    Project project() { return *load_project(folder_ / "p.garland"); }
    Answer edit(const QStringList& words) { return run(QStringList{"edit", path("p.garland")} + words); }
    Answer at(const QStringList& words) { return edit(words + QStringList{"--arrangement", "near quay"}); }
    const Arrangement& near(Project& p) { return p.arrangements[0]; }
  private slots:
    void initTestCase() {
        const Answer a = run({"demo", QString::fromStdString(folder_.path()), "--only", "canal", "--quiet"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
    }
    void init() {
        QVERIFY(save_project(folder_ / "p.garland", *load_project(folder_ / "canal.garland"), Existing::replace));
    }
    void the_demo_is_what_it_says() {
        Project p = project();
        QCOMPARE(near(p).layout.count + p.arrangements[1].layout.count, 400);
        const auto rows = run({"table", path("p.garland"), "--frames", "96:96", "--json"}).json()["rows"];
        std::set<double> ring; // the last sixteen copies meet at frame 96
        for (std::size_t i = rows.size() - 16; i < rows.size(); ++i) ring.insert(rows[i]["source_frame"].get<double>());
        QCOMPARE(ring.size(), std::size_t(1));
        const auto early = run({"table", path("p.garland"), "--frames", "10:10", "--json"}).json()["rows"];
        std::set<double> apart, afloat;
        for (std::size_t i = early.size() - 16; i < early.size(); ++i)
            apart.insert(early[i]["source_frame"].get<double>());
        QVERIFY(apart.size() > 8);
        int there = 0; // petals that are not born yet carry nothing
        for (std::size_t i = 400 + 63; i < early.size() - 16; ++i) there += early[i]["visible"].get<bool>();
        QVERIFY(there > 0 && there < static_cast<int>(early.size()) - 400 - 63 - 16);
    }
    void every_kind_is_arranged() {
        for (const QStringList& words :
             {QStringList{"--kind", "line", "--count", "7"},
              {"--kind", "grid", "--columns", "4", "--rows", "3"},
              {"--kind", "box", "--columns", "2", "--rows", "2", "--layers", "2"},
              {"--kind", "rings", "--count", "5", "--rows", "2", "--radius", "1"},
              {"--path-points", "0,0,0 4,0,0 4,0,4", "--count", "9", "--path-closed", "on"},
              {"--kind", "scatter", "--carrier", "pinwheel", "--count", "20", "--minimum-distance", "0.01"},
              {"--kind", "points", "--carrier", "petals", "--facing", "velocity"}}) {
            const Answer a = at(QStringList{"arrange"} + words);
            QVERIFY2(a.code == 0, qPrintable(a.err));
            QVERIFY2(a.out.contains("cop"), qPrintable(a.out));
        }
        Project p = project();
        QCOMPARE(near(p).layout.kind, ArrangementKind::points);
        QCOMPARE(near(p).layout.carried.least_apart, 0.01);
        folder_.write("edge.obj", "v 0 0 0\nv 3 0 0\nv 3 0 3\nl 1 2 3\n");
        QVERIFY(at({"arrange", "--path", path("edge.obj"), "--path-smooth", "off"}).code == 0);
        p = project();
        QCOMPARE(near(p).layout.path.points.size(), std::size_t(3));
    }
    void everything_else_of_an_arrangement() {
        const Answer a = at({"arrange",
                             "--order",
                             "random",
                             "--order-seed",
                             "4",
                             "--jitter",
                             "0.1,0,0.1",
                             "--jitter-size",
                             "0.2",
                             "--width",
                             "0:1 smooth 1:2",
                             "--target",
                             "1:0,0,0 48:4,0,0",
                             "--variant",
                             "pinwheel:0.5",
                             "--own-weight",
                             "2",
                             "--start",
                             "at a frame",
                             "--start-frame",
                             "20",
                             "--total-passes",
                             "3",
                             "--hidden-until-start",
                             "on"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        Project p = project();
        QCOMPARE(near(p).order.by, OrderBy::random);
        QCOMPARE(near(p).attitude.targets.size(), std::size_t(2));
        QCOMPARE(near(p).attitude.facing, Facing::target);
        QCOMPARE(near(p).choice.variants[0].weight, 0.5);
        QCOMPARE(near(p).begins.passes, 3);
        QCOMPARE(near(p).stretch.width[0].toward, Toward::smooth);
        QVERIFY(run({"check", path("p.garland")}).code != 1);
        QVERIFY(edit({"arrange", "--add", "more", "--source", "pinwheel", "--count", "3"}).code == 0);
        p = project();
        QCOMPARE(p.arrangements.back().name, std::string("more"));
        QVERIFY(edit({"arrange", "--arrangement", "more", "--remove"}).code == 0);
        QCOMPARE(project().arrangements.size(), p.arrangements.size() - 1);
    }
    void spreads_are_added_changed_and_removed() {
        Answer a = at({"spread", "--add", "--target", "speed", "--driver", "gradient", "--from", "-5", "--to", "5",
                       "--axis", "0,0,1", "--response", "0:0 smooth 1:1", "--strength", "1:1 96:0"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        Project p = project();
        QCOMPARE(near(p).spreads.size(), std::size_t(3));
        QCOMPARE(near(p).spreads[2].by.kind, Driver::gradient);
        QCOMPARE(near(p).spreads[2].strength.keys.size(), std::size_t(2));
        QVERIFY(at({"spread", "--number", "3", "--driver", "even, over space", "--strength", "0.5"}).code == 0);
        p = project();
        QCOMPARE(near(p).spreads[2].strength.share, 0.5);
        QVERIFY(at({"spread", "--number", "3", "--remove"}).code == 0);
        p = project();
        QCOMPARE(near(p).spreads.size(), std::size_t(2));
    }
    void copies_are_nudged_hidden_and_singled_out() {
        QVERIFY(at({"nudge", "--copies", "3,5:7", "--frames", "2.5"}).code == 0);
        QVERIFY(at({"nudge", "--copies", "5", "--clear"}).code == 0);
        QVERIFY(at({"hide", "--copies", "10:12"}).code == 0);
        QVERIFY(at({"hide", "--copies", "11", "--off"}).code == 0);
        Project p = project();
        QCOMPARE(near(p).by_hand.nudges, (std::vector<Nudge>{{CopyId(2), 2.5}, {CopyId(5), 2.5}, {CopyId(6), 2.5}}));
        QCOMPARE(near(p).hidden_copies, (std::vector<CopyId>{CopyId(9), CopyId(11)}));
        const Answer out = at({"single-out", "--copies", "1:4"});
        QVERIFY2(out.code == 0 && out.out.contains("same values"), qPrintable(out.err));
        const auto parts = run({"info", path("pinwheel.glb"), "--json"}).json()["parts"];
        QVERIFY(parts.size() > 1);
        const Answer part = edit({"single-out", "--arrangement", "pinwheels on the square", "--part",
                                  QString::fromStdString(parts[1].get<std::string>())});
        QVERIFY2(part.code == 0, qPrintable(part.err));
        QCOMPARE(run({"check", path("p.garland"), "--json"}).json().contains("findings"), true);
    }
    void copies_meet_and_are_told_to_run_backward() {
        Answer a = at({"meet", "--at", "120", "--ease", "20"});
        QVERIFY2(a.code == 0 && a.out.contains("run backward between output frames") &&
                     a.out.contains("would be long enough"),
                 qPrintable(a.out + a.err));
        QVERIFY(at({"meet", "--off"}).code == 0);
        Project p = project();
        QVERIFY(near(p).spreads[0].strength.keys.empty());
        QCOMPARE(at({"meet", "--at", "120", "--ease", "0"}).code, 1);
    }
    void twins_are_parted() {
        QVERIFY(at({"arrange", "--kind", "line", "--count", "40"}).code == 0);
        QVERIFY(at({"spread", "--number", "1", "--driver", "chance", "--to", "12"}).code == 0);
        const Answer a = at({"pull-apart", "--neighbours", "2"});
        QVERIFY2(a.code == 0 && a.out.contains("of 40 copies moved"), qPrintable(a.out + a.err));
        QVERIFY(at({"pull-apart", "--earliest", "0", "--latest", "5"}).err.contains("room for 6 copies"));
        QVERIFY(at({"pull-apart"}).code == 0);
        QCOMPARE(run({"check", path("p.garland"), "--json"}).json()["findings"].dump().find("c001"), std::string::npos);
    }
    void bad_input_changes_nothing() {
        const std::string before = folder_.read("p.garland");
        auto refused = [&](const QStringList& words, const char* says) {
            const Answer a = at(words);
            return a.code == 1 && (says[0] == 0 || a.err.contains(says)) && folder_.read("p.garland") == before
                       ? QString()
                       : a.err + a.out;
        };
        const std::pair<QStringList, const char*> all[] = {
            {{"arrange", "--count", "10000000"}, "more than one arrangement may have"},
            {{"arrange", "--count", "0"}, "at least one copy"},
            {{"arrange", "--path-points", "1,1,1 1,1,1"}, "no length"},
            {{"arrange", "--kind", "spiral"}, "write one of"},
            {{"arrange", "--carrier", "boat"}, "no source \"boat\""},
            {{"arrange", "--kind", "scatter", "--carrier", "petals"}, "no faces"},
            {{"arrange", "--centre", "0,nan,0"}, "not a place"},
            {{"arrange", "--path", path("p.garland")}, "no path can be read"},
            {{"arrange", "--width", "0:0"}, "outside"},
            {{"spread", "--number", "9", "--to", "3"}, "no spread 9"},
            {{"spread", "--add", "--driver", "attribute"}, "attribute's name"},
            {{"spread", "--add", "--target", "speed", "--from", "-100"}, "above"},
            {{"spread", "--add", "--strength", "5:1 2:0"}, "key 2"},
            {{"nudge", "--copies", "900", "--frames", "1"}, "no copy 900"},
            {{"nudge", "--frames", "1"}, "which copies"},
            {{"single-out"}, "either copies or a part"},
            {{"single-out", "--part", "sail"}, "no part \"sail\""},
            {{"hide", "--copies", "x"}, "not a number"},
            {{"pull-apart", "--earliest", "0", "--latest", "3"}, "room for"}};
        for (const auto& [words, says] : all) {
            const QString trouble = refused(words, says);
            QVERIFY2(trouble.isEmpty(), qPrintable(words.join(' ') + ": " + trouble));
        }
    }
};
GARLAND_TEST_CASE(CliCopiesTest)
#include "copies_test.moc"
