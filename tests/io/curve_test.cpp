// Timings as CSV, JSON and OpenTimelineIO; and the whole way of new fields through the project file.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/project/project_file.h"
#include "io/tables/curve_file.h"
#include "io/tables/otio.h"

#include <map>
#include <nlohmann/json.hpp>
#include <random>
#include <set>

using namespace garland;
using namespace garland::testing;

namespace {

std::string refused(const std::string& text) {
    const auto curve = parse_curve(text, "c.csv");
    if (curve) return "read: " + curve->words;
    return (curve.error().line ? std::to_string(*curve.error().line) + ": " : "") + curve.error().message;
}

// The fields that each schema has, from the interchange format's published documentation ("Serialized schema fields",
// OpenTimelineIO 0.15; from memory).
const std::map<std::string, std::set<std::string>> schema{
    {"Timeline.1", {"metadata", "name", "global_start_time", "tracks"}},
    {"Stack.1", {"metadata", "name", "source_range", "effects", "markers", "children"}},
    {"Track.1", {"metadata", "name", "source_range", "effects", "markers", "children", "kind"}},
    {"Clip.1", {"metadata", "name", "source_range", "effects", "markers", "media_reference"}},
    {"Transition.1", {"metadata", "name", "in_offset", "out_offset", "transition_type"}},
    {"ExternalReference.1", {"metadata", "name", "available_range", "target_url"}},
    {"LinearTimeWarp.1", {"metadata", "name", "effect_name", "time_scalar"}},
    {"FreezeFrame.1", {"metadata", "name", "effect_name", "time_scalar"}},
    {"Marker.2", {"metadata", "name", "color", "marked_range"}},
    {"TimeRange.1", {"duration", "start_time"}},
    {"RationalTime.1", {"rate", "value"}},
};
void check_schema(const nlohmann::json& j) {
    if (j.is_array()) {
        for (const auto& e : j) check_schema(e);
    }
    if (!j.is_object() || j.empty()) return;
    const std::string name = j.value("OTIO_SCHEMA", "");
    const auto fields = schema.find(name);
    QVERIFY2(fields != schema.end(), name.c_str());
    for (const auto& f : fields->second) QVERIFY2(j.contains(f), (name + " lacks " + f).c_str());
    for (const auto& [key, value] : j.items()) {
        QVERIFY2(key == "OTIO_SCHEMA" || fields->second.count(key), (name + " has " + key).c_str());
        check_schema(value);
    }
}

} // namespace

class CurveTest : public QObject {
    Q_OBJECT
  private slots:
    void csv_there_and_back() {
        for (const char* text : {"1:0 53:52 77:52 125:95", "0:5 2.5:7 10:6", "3:3"}) {
            const Timing t = timing_of(text);
            const auto csv = curve_csv(t);
            QVERIFY(csv);
            const auto back = parse_curve(*csv, "c.csv");
            QVERIFY(back);
            QCOMPARE(map_text(back->timing.map), text); // straight keys only: nothing is left over
        }
        const auto rows = curve_csv(phrases_of("0-3 3-3*2 9-7", 10));
        QVERIFY(rows);
        const auto back = parse_curve(*rows, "c.csv");
        QVERIFY(back);
        QCOMPARE(shown(back->timing, 10, 18), "0 1 2 3 3 3 9 8 7");
        const Timing smooth = timing_of("0:0~ 20:20~ 30:20~ 60:50");
        const auto sampled = parse_curve(*curve_csv(smooth), "c.csv");
        for (int f = 0; f <= 60; ++f) QVERIFY(close(source_at(sampled->timing, f), source_at(smooth, f), 1e-8));
    }
    void csv_from_others() {
        QCOMPARE(map_text(parse_curve("1,0\n2,1\n3,2\n", "c")->timing.map), "1:0 3:2"); // no header
        QCOMPARE(map_text(parse_curve("source_frame,output_frame\r\n5,1\r\n9,2\r\n", "c")->timing.map), "1:5 2:9");
        QCOMPARE(map_text(parse_curve("output_frame;source_frame\n1;0.5\n4;2\n", "c")->timing.map), "1:0.5 4:2");
        QCOMPARE(map_text(parse_curve("\xEF\xBB\xBFoutput_frame\tsource_frame\n1\t0.5\n\n4\t2", "c")->timing.map),
                 "1:0.5 4:2");
    }
    void bad_csv_says_where() {
        QVERIFY(refused("output_frame,source_frame\n1,5,2,5\n").find("2: 4 numbers in a row") == 0);
        QVERIFY(refused("output_frame;source_frame\n1;2,5\n").find("2: \"2,5\" has a comma") == 0);
        QCOMPARE(refused("1,0\n1,5\n"), "2: output frame 1 is there twice");
        QCOMPARE(refused("4,0\n1,5\n"), "2: output frame 1 comes after 4: rows must rise");
        QCOMPARE(refused("1,0\n2,nan\n"), "2: \"nan\" is not a source frame");
        QCOMPARE(refused("1,0\n2\n"), "2: a row needs an output frame and a source frame");
        QCOMPARE(refused("a,b\n1,2\n"), "1: the header must name the columns output_frame and source_frame");
        QVERIFY(refused("").find("there is no row") != std::string::npos);
        QVERIFY(refused("1,0\n2,1e300\n").find("2: a frame beyond") == 0);
    }
    void ten_megabytes_are_read_and_too_many_rows_refused() {
        std::string text = "output_frame,source_frame\n";
        std::mt19937 random(8);
        int rows = 0;
        for (; text.size() < 10'000'000; ++rows)
            text += std::to_string(rows) + "," + std::to_string(random() % 1000) + ".25\n";
        const auto big = parse_curve(text, "c.csv");
        QVERIFY(big);
        QVERIFY(big->timing.map.keys.size() > 700'000);
        QCOMPARE(big->timing.map.keys.back().at.value, rows - 1.0);
        std::string more;
        for (int i = 0; i <= 1'000'000; ++i) more += std::to_string(i) + "," + std::to_string(i % 7) + "\n";
        QCOMPARE(refused(more), "1000001: more than 1000000 rows");
        std::string straight; // a thousand rows on a line are two keys
        for (int i = 0; i < 1000; ++i) straight += std::to_string(i) + "," + std::to_string(0.1 * i) + "\n";
        QCOMPARE(parse_curve(straight, "c")->words, "2 keys from 1000 rows");
    }
    void json_loses_nothing() {
        Timing all = timing_of("0:0~ 20:20 30:20|", OutsideMode::run_on, OutsideMode::repeat, 3);
        all.id = {};
        all.map.keys.push_back({OutputFrame(40), SourceFrame(1), Toward::free, 0.25, -2});
        all.slider = parse_map("1:0 50:100~ 60:20");
        all.last_is_first = all.turn_twice = true;
        Timing speeds = speeds_of("0:1| 20:0.2 30:-1", 5), phrases = phrases_of("0-9+4 9-3@0.5 1<>5*3 7-7*9", 4);
        speeds.id = phrases.id = {};
        for (const Timing& t : {all, speeds, phrases}) {
            const auto back = parse_curve(curve_json(t, {24, 1}), "c.json");
            QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
            QCOMPARE(back->timing, t);
        }
    }
    void bad_json_says_what() {
        QVERIFY(refused("{\"garland\": 1}").find("this is not a timing") != std::string::npos);
        QVERIFY(refused("{\n\n\"garland_timing\": 1,, }").find("3: ") == 0);
        QVERIFY(refused("{\"garland_timing\": 9, \"timing\": {}}").find("newer") != std::string::npos);
        QVERIFY(refused("{\"garland_timing\": 1, \"timing\": {\"keys\": [{\"at\": \"x\"}]}}").find("\"at\" of") !=
                std::string::npos);
        QVERIFY(refused("{\"garland_timing\": 1, \"timing\": {\"form\": \"phrases\", \"phrases\": {\"list\": "
                        "[{\"first\": 9, \"last\": 3}]}}}")
                    .find("phrase 1 ends (at 3) before it starts (at 9)") != std::string::npos);
        QVERIFY(refused("{\"garland_timing\": 1, \"timing\": {\"form\": \"phrases\", \"phrases\": {\"list\": "
                        "[{\"passes\": 0}]}}}")
                    .find("no pass") != std::string::npos);
    }
    void files() {
        Folder folder;
        const Timing t = timing_of("1:0 9:4");
        QVERIFY(write_curve(folder / "c.csv", t, {24, 1}, Existing::refuse));
        QVERIFY(write_curve(folder / "c.json", t, {24, 1}, Existing::refuse));
        QVERIFY(!write_curve(folder / "c.csv", t, {24, 1}, Existing::refuse));
        QVERIFY(!write_curve(folder / "c.txt", t, {24, 1}, Existing::refuse));
        QCOMPARE(map_text(read_curve(folder / "c.csv")->timing.map), "1:0 9:4");
        QCOMPARE(map_text(read_curve(folder / "c.json")->timing.map), "1:0 9:4");
        QVERIFY(!read_curve(folder / "none.csv"));
    }
    void clips_follow_the_open_standard() {
        Timing t = phrases_of("1-14 15-15*10 16-40@0.5+6 40-1 3<>9*3", 1, OutsideMode::hold, OutsideMode::repeat);
        OtioInfo info{{24, 1},        "lantern",       "lantern.0001.ply",
                      SourceFrame(1), SourceFrame(40), {{OutputFrame(15), "bridge"}}};
        const auto out = otio_text(t, info);
        QVERIFY(out);
        QCOMPARE(out->clips, 7u);
        QCOMPARE(out->note, "the endless repeat is written once");
        const auto j = nlohmann::json::parse(out->text);
        check_schema(j);
        const auto& track = j["tracks"]["children"][0];
        QCOMPARE(track["kind"].get<std::string>(), "Video");
        const auto& clips = track["children"];
        QCOMPARE(clips.size(), 8u); // and one transition
        double length = 0;
        for (const auto& c : clips) {
            if (c["OTIO_SCHEMA"] == "Clip.1") length += c["source_range"]["duration"]["value"].get<double>();
        }
        QCOMPARE(length, length_of(t.phrases, false)); // frame counts agree
        QCOMPARE(clips[1]["effects"][0]["OTIO_SCHEMA"].get<std::string>(), "FreezeFrame.1");
        QCOMPARE(clips[1]["effects"][0]["time_scalar"].get<double>(), 0.0);
        QCOMPARE(clips[2]["effects"][0]["time_scalar"].get<double>(), 0.5);
        QCOMPARE(clips[2]["source_range"]["start_time"]["value"].get<double>(), 16.0);
        QCOMPARE(clips[3]["OTIO_SCHEMA"].get<std::string>(), "Transition.1");
        QCOMPARE(clips[4]["effects"][0]["time_scalar"].get<double>(), -1.0);
        QCOMPARE(clips[4]["source_range"]["start_time"]["value"].get<double>(), 40.0);
        // there, back, there: the turning frame once
        QCOMPARE(clips[6]["source_range"]["start_time"]["value"].get<double>(), 8.0);
        QCOMPARE(clips[6]["source_range"]["duration"]["value"].get<double>(), 6.0);
        // What a player of the clips shows, start + scalar · offset, is what the timing shows.
        double at = 1;
        const TimingPlan plan(t);
        for (const auto& c : clips) {
            if (c["OTIO_SCHEMA"] != "Clip.1") continue;
            const double scalar = c["effects"].empty() ? 1 : c["effects"][0]["time_scalar"].get<double>();
            const double start = c["source_range"]["start_time"]["value"],
                         frames = c["source_range"]["duration"]["value"];
            for (double f = 0; f < frames - (scalar == 0.5 ? 1 : 0); ++f) {
                QVERIFY(close(plan.at(OutputFrame(at + f)).source, start + scalar * f, 1e-9));
            }
            at += frames;
        }
        t.after.count = 2;
        QCOMPARE(otio_text(t, info)->clips, 21u);
        t.after.count = 1'000'000'000;
        QVERIFY(!otio_text(t, info));
        QVERIFY(!otio_text(timing_of("0:0 9:9"), info));
    }
    void damaged_curves_never_crash() {
        std::mt19937 random(77);
        const std::string good[] = {*curve_csv(timing_of("1:0 5:4 9:2")),
                                    curve_json(phrases_of("0-9+4 9-3@0.5 1<>5*3"), {24, 1}),
                                    curve_json(speeds_of("0:1| 20:0.2 30:-1", 5), {24, 1})};
        int read = 0;
        for (int round = 0; round < 9000; ++round) {
            std::string bad = good[round % 3];
            for (int wound = 0; wound < 1 + round % 4 && !bad.empty(); ++wound) {
                const std::size_t at = random() % bad.size();
                switch (random() % 4) {
                case 0: bad[at] = static_cast<char>(random()); break;
                case 1: bad.resize(at); break;
                case 2: bad.erase(at, 1 + random() % 9); break;
                default: bad.insert(at, bad.substr(random() % bad.size(), 12)); break;
                }
            }
            const auto curve = parse_curve(bad, "f");
            if (!curve) continue;
            ++read;
            QVERIFY(validate(curve->timing));
            TimingPlan(curve->timing).at(OutputFrame(3));
            QVERIFY(curve_csv(curve->timing) || span_length(curve->timing) > 1e5);
        }
        QVERIFY(read > 100);
    }
    void projects_carry_it_all() {
        Project p;
        add_source(p, "a", "a.ply", {0, 9, {24, 1}});
        p.timings[0] = phrases_of("0-9+4 9-3@0.5 1<>5*3", 4);
        p.timings[0].id = TimingId(2);
        p.timings[0].slider = parse_map("1:0 50:100");
        Timing speeds = speeds_of("0:1| 20:0.2 30:-1", 5);
        speeds.id = TimingId(p.next_id++);
        p.timings.push_back(speeds);
        p.settings.tempo = {true, 96, OutputFrame(3.5), 3};
        p.settings.markers = {{OutputFrame(4), "bridge"}, {OutputFrame(4), "drum"}};
        p.settings.camera_keys = {{OutputFrame(1), {V3d(1, 2, 3), 4, 5, 6, 50}, Toward::linear},
                                  {OutputFrame(9), {}, Toward::smooth}};
        p.arrangements[0].wobble.on = true;
        p.arrangements[0].wobble.end = WobbleEnd::settle;
        p.arrangements[0].wobble.settle_position = V3d(1, 2, 3);
        p.sources[0].import_settings.gaps = GapFix::blend;
        p.sources[0].import_settings.up = UpAxis::z;
        p.sources[0].import_settings.scale = 0.01;
        p.sources[0].wobble.on = p.sources[0].wobble.together = true;
        QVERIFY(validate(p));
        const auto back = parse_project(project_text(p), "p.garland");
        QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
        QCOMPARE(*back, p);
        QCOMPARE(project_text(*back), project_text(p));
        auto refused_project = [&](auto change) {
            Project bad = p;
            change(bad);
            const auto r = parse_project(project_text(bad), "p.garland");
            return r ? std::string("read") : r.error().message;
        };
        QVERIFY(refused_project([](Project& b) { b.settings.tempo.beats_per_minute = 0; }).find("tempo of 0") !=
                std::string::npos);
        QVERIFY(refused_project([](Project& b) { b.settings.camera_keys[1].at = OutputFrame(1); }).find("keys") !=
                std::string::npos);
        QVERIFY(refused_project([](Project& b) { b.arrangements[0].wobble.size = 3; }).find("wobble") !=
                std::string::npos);
        QVERIFY(refused_project([](Project& b) {
                    b.timings[0].phrases.list[0].passes = 1'000'000'000;
                }).find("passes") != std::string::npos);
        // Unknown fields inside the new parts' owner stay.
        auto j = nlohmann::ordered_json::parse(project_text(p));
        j["tempo"]["swing"] = 0.5;
        j["timings"][0]["mood"] = "slow";
        const auto kept = parse_project(j.dump(), "p.garland");
        QVERIFY(kept);
        QVERIFY(project_text(*kept).find("swing") != std::string::npos);
        QVERIFY(project_text(*kept).find("mood") != std::string::npos);
    }
};
GARLAND_TEST_CASE(CurveTest)
#include "curve_test.moc"
