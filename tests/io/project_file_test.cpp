#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/project/open_project.h"
#include "io/project/project_file.h"

#include <csignal>
#include <sys/resource.h>

using namespace garland;
using namespace garland::testing;

namespace {
Project rich_project() {
    Project p;
    p.settings.name = "Fest \"am\" Kanal";
    p.settings.rate = {24000, 1001};
    p.settings.range = {-10, 500};
    p.settings.camera.distance = 0.1;
    add_source(p, "lantern", "caches/lantern.ply", {0, 95, {25, 1}});
    p.sources[0].first = 1001;
    p.sources[0].join = Join::frame_for_frame;
    p.sources[0].import_settings.how = SubFrame::nearest;
    p.timings[0].map = parse_map("0:0~ 12.1:3.3| 20:0.1 30:30");
    p.timings[0].map.keys[2].toward = Toward::free;
    p.timings[0].map.keys[2].leave = 1.0 / 3;
    p.timings[0].after = {OutsideMode::repeat, 3};
    p.timings[0].turn_twice = true;
    Arrangement& a = p.arrangements[0];
    a.layout.kind = ArrangementKind::grid;
    a.layout.columns = 3, a.layout.rows = 4;
    a.layout.origin = {1, 2.5, -3};
    Spread s;
    s.id = SpreadId(p.next_id++);
    s.target = Target::speed;
    s.by.kind = Driver::order_total;
    s.from = -12.5;
    a.spreads = {s};
    a.by_hand.nudges = {{CopyId(1), -2}, {CopyId(1u << 20), 4.5}};
    return p;
}
QString refused(const std::string& text) {
    const auto p = parse_project(text, "fest.garland");
    return p ? QString("(read)") : said(p.error());
}
} // namespace

class ProjectFileTest : public QObject {
    Q_OBJECT
  private slots:
    void reads_what_it_writes() {
        const Project p = rich_project();
        const std::string text = project_text(p);
        const auto back = parse_project(text, "fest.garland");
        QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
        QVERIFY(*back == p);
        QCOMPARE(project_text(*back), text);
    }
    // Files from before words with underscores went are read, and say the words of now when they are written again.
    void words_of_earlier_files_are_read() {
        Project p = rich_project();
        Arrangement& a = p.arrangements[0];
        a.play.by = PlayBy::starts;
        Pulse pulse;
        pulse.id = SpreadId(p.next_id++);
        pulse.wave.after = WaveAfter::there_and_back;
        a.pulses = {pulse};
        const std::pair<Leaving, std::pair<std::string, std::string>> words[] = {
            {Leaving::back_to_start, {"back to start", "back_to_start"}},
            {Leaving::finish_pass, {"finish pass", "finish_pass"}},
            {Leaving::fade_out, {"fade out", "fade_out"}}};
        for (const auto& [leaving, word] : words) {
            a.play.leaving = leaving;
            const std::string text = project_text(p);
            std::string earlier = text;
            for (const auto& [now, before] : {word, {"there-and-back", "there_and_back"}}) {
                const auto at = earlier.find('"' + now + '"');
                QVERIFY2(at != earlier.npos, now.c_str());
                earlier.replace(at, now.size() + 2, '"' + before + '"');
            }
            const auto back = parse_project(earlier, "fest.garland");
            QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
            QVERIFY(*back == p);
            QCOMPARE(project_text(*back), text);
        }
        QVERIFY(
            refused(project_text(p).replace(project_text(p).find("fade out"), 8, "fades away")).contains("leaving"));
    }
    void unknown_fields_are_kept() {
        std::string text = project_text(rich_project());
        auto add = [&](const std::string& after, const std::string& field) {
            const auto at = text.find(after);
            QVERIFY(at != text.npos);
            text.insert(at, field + ",");
        };
        add("\"camera\"", "\"notes\": {\"by\": \"hand\", \"n\": [1, 2.5]}");
        add("\"keys\"", "\"mood\": \"calm\"");
        add("\"mode\"", "\"why\": 1");
        add("\"driver\"", "\"tint\": null");
        const auto p = parse_project(text, "fest.garland");
        QVERIFY2(p, p ? "" : qPrintable(said(p.error())));
        const std::string again = project_text(*p);
        for (const char* kept : {"\"by\": \"hand\"", "\"mood\": \"calm\"", "\"why\": 1", "\"tint\": null", "2.5"}) {
            QVERIFY2(again.find(kept) != again.npos, kept);
        }
        QCOMPARE(project_text(*parse_project(again, "fest.garland")), again);
    }
    void a_short_file_by_hand_is_enough() {
        const auto p = parse_project(R"({"garland": 1,
            "sources": [{"id": 1, "path": "a.ply"}],
            "timings": [{"id": 2, "keys": [{"at": 1, "source": 0}, {"at": 10, "source": 9}]}],
            "arrangements": [{"id": 3, "source": 1, "timing": 2, "count": 5}]})",
                                     "a.garland");
        QVERIFY2(p, p ? "" : qPrintable(said(p.error())));
        QCOMPARE(p->copies(), 5);
        QCOMPARE(p->next_id, std::uint64_t(4));
        QVERIFY(parse_project("{\"garland\": 1}", "a.garland"));
    }
    void bad_files_say_what_and_where() {
        QVERIFY(refused("").contains("not a project file"));
        QVERIFY(refused("{\n\"garland\": 1,\n\"range\": }").contains("line 3"));
        QVERIFY(refused("[]").contains("\"garland\" is missing"));
        QVERIFY(
            refused("{\"garland\": 1, \"rate\": \"fast\"}").contains("\"rate\" of the project must be a frame rate"));
        QVERIFY(refused("{\"garland\": 1, \"timings\": [{\"id\": 1, \"keys\": [{\"at\": 1}, {\"at\": 1}]}]}")
                    .contains("both on output frame 1"));
        QVERIFY(refused("{\"garland\": 1, \"timings\": [{\"id\": 1, \"keys\": [{\"at\": 1, \"toward\": \"up\"}]}]}")
                    .contains("\"toward\" of timing 1, key 1 must be one of \"step\", \"linear\""));
        QVERIFY(refused("{\"garland\": 1, \"sources\": [{\"id\": -4}]}").contains("whole number above 0"));
        QVERIFY(refused("{\"garland\": 1, \"sources\": 4}").contains("a list in brackets"));
        QVERIFY(refused("{\"garland\": 1, \"range\": {\"first\": 1e300}}").contains("whole number from"));
        QVERIFY(refused("{\"garland\": 1, \"arrangements\": [{\"id\": 1, \"source\": 7, \"timing\": 8}]}")
                    .contains("source that is not there"));
        QVERIFY(
            refused("{\"garland\": 1, \"arrangements\": [{\"id\": 1, \"source\": 7, \"timing\": 8, \"count\": 1e12}]}")
                .contains("count"));
        QVERIFY(refused(std::string(100000, '[')).contains("not a project file"));
    }
    void newer_files_are_refused_and_kept() {
        Folder folder;
        folder.write("a.garland", "{\"garland\": 2, \"wonders\": true}");
        const auto p = load_project(folder / "a.garland");
        QCOMPARE(p.error().code, ErrorCode::newer_version);
        QVERIFY(said(p.error()).contains("newer Garland"));
        QCOMPARE(folder.read("a.garland"), std::string("{\"garland\": 2, \"wonders\": true}"));
    }
    void paths_are_relative_to_the_file() {
        QCOMPARE(relative_path("/a/b/caches/x.ply", "/a/b/fest.garland"), std::string("caches/x.ply"));
        QCOMPARE(relative_path("/a/x.ply", "/a/b/fest.garland"), std::string("../x.ply"));
        QCOMPARE(absolute_path("caches/x.ply", "/a/b/fest.garland"), std::string("/a/b/caches/x.ply"));
        QCOMPARE(absolute_path("/x.ply", "/a/b/fest.garland"), std::string("/x.ply"));
    }
    void a_missing_cache_does_not_stop_the_project() {
        Folder folder;
        QVERIFY(save_project(folder / "a.garland", rich_project(), Existing::refuse));
        const auto opened = open_project(folder / "a.garland");
        QVERIFY(opened);
        QCOMPARE(opened->missing.size(), std::size_t(1));
        QVERIFY(said(opened->missing[0].error).contains("caches/lantern.ply: does not exist"));
        QVERIFY(opened->project == rich_project());
    }
    // A full disk, played by the system's limit on file size: the old file stays as it was and no scrap is left.
    void a_full_disk_keeps_the_old_file() {
        Folder folder;
        folder.write("a.garland", "the old one");
        Project big = rich_project();
        for (int i = 0; i < 20000; ++i)
            big.timings[0].map.keys.push_back({OutputFrame(100 + i), SourceFrame(i), Toward::linear});
        struct rlimit before {};
        getrlimit(RLIMIT_FSIZE, &before);
        struct rlimit small {
            64 * 1024, before.rlim_max
        };
        std::signal(SIGXFSZ, SIG_IGN);
        setrlimit(RLIMIT_FSIZE, &small);
        const auto done = save_project(folder / "a.garland", big, Existing::replace);
        setrlimit(RLIMIT_FSIZE, &before);
        QVERIFY(!done);
        QCOMPARE(done.error().code, ErrorCode::disk_full);
        QCOMPARE(folder.read("a.garland"), std::string("the old one"));
        QCOMPARE(folder.names(), QStringList{"a.garland"});
        QVERIFY(save_project(folder / "a.garland", big, Existing::replace));
        QVERIFY(*load_project(folder / "a.garland") == big);
    }
    void a_folder_that_refuses_is_told() {
        const auto done = save_project("/proc/a.garland", rich_project(), Existing::replace);
        QVERIFY(!done);
        QVERIFY(said(done.error()).contains("/proc/a.garland"));
    }
};
GARLAND_TEST_CASE(ProjectFileTest)
#include "project_file_test.moc"
