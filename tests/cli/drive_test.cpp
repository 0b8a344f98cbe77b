// garland-cli edit zone, play, pulse and sound: good and bad, and what trace, table, check and bake say of them.
#include "cli/running.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "io/files/series.h"
#include "io/files/sound_file.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

using namespace garland;
using namespace garland::testing;

class CliDriveTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString path_;

    Project project() const { return *load_project(path_.toStdString()); }
    QString did(const QStringList& words) const {
        const Answer a = run(QStringList{"edit", path_} + words);
        return a.code == 0 ? a.out.trimmed() : QString("error %1: ").arg(a.code) + a.err.trimmed();
    }
    nlohmann::json stage(int copy, const QString& frame, const std::string& name) const {
        const auto traced = run({"trace", path_, "--copy", QString::number(copy), "--frames", frame, "--json"}).json();
        for (const auto& one : traced["trace"]) {
            for (const auto& s : one["stages"]) {
                if (s["stage"] == name) return s;
            }
        }
        return {};
    }

  private slots:
    void initTestCase() {
        for (int f = 0; f < 20; ++f) {
            Pose pose;
            pose.points = {V3f(0, 0, 0), V3f(1, static_cast<float>(f) * 0.1f, 0), V3f(0, 0, 1)};
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
        p.settings.range = {1, 60};
        add_source(p, "leaf", "leaf.0000.ply", {0, 19, {24, 1}});
        p.arrangements[0].layout.count = 5;
        p.arrangements[0].layout.spacing = 2;
        path_ = q(folder_ / "p.garland");
        QVERIFY(save_project(path_.toStdString(), p, Existing::replace));
    }
    void a_zone_starts_copies_one_after_the_other() {
        QCOMPARE(did({"zone", "--add", "Glow", "--shape", "ball", "--size", "1,1,1", "--outer", "0", "--keys",
                      "1:-6,0,0 49:6,0,0"}),
                 "Add the zone \"Glow\": shape ball, size 1,1,1, outer 0\nball, 2 keys");
        QVERIFY(did({"play", "--by", "starts", "--zones", "Glow"}).startsWith("\"leaf\" plays by starts"));
        // 0.25 m a frame: copy 3 in the middle is entered when the ball's surface comes to it, half a metre before its
        // centre
        const auto s = stage(3, "40", "played by");
        QVERIFY(close(s["numbers"]["entered"].get<double>(), 25 - 2, 1e-6));
        QVERIFY(close(s["numbers"]["left"].get<double>(), 25 + 2, 1e-6));
        QVERIFY(close(s["numbers"]["run_time"].get<double>(), 40 - 23, 1e-6));
        QVERIFY(q(s["words"]).contains("entered at 23, left at 27"));
        QVERIFY(q(stage(5, "10", "played by")["words"]).contains("first entered at"));
        // the table shows the same source frames
        const Answer table = run({"table", path_, "--frames", "40:40"});
        QVERIFY2(table.out.contains("40,3,c03,leaf,leaf,17,1,1,0"), qPrintable(table.out));
        QVERIFY(run({"bake", path_, "--out", q(folder_ / "out"), "--frames", "38:40"}).code == 0);
        QCOMPARE(did({"zone", "--at", "25", "--place", "0,3,0"}), "Zone \"Glow\"\nball, 3 keys");
        QVERIFY(q(stage(3, "40", "played by")["words"]).contains("never entered"));
        const Answer found = run({"check", path_, "--json"});
        QVERIFY2(found.out.contains("never reached"), qPrintable(found.out));
        const QString apart = did({"pull-apart", "--dry-run"}); // each is started once and goes on
        QVERIFY2(!apart.startsWith("error"), qPrintable(apart));
        QVERIFY(did({"play", "--by", "speed", "--zones", "Glow"}).startsWith("\"leaf\" plays by speed"));
        QVERIFY(did({"pull-apart"}).contains("no delays can be worked out"));
        QVERIFY(did({"play", "--by", "starts", "--zones", "Glow"}).startsWith("\"leaf\" plays by starts"));
        QCOMPARE(did({"zone", "--at", "25", "--remove-key"}), "Zone \"Glow\"\nball, 2 keys");
        QCOMPARE(did({"zone", "--remove"}), "Remove the zone \"Glow\"");
        QCOMPARE(static_cast<int>(project().arrangements[0].play.by), static_cast<int>(PlayBy::clock));
    }
    void a_hard_edge_pops_and_check_offers_one_that_does_not() {
        did({"zone", "--add", "Wall", "--shape", "wall", "--outer", "0", "--keys", "1:0,0,-12 49:0,0,12"});
        did({"play", "--by", "level"});
        const auto report = run({"check", path_, "--json"}).json();
        bool popped = false;
        for (const auto& f : report["findings"]) {
            if (f["kind"] != "pop") continue;
            popped = true;
            // 0.5 m a frame through 19 source frames at no more than 8 a frame: 0.5 · 19 / 8 = 1.19 m, said as 1.2
            QVERIFY2(q(f["words"]).contains("makes 5 of 5 copies pop; with a soft edge of 1.2 m none would"),
                     qPrintable(q(f["words"])));
        }
        QVERIFY(popped);
        did({"zone", "--outer", "1.2"});
        const Answer after = run({"check", path_, "--json"});
        QVERIFY(!after.out.contains("pop") && !after.out.contains("too fast"));
        did({"zone", "--outer", "0.3"});
        QVERIFY(run({"check", path_, "--json"}).out.contains("the edge of 0.3 m of the zone"));
    }
    void pulses_lift_and_hide() {
        QCOMPARE(did({"pulse", "--add", "--start", "10", "--frames", "10", "--after", "there-and-back", "--passes", "2",
                      "--lift", "0,1,0", "--hides", "on"}),
                 "Add pulse 1 of \"leaf\": start 10, frames 10, after there-and-back, passes 2, lift 0,1,0, hides on");
        QVERIFY(run({"bake", path_, "--out", q(folder_ / "lifted"), "--frames", "20:20"}).code == 0);
        const auto mesh = read_ply(folder_ / "lifted/copies.0020.ply");
        QVERIFY(mesh);
        QVERIFY(close(static_cast<double>((*mesh)->points[0].y), 1, 1e-6));
        const Answer table = run({"table", path_, "--frames", "5:5"});
        QVERIFY(table.out.contains(",0,0,,,,\n")); // hidden
        QVERIFY(q(stage(1, "5", "shown")["words"]).contains("its pulse hides it"));
        QCOMPARE(did({"pulse", "--remove"}), "Remove pulse 1 of \"leaf\"");
        QVERIFY(did({"pulse", "--number", "3"}).contains("the arrangement has no pulse"));
        QVERIFY(did({"play", "--by", "level", "--level", "pulse", "--start", "10", "--frames", "20"})
                    .startsWith("\"leaf\" plays by level"));
        QVERIFY(close(stage(1, "20", "played by")["numbers"]["level"].get<double>(), 0.5, 1e-9));
    }
    void a_tune_plays_copies_band_by_band() {
        SoundSamples tone;
        tone.rate = 44100;
        for (int k = 0; k < 44100 * 2; ++k)
            tone.values.push_back(static_cast<float>(0.7 * std::sin(2 * M_PI * 400 * k / 44100.0)));
        QVERIFY(write_wav(folder_ / "tone.wav", tone));
        const QString said = did({"sound", "--add", "tune", "--file", q(folder_ / "tone.wav"), "--bands", "5", "--low",
                                  "100", "--high", "3200"});
        QVERIFY2(said.contains("1 channel at 44100 Hz, 2 s: output frames 1 to 49; 5 bands"), qPrintable(said));
        QVERIFY(did({"play", "--by", "level", "--sound", "tune"}).startsWith("\"leaf\" plays by level"));
        QVERIFY(stage(3, "20", "played by")["numbers"]["level"].get<double>() >
                0.9); // 400 … 800 Hz is its band's lower end
        QVERIFY(stage(5, "20", "played by")["numbers"]["level"].get<double>() < 0.3);
        QVERIFY(q(stage(2, "20", "played by")["words"]).contains("in band 2 (200 to 400 Hz)"));
        QCOMPARE(did({"sound", "--remove"}), "Remove the sound \"tune\"");
        SoundSamples bells; // two a second
        bells.rate = 44100;
        bells.values.resize(44100 * 12);
        for (std::size_t t = 4410; t + 900 < bells.values.size(); t += 22050)
            for (std::size_t k = 0; k < 900; ++k)
                bells.values[t + k] = static_cast<float>(std::exp(-static_cast<double>(k) / 160.0) *
                                                         std::sin(0.25 * static_cast<double>(k)));
        QVERIFY(write_wav(folder_ / "bells.wav", bells));
        const QString marked = did({"sound", "--add", "bells", "--file", q(folder_ / "bells.wav"), "--mark-beats"});
        QVERIFY2(marked.startsWith("Mark beats of \"bells\": "), qPrintable(marked));
        QVERIFY(!project().settings.markers.empty()); // a short range, and the tracker listens a while first
        QVERIFY(project().settings.markers[0].name.starts_with("beat "));
        QCOMPARE(static_cast<int>(project().arrangements[0].play.by), static_cast<int>(PlayBy::clock));
    }
    // Copies that ride are sensed where they are carried; zones that ride go where their particle or part goes.
    void copies_and_zones_that_ride() {
        for (int f = 0; f < 60; ++f) {
            Pose pose;
            for (int k = 0; k < 3; ++k)
                pose.points.emplace_back(0.25f * static_cast<float>(f) - static_cast<float>(k), 0.f, 0.f);
            QVERIFY(
                write_ply(folder_ / numbered("drift.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::replace));
        }
        QVERIFY(did({"gather", q(folder_ / "drift.0000.ply")}).contains("drift"));
        QVERIFY(did({"arrange", "--add", "afloat", "--source", "leaf", "--kind", "points", "--carrier", "drift"})
                    .contains("afloat"));
        did({"zone", "--add", "Gate", "--shape", "ball", "--size", "1,1,1", "--outer", "0", "--place", "3,0,0"});
        QVERIFY(
            did({"play", "--arrangement", "afloat", "--by", "starts", "--zones", "Gate"}).contains("plays by starts"));
        // leaf has five copies and drift one; point k is at 0.25·t − k and comes to the gate's edge at 2.5
        for (int k = 0; k < 3; ++k) {
            const auto s = stage(7 + k, "50", "played by");
            QVERIFY2(s.is_object() && close(s["numbers"]["entered"].get<double>(), 10 + 4 * k, 1e-6), s.dump().c_str());
            QVERIFY(close(s["numbers"]["left"].get<double>(), 14 + 4 * k, 1e-6));
        }
        // riding on the first point of what the copy of "drift" shows: at output frame t its frame t − 1
        did({"zone", "--add", "Rider", "--shape", "ball", "--size", "1,1,1", "--outer", "0", "--ride", "particle",
             "--ride-source", "drift", "--ride-particle", "0"});
        QVERIFY(
            did({"play", "--arrangement", "leaf", "--by", "starts", "--zones", "Rider"}).contains("plays by starts"));
        const auto ridden = stage(4, "50", "played by"); // the leaf at x = 2
        QVERIFY2(ridden.is_object() && close(ridden["numbers"]["entered"].get<double>(), 1 + 1.5 / 0.25, 1e-5),
                 ridden.dump().c_str());
        // a particle that is not there is said, and the zone stays where its keys are
        did({"zone", "--zone", "Rider", "--ride-particle", "77"});
        const Answer warned = run({"trace", path_, "--copy", "4", "--frames", "50"});
        QVERIFY2(warned.code == 0 && warned.err.contains("rides on particle 77, which is not there"),
                 qPrintable(warned.err));
    }
    void bad_input_is_refused_in_words() {
        const QByteArray before = QByteArray::fromStdString(folder_.read("p.garland"));
        QVERIFY(did({"zone", "--shape", "ball"}).contains("there are none yet"));
        QVERIFY(did({"play", "--by", "speed"}).contains("there is no zone that could play the copies"));
        QVERIFY(did({"zone", "--add", "z", "--size", "0,1,1"}).contains("use more than 0 m"));
        QVERIFY(did({"zone", "--add", "z", "--shape", "potato"}).contains("\"potato\" is not a shape of a zone"));
        QVERIFY(did({"zone", "--add", "z", "--inner", "2", "--outer", "1"}).contains("below the inner one"));
        QVERIFY(did({"zone", "--add", "z", "--keys", "5:0,0,0 2:1,0,0"}).contains("does not come after"));
        QVERIFY(did({"zone", "--add", "z", "--ride", "part"}).contains("no source that it rides on"));
        QVERIFY(did({"play", "--by", "level", "--from", "2"}).contains("0 to 100 %"));
        QVERIFY(
            did({"sound", "--add", "s", "--file", q(folder_ / "leaf.0000.ply")}).contains("no sound that can be read"));
        QVERIFY(did({"sound", "--add", "s", "--file", q(folder_ / "nowhere.wav")}).contains("does not exist"));
        QVERIFY(did({"sound", "--add", "s"}).contains("which file"));
        QCOMPARE(QByteArray::fromStdString(folder_.read("p.garland")), before);
    }
    void what_was_written_is_read_back() {
        did({"zone", "--add", "Tube", "--shape", "tube", "--path", "0,0,0 3,0,1 6,0,0", "--inverted", "on",
             "--response", "0:0 smooth 1:1", "--scale", "1.5", "--turn", "10,20,30"});
        did({"zone", "--add", "Rider", "--shape", "cylinder", "--ride", "path", "--path", "0,0,0 5,0,0", "--ride-first",
             "3", "--ride-last", "40"});
        did({"play", "--by", "starts", "--zones", "Tube,Rider", "--join", "product", "--threshold", "0.2", "--leaving",
             "fade-out", "--leaving-frames", "7", "--start-again", "on", "--hidden-before", "on", "--shortest", "3"});
        did({"pulse", "--add", "--size", "2", "--response", "0:0 0.5:1 1:0"});
        const Project p = project();
        const auto again = parse_project(project_text(p), "p.garland");
        QVERIFY(again && *again == p);
        QCOMPARE(p.zones.size(), std::size_t(2));
        QCOMPARE(static_cast<int>(p.arrangements[0].play.leaving), static_cast<int>(Leaving::fade_out));
        QCOMPARE(p.arrangements[0].play.level.zones.size(), std::size_t(2));
        QCOMPARE(p.zones[0].keys[0].turn, V3d(10, 20, 30));
        // entries of a project file that point nowhere, or are no numbers, are refused
        std::string text = project_text(p);
        const auto at = text.find("\"zones\": [");
        const std::string broken = text.replace(text.find_first_of("0123456789", at), 1, "9");
        QVERIFY(!parse_project(broken, "p.garland") || *parse_project(broken, "p.garland") != p);
    }
};
GARLAND_TEST_CASE(CliDriveTest)
#include "drive_test.moc"
