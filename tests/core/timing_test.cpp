// Before and after, and the frame counts of docs/time.md (common practice, no source, unless named).
#include "support/case.h"
#include "support/notation.h"

using namespace garland;
using namespace garland::testing;
using enum OutsideMode;

class TimingTest : public QObject {
    Q_OBJECT
  private slots:
    void hold_and_absent() {
        QCOMPARE(shown(timing_of("0:5 2:7"), -2, 4), "5 5 5 6 7 7 7");
        QCOMPARE(shown(timing_of("0:5 2:7", absent, absent), -2, 4), "- - 5 6 7 - -");
    }
    void repeat_has_the_period_of_its_frames() { // 0 … 180 → 181
        const Timing t = timing_of("0:0 180:180", hold, repeat);
        QCOMPARE(pass_length(t, repeat), 181.0);
        QCOMPARE(source_at(t, 180), 180.0);
        QCOMPARE(source_at(t, 181), 0.0);
        QCOMPARE(source_at(t, 181 + 77), 77.0);
        QCOMPARE(source_at(t, 181.0 * 5000 + 3.25), 3.25);
    }
    void a_shared_end_makes_it_one_shorter() {
        Timing t = timing_of("0:0 180:180", hold, repeat);
        t.last_is_first = true;
        QCOMPARE(pass_length(t, repeat), 180.0);
        QCOMPARE(source_at(t, 180), 0.0);
        QCOMPARE(source_at(t, 179.5), 179.5);
    }
    void repeats_at_negative_times() {
        QCOMPARE(shown(timing_of("0:0 3:3", repeat, repeat), -6, 9), "2 3 0 1 2 3 0 1 2 3 0 1 2 3 0 1");
    }
    void there_and_back_shows_the_turn_once() {
        // Frames 1 … 15: two passes last 29 frames; endless, the period is 28.
        const Timing t = timing_of("1:1 15:15", hold, there_and_back);
        QCOMPARE(pass_length(t, there_and_back), 14.0);
        QCOMPARE(shown(t, 1, 29), "1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 14 13 12 11 10 9 8 7 6 5 4 3 2 1");
        QCOMPARE(source_at(t, 30), 2.0);
        for (double f : {1.0, 7.25, 15.0, 20.5}) QCOMPARE(source_at(t, f), source_at(t, f + 28));
    }
    void there_and_back_can_show_the_turn_twice() {
        Timing t = timing_of("1:1 4:4", hold, there_and_back);
        t.turn_twice = true; // period 2(b − a + 1) = 8
        QCOMPARE(shown(t, 1, 17), "1 2 3 4 4 3 2 1 1 2 3 4 4 3 2 1 1");
    }
    void there_and_back_before_the_span() {
        QCOMPARE(shown(timing_of("0:0 3:3", there_and_back, hold), -7, 0), "1 0 1 2 3 2 1 0");
    }
    void counts_end_in_a_hold_of_the_far_end() {
        QCOMPARE(shown(timing_of("0:0 2:2", hold, repeat, 2), 0, 12), "0 1 2 0 1 2 0 1 2 2 2 2 2");
        QCOMPARE(shown(timing_of("0:0 2:2", hold, there_and_back, 1), 0, 6), "0 1 2 1 0 0 0");
        QCOMPARE(shown(timing_of("0:0 2:2", hold, there_and_back, 2), 0, 8), "0 1 2 1 0 1 2 2 2");
        QCOMPARE(shown(timing_of("0:0 2:2", repeat, hold, 1), -6, 0), "0 0 0 0 1 2 0");
        QCOMPARE(shown(timing_of("0:0 2:2", there_and_back, hold, 1), -5, 0), "2 2 2 2 1 0");
    }
    void run_on_keeps_the_end_slope() {
        const Timing t = timing_of("0:0 4:2 6:6", run_on, run_on);
        QCOMPARE(source_at(t, -2), -1.0);
        QCOMPARE(source_at(t, 8), 10.0);
        QCOMPARE(slope_at(t, 8), 2.0);
        QCOMPARE(shown(timing_of("3:7", run_on, run_on), 0, 5), "7 7 7 7 7 7");
    }
    void local_speed_is_zero_in_holds_and_negative_backward() {
        const Timing t = timing_of("0:0 10:10 20:10 30:30", hold, there_and_back);
        QCOMPARE(slope_at(t, 5), 1.0);
        QCOMPARE(slope_at(t, 15), 0.0);
        QCOMPARE(slope_at(t, 10), 0.0); // from the key on it holds
        QCOMPARE(slope_at(t, 25), 2.0);
        QCOMPARE(slope_at(t, 30), -2.0); // at the turn it is already on its way back
        QCOMPARE(slope_at(t, 35), -2.0);
        QCOMPARE(slope_at(t, 40), 0.0); // backward into the hold
        QCOMPARE(slope_at(t, 55), -1.0);
        QCOMPARE(slope_at(timing_of("0:0 10:10"), 10), 0.0);
        QCOMPARE(slope_at(timing_of("0:0 10:10"), 99), 0.0);
    }
    void slope_is_the_derivative() {
        const Timing t = timing_of("0:0~ 9:12~ 20:3 33:40", repeat, there_and_back);
        const double h = 1e-6;
        for (double f = -60.13; f < 120; f += 0.71) {
            const double a = source_at(t, f - h), b = source_at(t, f + h);
            if (std::abs(b - a) > 1) continue; // across a wrap
            QVERIFY(close(slope_at(t, f), (b - a) / (2 * h), 2e-4));
        }
    }
    // Exact multiples of an awkward period wrap to the very start: the trap of fused multiply-add.
    void wraps_stay_in_range() {
        Timing t = timing_of("0:0 29.97:100", repeat, repeat);
        t.last_is_first = true;
        const TimingPlan plan(t);
        for (int n = -20000; n < 20000; ++n) {
            const TimingSample s = plan.at(OutputFrame(n * 29.97));
            QVERIFY(s.source >= 0 && s.source < 100);
            QVERIFY(s.source == 0);
        }
    }
    void passes_are_counted() {
        const Timing t = timing_of("0:0 9:9", repeat, repeat);
        const TimingPlan plan(t);
        QCOMPARE(plan.at(OutputFrame(5)).pass, 0);
        QCOMPARE(plan.at(OutputFrame(10)).pass, 1);
        QCOMPARE(plan.at(OutputFrame(35)).pass, 3);
        QCOMPARE(plan.at(OutputFrame(-1)).pass, -1);
        QCOMPARE(static_cast<int>(plan.at(OutputFrame(-1)).part), static_cast<int>(Part::before));
    }
};
GARLAND_TEST_CASE(TimingTest)
#include "timing_test.moc"
