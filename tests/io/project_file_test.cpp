#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/small_disk.h"

#include "io/project/open_project.h"
#include "io/project/project_file.h"

#include <csignal>

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
    // A file as it was written before its fields had the names of now, by hand from docs/project-format.md of then.
    void names_of_earlier_files_are_read() {
        const std::string before = R"({"garland": 1,
          "camera": {"lens": 55, "azimuth": 20}, "camera_keys": [{"at": 4, "lens": 35, "azimuth": 10}],
          "tempo": {"on": true, "beats_per_minute": 96, "offset": 3}, "twins": {"share": 0.25},
          "sources": [{"id": 1, "path": "lantern.ply", "join": "frame for frame", "sub_frame": "smooth",
              "gaps": "blend",
                       "up": "z", "root": "left out", "fresh_normals": true, "voxel": 0.5, "dropped": [3, 4],
                       "closing": {"start": 2, "length": 40, "way": "two-layers", "mix": "add"},
                       "before_closing": [{"id": 9, "keys": [{"at": 1, "source": 0}],
                           "after": {"mode": "repeat", "count": 2}}],
                       "wobble": {"position": 0.25, "rate": 3, "together": true, "settle_position": [1, 0, 0]}},
                      {"id": 5, "water": {"wind": 7, "patch": 30, "resolution": 64}}],
          "timings": [{"id": 2, "form": "phrases", "before": {"mode": "repeat", "count": 4},
                       "phrases": {"list": [{"first": 0, "last": 9, "passes": 3}]},
                       "master": [{"at": 1, "percent": 0}, {"at": 9, "percent": 100}]}],
          "zones": [{"id": 7, "keys": [{"at": 1, "size": 2}]}],
          "arrangements": [{"id": 3, "source": 1, "timing": 2, "kind": "line", "origin": [1, 2, 3], "swag": 5,
                            "least_apart": 0.5, "passes": 6, "nudge_amount": [{"at": 1, "value": 0.5}],
                            "path": {"points": [[0, 0, 0], [1, 0, 0]], "side": 0.75}, "jitter": {"position": [1, 0, 1]},
                            "wobble": {"position": 0.125}, "place_keys": [{"at": 1, "size": 3}],
                            "spreads": [{"id": 4, "driver": "noise", "share": 0.5, "detail": 3,
                                         "amount": [{"at": 1, "value": 1}, {"at": 9, "value": 0}],
                                         "curve": [{"at": 0, "value": 0}, {"at": 1, "value": 0.5}]}]}]})";
        std::string note;
        const auto p = parse_project(before, "fest.garland", &note);
        QVERIFY2(p, p ? "" : qPrintable(said(p.error())));
        QCOMPARE(p->settings.camera.field_of_view, 55.0);
        QCOMPARE(p->settings.camera_keys[0].camera.field_of_view, 35.0);
        QCOMPARE(p->settings.tempo.offset, OutputFrame(3));
        QCOMPARE(p->settings.twin_share, 0.25);
        const SourceSpec& s = p->sources[0];
        QVERIFY(s.join == Join::frame_for_frame && s.import_settings.how == SubFrame::smooth);
        QVERIFY(s.import_settings.gaps == GapFix::blend && s.import_settings.up == UpAxis::z);
        QVERIFY(s.import_settings.root == RootMotion::left_out && s.import_settings.fresh_normals);
        QVERIFY(s.import_settings.voxel == 0.5 && s.import_settings.dropped == (std::vector<std::int64_t>{3, 4}));
        QVERIFY(s.closing->way == ClosingWay::half_shift && s.closing->mix == LayerMix::add);
        QCOMPARE(s.before_closing[0].after.count, 2);
        QVERIFY(s.wobble.position == V3d(0.25) && s.wobble.rate == 3 && s.wobble.together);
        QCOMPARE(s.wobble.settle_position, V3d(1, 0, 0));
        QVERIFY(p->sources[1].water->wind == 7 && p->sources[1].water->resolution == 64);
        QCOMPARE(p->timings[0].before.count, 4);
        QCOMPARE(p->timings[0].phrases.list[0].passes, std::int64_t(3));
        QCOMPARE(p->timings[0].slider->keys.size(), std::size_t(2));
        QCOMPARE(p->zones[0].keys[0].size, 2.0);
        const Arrangement& a = p->arrangements[0];
        QVERIFY(a.layout.origin == V3d(1, 2, 3) && a.layout.swag.every == 5 && a.layout.carried.least_apart == 0.5);
        QVERIFY(a.begins.passes == 6 && a.by_hand.amount.size() == 1 && a.layout.path.side == 0.75);
        QVERIFY(a.jitter.position == V3d(1, 0, 1) && a.wobble.position == V3d(0.125) && a.place_keys[0].size == 3);
        const Spread& spread = a.spreads[0];
        QVERIFY(spread.strength.share == 0.5 && spread.strength.keys.size() == 2 && spread.curve.size() == 2);
        QCOMPARE(spread.by.noise.detail, 3);
        // It is said, and written with the names of now only.
        for (const char* words : {"lens is field_of_view now, offset is first_beat now, share is above now, and ",
                                  " more", "saving writes"})
            QVERIFY2(note.find(words) != std::string::npos, note.c_str());
        const std::string now = project_text(*p);
        for (const char* was :
             {"\"lens\"",         "\"offset\": 3", "\"share\"",  "\"join\"",          "\"sub_frame\"",
              "\"gaps\"",         "\"up\"",        "\"root\"",   "\"fresh_normals\"", "\"voxel\"",
              "\"dropped\"",      "\"way\"",       "\"mix\"",    "\"position\"",      "\"together\"",
              "\"wind\"",         "\"master\"",    "\"origin\"", "\"swag\"",          "\"least_apart\"",
              "\"nudge_amount\"", "\"side\"",      "\"detail\"", "\"amount\"",        "\"curve\""})
            QVERIFY2(now.find(was) == std::string::npos, was);
        const auto again = parse_project(now, "fest.garland", &note);
        QVERIFY(again && *again == *p && note.empty());
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
    // The old file stays as it was and no scrap is left.
    void a_full_disk_keeps_the_old_file() {
        Folder folder;
        folder.write("a.garland", "the old one");
        Project big = rich_project();
        for (int i = 0; i < 20000; ++i)
            big.timings[0].map.keys.push_back({OutputFrame(100 + i), SourceFrame(i), Toward::linear});
        const auto done = [&] {
            const SmallDisk full(64 * 1024);
            return save_project(folder / "a.garland", big, Existing::replace);
        }();
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
