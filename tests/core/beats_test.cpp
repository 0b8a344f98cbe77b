// Tempo, markers, boundaries against beats; what the readout says; what looks like a mistake in a map.
#include "support/case.h"
#include "support/notation.h"

#include "core/time/beats.h"
#include "core/time/time_words.h"
#include "support/patience.h"

#include <random>

using namespace garland;
using namespace garland::testing;
using enum OutsideMode;

namespace {
std::string words(const Timing& t, double at, double rate = 1) {
    return motion_words(TimingPlan(t), OutputFrame(at), rate);
}
std::string kinds(const Timing& t, double low, double high, double from, double to) {
    std::string text;
    for (const MapWarning& w :
         warnings_of(t, SourceFrame(low), SourceFrame(high), OutputFrame(from), OutputFrame(to))) {
        text += QString("%1 %2-%3; ").arg(to_text(w.kind)).arg(w.first.value).arg(w.last.value).toStdString();
    }
    return text;
}
} // namespace

class BeatsTest : public QObject {
    Q_OBJECT
  private slots:
    void beats_and_frames() {
        Tempo tempo{true, 96, OutputFrame(1), 4};
        QCOMPARE(frames_per_beat(tempo, {24, 1}), 15.0); // 24 · 60 / 96
        QCOMPARE(frames_per_beat(tempo, {25, 1}), 15.625);
        QVERIFY(close(frames_per_beat({true, 120, OutputFrame(0), 4}, {30000, 1001}), 14.985014985, 1e-9));
        QCOMPARE(beat_at(tempo, {24, 1}, OutputFrame(31)), 2.0);
        QCOMPARE(frame_of_beat(tempo, {24, 1}, 3).value, 46.0);
        QCOMPARE(nearest_beat(tempo, {24, 1}, OutputFrame(40)).value, 46.0);
        QCOMPARE(bar_words(tempo, {24, 1}, OutputFrame(1)), "bar 1 beat 1");
        QCOMPARE(bar_words(tempo, {24, 1}, OutputFrame(61)), "bar 2 beat 1");
        QCOMPARE(bar_words(tempo, {24, 1}, OutputFrame(67)), "bar 2 beat 1 + 0.4");
        QCOMPARE(bar_words(tempo, {24, 1}, OutputFrame(-14)), "bar 0 beat 4");
    }
    void boundaries_that_miss_their_beat() {
        const Tempo tempo{true, 96, OutputFrame(1), 4};
        const Timing t = phrases_of("0-14 15-15*13 16-46", 1); // ends at 16, 29, 60
        auto off = off_beats(t.phrases, false, tempo, {24, 1});
        QCOMPARE(off.size(), 2u);
        QCOMPARE(off[0].phrase, 1u);
        QCOMPARE(off[0].late(), -2.0);
        QCOMPARE(off[1].late(), -1.0);
        auto mended = stretched_to_beat(t.phrases, 1, false, tempo, {24, 1});
        QVERIFY(mended);
        QCOMPARE(boundaries(*mended, false)[2].value, 31.0);
        auto again = stretched_to_beat(*mended, 2, false, tempo, {24, 1});
        QVERIFY(again);
        QVERIFY(off_beats(*again, false, tempo, {24, 1}).empty());
        QVERIFY(!stretched_to_beat(t.phrases, 9, false, tempo, {24, 1}));
        // A short phrase ends on the first beat after its start, not before it.
        auto shortest = stretched_to_beat(phrases_of("0-14 3-3", 1).phrases, 1, false, tempo, {24, 1});
        QVERIFY(shortest);
        QCOMPARE(boundaries(*shortest, false)[2].value, 31.0);
    }
    void bad_tempos_are_refused() {
        auto message = [](Tempo t) {
            auto ok = validate(t);
            return ok ? std::string() : ok.error().message;
        };
        QCOMPARE(message({true, 96, OutputFrame(0), 4}), "");
        QVERIFY(message({true, 0, OutputFrame(0), 4}).find("tempo of 0") != std::string::npos);
        QVERIFY(!message({true, -20, OutputFrame(0), 4}).empty());
        QVERIFY(!message({true, std::nan(""), OutputFrame(0), 4}).empty());
        QVERIFY(!message({true, 96, OutputFrame(std::nan("")), 4}).empty());
        QVERIFY(!message({true, 96, OutputFrame(0), 0}).empty());
    }
    void snapping() {
        const Tempo tempo{true, 90, OutputFrame(1), 4}, off{false, 90, OutputFrame(1), 4}; // a beat is 16 frames
        const std::vector<Marker> markers{{OutputFrame(20.5), "bridge"}};
        auto to = [&](double t, const Tempo& with) {
            return snapped(OutputFrame(t), 0.75, markers, with, {24, 1}).value;
        };
        QCOMPARE(to(20.2, off), 20.5);
        QCOMPARE(to(12.3, off), 12.0);
        QCOMPARE(to(16.6, tempo), 17.0);
        QCOMPARE(snapped(OutputFrame(32.4), 0.75, {}, {true, 91, OutputFrame(1), 4}, {24, 1}).value,
                 1 + 2 * 24 * 60 / 91.0);
    }
    void words_for_holds() {
        const Timing t = timing_of("0:0 15:15 25:15 45:35");
        QCOMPARE(words(t, 21), "held at 15 for 10 frames, 4 left");
        QCOMPARE(words(t, 15), "held at 15 for 10 frames, 10 left");
        QCOMPARE(words(t, 25), "forward at 1.00×");
        QCOMPARE(words(t, 45), "held at 35 from here on");
        QCOMPARE(words(t, 60), "held at 35 from here on");
        QCOMPARE(words(t, -3), "held at 0, 3 frames left");
        QCOMPARE(words(timing_of("4:7"), 9), "held at 7 all the time");
        QCOMPARE(words(timing_of("0:3 10:3 20:3 30:9"), -5), "held at 3, 25 frames left");
        QCOMPARE(words(timing_of("0:3 10:3 20:3 30:9"), 12), "held at 3, 8 frames left");
        QCOMPARE(words(timing_of("0:0 10:9 20:9"), 12), "held at 9 from here on");
        // of a copy at double rate the same hold is half as long
        QCOMPARE(words(t, 21, 2), "held at 15 for 5 frames, 2 left");
    }
    void words_for_holds_in_repeats() {
        const Timing t = timing_of("0:0 5:5 15:5 20:10", repeat, repeat);
        QCOMPARE(words(t, 7), "held at 5 for 10 frames, 8 left");
        QCOMPARE(words(t, 7 + 21 * 3), "held at 5 for 10 frames, 8 left");
        QCOMPARE(QString::fromStdString(words(t, 20.5)),
                 "held at 10 for 1 frame, 0.5 left"); // the last frame of each pass
        const Timing back = timing_of("0:0 5:5 15:5 20:10", hold, there_and_back);
        QCOMPARE(words(back, 20 + 7), "held at 5 for 10 frames, 8 left");
        Timing counted = timing_of("0:0 10:10", hold, repeat, 2);
        QCOMPARE(words(counted, 500), "held at 10 from here on");
        const Timing phrases = phrases_of("1-14 15-15*10 16-40@0.5 40-1", 1, hold, repeat);
        QCOMPARE(words(phrases, 17), "held at 15 for 10 frames, 8 left");
    }
    void rests_reach_exactly_as_far_as_the_pose_stays() { // against plain sampling
        std::mt19937 random(71);
        std::uniform_int_distribution<int> step(1, 4), value(0, 2), mode(0, 4), count(0, 2), coin(0, 1);
        for (int round = 0; round < 400 / testing::patience; ++round) {
            Timing t = timing_of("0:0");
            t.map.keys.clear();
            const int keys = 1 + round % 5;
            for (int i = 0, at = 0; i < keys; ++i, at += step(random)) {
                t.map.keys.push_back(
                    {OutputFrame(at), SourceFrame(value(random)), coin(random) ? Toward::linear : Toward::step});
            }
            if (keys > 3 && coin(random)) t = phrases_of("0-2*2 2-2*3 1<>2*3", 0);
            t.before = {static_cast<OutsideMode>(mode(random)), count(random)};
            t.after = {static_cast<OutsideMode>(mode(random)), count(random)};
            t.last_is_first = coin(random) && t.form == TimingForm::positions;
            t.turn_twice = coin(random);
            const TimingPlan plan(t);
            auto at = [&](double x) { return plan.at(OutputFrame(x)); };
            for (double x = -20.125; x < 40; x += 0.25) {
                const auto rest = plan.rest_at(OutputFrame(x));
                const auto here = at(x);
                const bool still =
                    !here.absent && at(x + 0.05).source == here.source && at(x - 0.05).source == here.source;
                const QByteArray where = QString("round %1 at %2: %3, %4 %5 and %6 %7, rest %8 and %9")
                                             .arg(round)
                                             .arg(x)
                                             .arg(QString::fromStdString(map_text(t.map)))
                                             .arg(to_text(t.before.mode))
                                             .arg(t.before.count)
                                             .arg(to_text(t.after.mode))
                                             .arg(t.after.count)
                                             .arg(rest.passed)
                                             .arg(rest.left)
                                             .toUtf8();
                QVERIFY2(rest.held == still, where);
                if (!still) continue;
                double passed = 0, left = 0;
                while (left < 300 && at(x + left + 0.125).source == here.source && !at(x + left + 0.125).absent)
                    left += 0.125;
                while (passed < 300 && at(x - passed - 0.125).source == here.source && !at(x - passed - 0.125).absent)
                    passed += 0.125;
                // A look from outside is right to its own step; a pose for ever looks like 300 frames.
                QVERIFY2(left >= 300 ? rest.left >= 299 : std::abs(rest.left - left) <= 0.1251, where);
                QVERIFY2(passed >= 300 ? rest.passed >= 299 : std::abs(rest.passed - passed) <= 0.1251, where);
            }
        }
    }
    void words_for_motion() {
        QCOMPARE(words(timing_of("0:10 20:0"), 5), "backward at 0.50×, in-between poses");
        QCOMPARE(words(timing_of("0:0 20:40"), 5), "forward at 2.00×");
        QCOMPARE(words(timing_of("0:0 20:20"), 5.5), "forward at 1.00×, in-between poses");
        QCOMPARE(words(timing_of("0:0 20:20", absent, absent), 25), "nothing shown");
        QCOMPARE(words(timing_of("0:0 20:20", hold, run_on), 25), "forward at 1.00×");
        QCOMPARE(words(timing_of("0:0 20:20"), 5, 0.5), "forward at 0.50×, in-between poses");
        const std::string fade = words(phrases_of("0-9+4 30-39", 0), 12);
        QVERIFY2(fade.find("fading from 12 (50 %, 2 frames left)") != std::string::npos, fade.c_str());
    }
    void mistakes_in_a_map() {
        QCOMPARE(kinds(timing_of("0:0 50:50"), 0, 50, 0, 60), "");
        QCOMPARE(kinds(timing_of("0:0 50:50"), 0, 40, 0, 60), "clamped 41-60; ");
        QCOMPARE(kinds(timing_of("0:0 50:50", run_on, hold), 0, 50, -10, 60), "clamped -10--1; ");
        QCOMPARE(kinds(timing_of("0:0 20:20 24:18 50:44"), 0, 50, 0, 50), "backward 20-24; ");
        QCOMPARE(kinds(timing_of("0:50 50:0"), 0, 50, 0, 50), ""); // all of it backward is meant
        QCOMPARE(kinds(timing_of("0:0 20:20| 21:40 40:59"), 0, 60, 0, 40), "jump 20-21; ");
        QCOMPARE(kinds(timing_of("0:0| 2:2| 4:4| 6:6"), 0, 60, 0, 6), ""); // stepped motion is no jump
        QCOMPARE(kinds(speeds_of("0:1| 20:-1| 25:1| 60:1|"), 0, 60, 0, 60), "backward 20-25; ");
        QCOMPARE(kinds(phrases_of("0-9 30-39", 0), 0, 60, 0, 20), "jump 9-10; ");
        QCOMPARE(kinds(phrases_of("0-9+4 30-39", 0), 0, 60, 0, 20), "");
        QCOMPARE(kinds(phrases_of("0-9 9-0", 0), 0, 60, 0, 20), "");
    }
};
GARLAND_TEST_CASE(BeatsTest)
#include "beats_test.moc"
