// garland-cli edit and curve: every change once, good and bad, on the demo; what the trace then says.
#include "cli/running.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "core/project/timings.h"
#include "io/project/project_file.h"
#include "io/tables/curve_file.h"

#include <nlohmann/json.hpp>

using namespace garland;
using namespace garland::testing;
using Json = nlohmann::json;

class EditTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString path_;

    Project project() const { return *load_project(path_.toStdString()); }
    Answer edit(const QStringList& words) const { return run(QStringList{"edit", path_} + words); }
    // What was done, or the error.
    QString did(const QStringList& words) const {
        const Answer a = edit(words);
        return a.code == 0 ? a.out.trimmed() : QString("error %1: ").arg(a.code) + a.err.trimmed();
    }
    double source(double t) const { return source_at(project().timings[0], t); }

  private slots:
    void init() {
        const Project plain = [] {
            Project p;
            add_source(p, "lantern", "lantern.0000.ply", {0, 95, {24, 1}});
            p.timings[0].map = parse_map("0:0 60:60");
            return p;
        }();
        path_ = QString::fromStdString(folder_ / "p.garland");
        QVERIFY(save_project(path_.toStdString(), plain, Existing::replace));
    }
    void the_afternoon() { // hold 15 for ten frames while the camera goes round, slower and slower, and back, for ever
        QCOMPARE(did({"hold", "--at", "15", "--frames", "10"}),
                 "Hold source frame 15 for 10 frames at output frame 15 (timing \"lantern\")");
        QCOMPARE(did({"camera-move", "--range", "15:25", "--turn", "360", "--toward", "linear"}),
                 "Move the camera between output frames 15 and 25");
        QVERIFY(did({"ramp", "--range", "30:70", "--to-speed", "0.25"}).startsWith("Ramp from full speed to 0.25×"));
        QVERIFY(did({"trim", "--range", "0:70"}).startsWith("Keep only output frames 0 to 70"));
        QCOMPARE(did({"before-after", "--after", "there-and-back"}), "After: there-and-back (timing \"lantern\")");
        QVERIFY(did({"tempo", "--beats-per-minute", "96"}).endsWith("15 output frames a beat"));
        QCOMPARE(source(20), 15.0);
        QVERIFY(close(source(70), 45, 1e-9));
        QVERIFY(close(source(140), 0, 1e-9));
        QVERIFY(close(source(140 + 20), 15, 1e-9));
        const Project p = project();
        QCOMPARE(CameraPlan(p.settings.camera_keys, p.settings.camera).at(OutputFrame(20)).azimuth, 30.0 + 180);
        QCOMPARE(p.settings.tempo.beats_per_minute, 96.0);
    }
    void every_operation() {
        QVERIFY(did({"hold", "--at", "15", "--frames", "10", "--keep-end"}).contains("the end stays at 60"));
        QCOMPARE(source(60), 60.0);
        QVERIFY(did({"freeze", "--at", "40"}).startsWith("Freeze source frame"));
        QVERIFY(did({"reverse"}).startsWith("Reverse the timing"));
        QVERIFY(did({"reverse", "--range", "10:20"}).startsWith("Reverse output frames 10 to 20"));
        QVERIFY(did({"fit", "--source-range", "0:25", "--range", "0:100"}).contains("at 0.25×"));
        QCOMPARE(source(50.1), 12.525);
        QVERIFY(did({"speed", "--speed", "2"}).contains("2× its speed"));
        QVERIFY(did({"speed", "--speed", "0.5", "--range", "0:10"}).contains("output frames 0 to 10"));
        QVERIFY(did({"start", "--at", "12"}).startsWith("Hold the first pose until output frame 12"));
        QVERIFY(did({"fit", "--source-range", "0:44", "--range", "0:44"}).contains("at 1×"));
        QVERIFY(did({"slow", "--speed", "0.2", "--range", "21:90", "--ramps", "1"}).startsWith("Slow to 0.2×"));
        QVERIFY(close(source(21), 20.6, 1e-9) && close(source(91), 35, 1e-9) && close(source(100), 44, 1e-9));
    }
    void over_a_repeat_inside_and_beyond_the_end() {
        QVERIFY(did({"settings", "--range", "0:200"}).startsWith("Set"));
        QVERIFY(did({"before-after", "--before", "repeat", "--after", "repeat"}).contains("repeat"));
        const double before = source(100); // in the second pass
        QVERIFY(did({"hold", "--at", "100", "--frames", "10"})
                    .contains("3 passes of the repeat were written out as keys, output frames 0 to 243"));
        for (int f : {100, 105, 110}) QCOMPARE(source(f), before);
        QCOMPARE(source(39), 39.0); // the same place of the first pass goes on
        QCOMPARE(source(40), 40.0);
        QVERIFY(did({"fit", "--source-range", "0:60", "--range", "0:60"}).contains("at 1×"));
        QVERIFY(did({"hide-between", "--range", "10:19"}).startsWith("Hide output frames 10 to 19"));
        const TimingPlan plan(project().timings[0]);
        for (int f = 5; f < 25; ++f) QCOMPARE(plan.at(OutputFrame(f)).absent, f >= 10 && f <= 19);
        QVERIFY(did({"before-after", "--before", "hold", "--after", "hold"}).contains("hold"));
        QVERIFY(did({"hide-between", "--range", "50:90"})
                    .contains("output frames 50 to 90 cannot be hidden: the timing spans 0 to 60"));
        QVERIFY(did({"form", "--to", "speeds"}).contains("hidden from output frame 10"));
        QVERIFY(
            did({"key", "--at", "30", "--source-frame", "30", "--toward", "hidden"}).startsWith("Key source frame 30"));
        QCOMPARE(project().timings[0].map.keys[3].toward, Toward::hidden); // and it is read again as it was written
    }
    void keys_and_forms() {
        QCOMPARE(did({"key", "--at", "30", "--source-frame", "12", "--toward", "smooth"}),
                 "Key source frame 12 at output frame 30 (timing \"lantern\")");
        QCOMPARE(source(30), 12.0);
        QVERIFY(did({"form", "--to", "speeds"}).contains("within"));
        QVERIFY(did({"key", "--at", "5", "--source-frame", "3"}).contains("this timing has speed keys"));
        QVERIFY(did({"key", "--at", "5", "--speed", "0.5"}).startsWith("Key speed 0.5× at output frame 5"));
        QVERIFY(did({"remove-key", "--at", "5"}).startsWith("Remove the key"));
        QVERIFY(did({"remove-key", "--at", "5"}).startsWith("error 1: "));
        QVERIFY(did({"form", "--to", "positions"}).contains("exact"));
        QVERIFY(did({"key", "--at", "5"}).startsWith("error 2: "));
        QVERIFY(did({"key", "--at", "5", "--source-frame", "nan"}).startsWith("error"));
        QVERIFY(did({"form", "--to", "clay"}).contains("write one of \"positions\", \"speeds\""));
    }
    void phrases_and_beats() {
        QCOMPARE(did({"phrases", "--start", "1", "--phrase", "1:14", "--phrase", "15:15 passes 10", "--phrase",
                      "16:40 speed 0.5 fade 6", "--phrase", "40:1", "--phrase", "3:9 there-and-back passes 3"}),
                 "Play 5 phrases (timing \"lantern\")\n133 frames from output frame 1");
        QCOMPARE(source(24), 15.0);
        QCOMPARE(project().timings[0].phrases.list[2].fade, 6.0);
        did({"tempo", "--beats-per-minute", "96"});
        QCOMPARE(did({"to-beat", "--phrase", "1"}),
                 "Stretch phrase 1 to the beat (timing \"lantern\")\nit now ends at output frame 16");
        QVERIFY(did({"to-beat", "--phrase", "9"}).contains("there is no phrase 9"));
        QVERIFY(did({"phrases", "--phrase", "9:3 backward passes 0"}).contains("no pass"));
        QVERIFY(did({"phrases", "--phrase", "9:x"}).contains("write two numbers"));
        QVERIFY(did({"phrases", "--phrase", "1:9 sideways 3"}).contains("\"sideways\""));
        QVERIFY(did({"phrases", "--phrase", "1:9 passes 1000000000"}).contains("1000000 passes"));
        QVERIFY(did({"tempo", "--beats-per-minute", "0"}).contains("tempo of 0"));
        QVERIFY(did({"before-after", "--after", "repeat:1000000000"}).startsWith("After: repeat:1000000000"));
        QVERIFY(did({"before-after", "--after", "repeat:10000000000"}).startsWith("error 1"));
        QVERIFY(did({"before-after", "--before", "continue", "--turn-twice", "on", "--last-is-first", "off"})
                    .startsWith("Before: continue"));
        QVERIFY(did({"before-after"}).contains("nothing to change"));
    }
    void slider_markers_names() {
        QVERIFY(did({"slider", "--keys", "1:0 31:100"}).startsWith("Play it with a slider of 2 keys"));
        QCOMPARE(source(16), 30.0);
        QVERIFY(did({"slider", "--keys", "1:0 31:101"}).startsWith("error 1"));
        QVERIFY(did({"hold", "--at", "16", "--frames", "4"}).contains("on the slider"));
        QVERIFY(did({"slider", "--off"}).startsWith("Remove the slider"));
        QVERIFY(did({"marker", "--at", "12", "--name", "bridge"}).startsWith("Marker \"bridge\""));
        QVERIFY(did({"marker", "--at", "12", "--remove"}).startsWith("Remove the marker"));
        QVERIFY(did({"marker", "--at", "12", "--remove"}).startsWith("error 1"));
        QVERIFY(did({"rename", "--name", "sway"}).startsWith("Name the timing"));
        QCOMPARE(project().timings[0].name, "sway");
    }
    void sharing() {
        Project p = project();
        add_source(p, "reed", "r.ply", {0, 9, {24, 1}});
        QVERIFY(save_project(path_.toStdString(), p, Existing::replace));
        QVERIFY(did({"hold", "--at", "3", "--frames", "2"})
                    .contains("which timing? There are \"lantern\" (2), \"reed\" (5)"));
        QVERIFY(did({"use-timing", "--arrangement", "reed", "--timing", "lantern"}).endsWith("2 users now"));
        QVERIFY(did({"remove-timing", "--timing", "reed"}).startsWith("Remove the timing"));
        QVERIFY(did({"make-independent", "--arrangement", "reed"}).contains("gets a timing of its own, \"reed\""));
        QVERIFY(did({"hold", "--at", "3", "--frames", "2", "--timing", "reed"}).startsWith("Hold"));
        QVERIFY(did({"make-independent", "--arrangement", "reed"}).contains("already has its timing to itself"));
        const Project now = project();
        QVERIFY(now.timings[0].map == p.timings[0].map); // retiming one leaves the others
        QVERIFY(did({"use-timing", "--arrangement", "boat", "--timing", "reed"})
                    .contains("there is no arrangement \"boat\""));
    }
    void camera_and_wobble() {
        QVERIFY(did({"camera-key", "--at", "10", "--target", "1,2,3", "--distance", "5"}).startsWith("Camera key"));
        QCOMPARE(project().settings.camera_keys[0].camera.target, V3d(1, 2, 3));
        QVERIFY(did({"camera-key", "--at", "10", "--target", "1,2"}).contains("write three numbers"));
        QVERIFY(did({"camera-key", "--at", "10", "--field-of-view", "0"}).contains("field of view"));
        QVERIFY(did({"camera-move", "--range", "9:3", "--turn", "90"}).contains("ends before it starts"));
        QVERIFY(did({"camera-move", "--range", "10:30", "--turn", "90", "--dolly", "0.5", "--rise", "10"})
                    .startsWith("Move"));
        QCOMPARE(project().settings.camera_keys.size(), 2u);
        const Json camera = Json::parse(run({"camera", path_, "--frames", "10:30:10", "--json"}).out.toStdString());
        QCOMPARE(camera["camera"].size(), 3u);
        QCOMPARE(camera["camera"][0]["distance"].get<double>(), 5.0);
        QCOMPARE(camera["camera"][2]["distance"].get<double>(), 2.5);
        QVERIFY(run({"camera", path_, "--frames", "10:20"}).out.startsWith("output_frame,target_x"));
        QVERIFY(did({"camera-key", "--at", "11", "--remove"}).contains("name one that is there: 10, 30"));
        QVERIFY(did({"camera-key", "--at", "10", "--remove"}).startsWith("Remove the camera key"));
        QVERIFY(did({"camera-clear"}).startsWith("Remove all camera keys"));
        QVERIFY(project().settings.camera_keys.empty());
        QVERIFY(
            did({"wobble", "--place", "0.2", "--turn", "5", "--end", "settle", "--at", "80", "--settle-place", "0,1,0"})
                .startsWith("Wobble"));
        QCOMPARE(project().arrangements[0].wobble.settle_position, V3d(0, 1, 0));
        QVERIFY(did({"wobble", "--source", "lantern", "--all-alike"}).startsWith("Wobble"));
        QVERIFY(project().sources[0].wobble.together);
        QVERIFY(did({"wobble", "--off"}).startsWith("Stop the wobble"));
        QCOMPARE(project().arrangements[0].wobble.turn, V3d(0, 5, 0)); // kept for the next time
        QVERIFY(did({"wobble", "--size", "2"}).contains("wobble"));
        QVERIFY(did({"wobble", "--end", "explode"}).contains("\"fade out\""));
    }
    void sources_are_taken_as_asked() {
        QCOMPARE(did({"source", "--up-axis", "z", "--scale", "0.01", "--between-frames", "smooth", "--missing-frames",
                      "blend", "--rate", "24000/1001"}),
                 "Take \"lantern\" with rate 24000/1001, between frames smooth, missing frames blend, up axis z, scale "
                 "0.01\nits "
                 "files are missing, so timings stay as they are");
        const SourceSpec s = project().sources[0];
        QVERIFY(s.import_settings.up == UpAxis::z && s.import_settings.scale == 0.01 &&
                s.import_settings.gaps == GapFix::blend && s.import_settings.how == SubFrame::smooth);
        QVERIFY(did({"source", "--scale", "0"}).contains("the scale of the source"));
        QVERIFY(did({"source", "--up-axis", "w"}).contains("write one of \"y\", \"z\""));
        QVERIFY(did({"source"}).contains("nothing to change"));
        QVERIFY(did({"source", "--match-by", "by chance"}).contains("frame for frame"));
    }
    void files_stay_where_they_should() {
        const std::string before = folder_.read("p.garland");
        QVERIFY(did({"hold", "--at", "3", "--frames", "2", "--dry-run"}).startsWith("would do: Hold"));
        QCOMPARE(folder_.read("p.garland"), before);
        QVERIFY(did({"hold", "--at", "3", "--frames", "0"}).contains("Unchanged: the project as it is"));
        QCOMPARE(folder_.read("p.garland"), before);
        const QString other = QString::fromStdString(folder_ / "other.garland");
        QVERIFY(did({"hold", "--at", "3", "--frames", "2", "--out", other}).startsWith("Hold"));
        QCOMPARE(folder_.read("p.garland"), before);
        QVERIFY(did({"hold", "--at", "3", "--frames", "2", "--out", other}).startsWith("error 1"));
        QVERIFY(did({"hold", "--at", "3", "--frames", "2", "--out", other, "--replace"}).startsWith("Hold"));
        const Answer a = edit({"hold", "--at", "3", "--frames", "2", "--json"});
        const Json j = Json::parse(a.out.toStdString());
        QCOMPARE(j["changed"].get<bool>(), true);
        QVERIFY(j["done"].get<std::string>().starts_with("Hold source frame 3"));
        QCOMPARE(run({"edit", path_}).code, 2);
        QCOMPARE(run({"edit", path_, "dance"}).code, 2);
        QCOMPARE(run({"edit", "/nowhere.garland", "reverse"}).code, 1);
    }
    void curves() {
        const QString csv = QString::fromStdString(folder_ / "c.csv"),
                      json = QString::fromStdString(folder_ / "c.json"),
                      otio = QString::fromStdString(folder_ / "c.otio");
        QCOMPARE(run({"curve", path_, "--out", csv}).code, 0);
        QCOMPARE(run({"curve", path_, "--out", csv}).code, 1); // there already
        QCOMPARE(run({"curve", path_, "--out", csv, "--replace"}).code, 0);
        QCOMPARE(run({"curve", path_, "--out", json}).code, 0);
        QCOMPARE(run({"curve", path_, "--out", otio}).code, 1); // no phrases
        folder_.write("mine.csv", "output_frame,source_frame\n1,0\n11,20\n21,0\n");
        QVERIFY(did({"curve", "--from", QString::fromStdString(folder_ / "mine.csv")}).contains("3 keys from 3 rows"));
        QCOMPARE(map_text(project().timings[0].map), "1:0 11:20 21:0");
        QVERIFY(did({"curve", "--from", json}).contains("2 keys"));
        QCOMPARE(map_text(project().timings[0].map), "0:0 60:60");
        folder_.write("comma.csv", "output_frame;source_frame\n1;0,5\n");
        QVERIFY(did({"curve", "--from", QString::fromStdString(folder_ / "comma.csv")})
                    .contains("line 2: \"0,5\" has a comma"));
        did({"phrases", "--phrase", "1:14", "--phrase", "15:15 passes 10"});
        const Answer clips = run({"curve", path_, "--out", otio});
        QVERIFY2(clips.out.contains("2 clips"), qPrintable(clips.err));
        QCOMPARE(Json::parse(folder_.read("c.otio"))["OTIO_SCHEMA"].get<std::string>(), "Timeline.1");
    }
};
GARLAND_TEST_CASE(EditTest)
#include "edit_test.moc"
