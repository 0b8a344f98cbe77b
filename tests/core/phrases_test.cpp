// Phrases: their frame counts (common practice, no source, as docs/time.md states them), what they show, cross-fades.
#include "support/case.h"
#include "support/notation.h"

#include "core/time/conversions.h"

using namespace garland;
using namespace garland::testing;
using enum OutsideMode;

namespace {
double length(const std::string& text, bool twice = false) {
    return length_of(phrases_of(text).phrases, twice);
}
std::string refused(Timing t) {
    const auto ok = validate(t);
    return ok ? std::string() : ok.error().message;
}
} // namespace

class PhrasesTest : public QObject {
    Q_OBJECT
  private slots:
    void frame_counts() {
        QCOMPARE(length("0-180"), 181.0);
        QCOMPARE(length("180-0*3"), 543.0);
        QCOMPARE(length("1<>15*2"), 29.0); // 1 … 15, 14 … 1
        QCOMPARE(length("1<>15"), 15.0);
        QCOMPARE(length("1<>15*3"), 43.0);
        QCOMPARE(length("1<>15*2", true), 30.0);
        QCOMPARE(length("15-15*10"), 10.0); // a hold
        QCOMPARE(length("0-99@0.25"), 400.0);
        QCOMPARE(length("0-9 9-0 4-4*6"), 26.0);
    }
    void one_after_another() {
        const Timing t = phrases_of("0-3 3-3*2 9-7 1<>3*3", 10);
        QCOMPARE(shown(t, 9, 26), "0 0 1 2 3 3 3 9 8 7 1 2 3 2 1 2 3 3");
        const auto ends = boundaries(t.phrases, false);
        QCOMPARE(ends.size(), 5u);
        QCOMPARE(ends[1].value, 14.0);
        QCOMPARE(ends[4].value, 26.0);
        QCOMPARE(span_first(t).value, 10.0);
        QCOMPARE(span_length(t), 16.0);
    }
    void turns_shown_twice() {
        Timing t = phrases_of("1<>3*3", 0);
        t.turn_twice = true;
        QCOMPARE(shown(t, 0, 8), "1 2 3 3 2 1 1 2 3");
    }
    void speeds_make_poses_between() {
        QCOMPARE(shown(phrases_of("0-2@0.5", 0), 0, 6),
                 "0 0.5 1 1.5 2 2 2"); // the last frame lasts as long as the others
        QCOMPARE(shown(phrases_of("0-8@2", 0), 0, 5), "0 2 4 6 8 8");
    }
    void joined_ranges_run_through() { // 0 … 4 at full speed, then 5 … at half: no pose stands still at the boundary
        const Timing t = phrases_of("0-4 5-7@0.5", 0);
        QCOMPARE(shown(t, 3, 8), "3 4 5 5.5 6 6.5");
        QVERIFY(close(source_at(t, 4.5), 4.5, 1e-12));
        QVERIFY(close(slope_at(t, 4.5), 1, 1e-12));
    }
    void the_list_repeats() {
        const Timing t = phrases_of("0-2 2-2*2", 0, hold, repeat);
        QCOMPARE(pass_length(t, repeat), 5.0);
        QCOMPARE(shown(t, 0, 12), "0 1 2 2 2 0 1 2 2 2 0 1 2");
        Timing twice = t;
        twice.after.count = 1;
        QCOMPARE(shown(twice, 4, 12), "2 0 1 2 2 2 2 2 2");
        Timing both = phrases_of("0-2", 0, repeat, repeat);
        QCOMPARE(shown(both, -4, 4), "2 0 1 2 0 1 2 0 1");
    }
    void there_and_back_over_a_list() {
        QCOMPARE(shown(phrases_of("0-3", 0, there_and_back, there_and_back), -4, 8), "2 3 2 1 0 1 2 3 2 1 0 1 2");
        QCOMPARE(shown(phrases_of("0-3", 0, absent, absent), -1, 4), "- 0 1 2 3 -");
        QCOMPARE(shown(phrases_of("0-3@0.5 5-3", 2, run_on, run_on), 0, 15),
                 "-1 -0.5 0 0.5 1 1.5 2 2.5 3 3 5 4 3 2 1 0");
    }
    void the_afternoon() { // hold the pose at 15 for ten frames, on slower, then backward to where it began, for ever
        const Timing t = phrases_of("1-14 15-15*10 16-40@0.5 40-1", 1, hold, repeat);
        QCOMPARE(source_at(t, 15), 15.0);
        QCOMPARE(source_at(t, 24), 15.0);
        QCOMPARE(source_at(t, 25), 16.0);
        QCOMPARE(source_at(t, 26), 16.5);
        QCOMPARE(source_at(t, 75), 40.0);
        QCOMPARE(slope_at(t, 80), -1.0);
        QCOMPARE(source_at(t, 114), 1.0);
        QCOMPARE(source_at(t, 115), 1.0); // again from the start
        QCOMPARE(source_at(t, 116), 2.0);
    }
    void to_keys_shows_the_same_frames() {
        for (const char* text : {"0-3 3-3*2 9-7 1<>3*3", "0-4 5-7@0.5", "5-5*4 0-9@0.3 20-11@4", "1<>15*4", "7-7"}) {
            for (auto mode : {hold, repeat, there_and_back}) {
                const Timing t = phrases_of(text, 3, mode, mode);
                const auto keys = to_positions(t);
                QVERIFY(keys);
                QCOMPARE(keys->words, "exact");
                const double end = std::ceil(span_first(t).value + span_length(t)) - 1;
                for (double f = 3; f <= end; f += 0.125)
                    QVERIFY(close(source_at(keys->timing, f), source_at(t, f), 1e-9));
                for (int f = -40; f < 80; ++f) QVERIFY(close(source_at(keys->timing, f), source_at(t, f), 1e-9));
                const auto speeds = to_speeds(t);
                QVERIFY(speeds);
                const TimingPlan plan(speeds->timing);
                for (int f = 3; f <= end; ++f) QVERIFY(close(plan.at(OutputFrame(f)).source, source_at(t, f), 1e-6));
            }
        }
    }
    void a_fade_mixes_the_old_phrase_in() {
        const Timing t = phrases_of("0-9+4 30-39", 0);
        const TimingPlan plan(t);
        QVERIFY(plan.fades());
        QCOMPARE(plan.fading(OutputFrame(9)).weight, 0.0);
        const auto start = plan.fading(OutputFrame(10)), half = plan.fading(OutputFrame(12));
        QCOMPARE(start.weight, 1.0); // where it begins the old phrase goes on without a jump
        QCOMPARE(start.source, 10.0);
        QCOMPARE(half.weight, 0.5);
        QCOMPARE(half.source, 12.0);
        QCOMPARE(half.slope, 1.0);
        QCOMPARE(half.left, 2.0);
        QVERIFY(close(half.weight_slope, -1.5 / 4, 1e-12)); // d/dx of 3x² − 2x³ at ½ is 1.5
        QCOMPARE(plan.fading(OutputFrame(14)).weight, 0.0);
        QCOMPARE(source_at(t, 12), 32.0); // the new phrase is not moved by it
        // weights agree with their slope everywhere
        for (double f = 10.1; f < 13.9; f += 0.1) {
            const double d =
                (plan.fading(OutputFrame(f + 1e-5)).weight - plan.fading(OutputFrame(f - 1e-5)).weight) / 2e-5;
            QVERIFY(close(d, plan.fading(OutputFrame(f)).weight_slope, 1e-6));
        }
        const auto keys = to_positions(t);
        QVERIFY(keys && keys->lost_fades);
        QVERIFY(keys->words.find("cross-fades are gone") != std::string::npos);
    }
    void the_last_fade_leads_into_the_repeat() {
        const TimingPlan plan(phrases_of("0-9 9-0+4", 0, hold, repeat));
        QCOMPARE(plan.fading(OutputFrame(2)).weight, 0.0); // nothing has come before
        QCOMPARE(plan.fading(OutputFrame(22)).weight, 0.5);
        QCOMPARE(plan.fading(OutputFrame(22)).source, -3.0);
    }
    void bad_phrases_are_refused() {
        Timing t = phrases_of("0-9");
        t.phrases.list[0].first = SourceFrame(12);
        QVERIFY(refused(t).find("phrase 1 ends (at 9) before it starts (at 12)") != std::string::npos);
        t = phrases_of("0-9 3-4*0");
        QVERIFY(refused(t).find("phrase 2 has no pass") != std::string::npos);
        QVERIFY(refused(phrases_of("0-9*1000000000")).find("1000000 passes") != std::string::npos);
        QVERIFY(!refused(phrases_of("0-9@0")).empty());
        QVERIFY(!refused(phrases_of("")).empty());
        t = phrases_of("0-9");
        t.phrases.list[0].fade = -1;
        QVERIFY(!refused(t).empty());
        t.phrases.list[0].fade = std::nan("");
        QVERIFY(!refused(t).empty());
        QVERIFY(refused(phrases_of("0-9000000@0.0001")).find("last more than") != std::string::npos);
        t = phrases_of("0-9", 1, hold, repeat);
        t.after.count = 1'000'000'001;
        QVERIFY(!refused(t).empty());
        t.after.count = 1'000'000'000; // allowed: nothing is unrolled
        QCOMPARE(refused(t), "");
        QCOMPARE(source_at(t, 10 * 5e8 + 4), 3.0);
    }
    void the_slider_plays_the_whole() {
        Timing t = timing_of("0:0 50:50 60:50 100:90", hold, hold);
        t.slider = parse_map("1:0 11:100 21:0");
        QCOMPARE(span_first(t).value, 1.0);
        QCOMPARE(span_length(t), 20.0);
        QCOMPARE(source_at(t, -5), 0.0);
        QCOMPARE(source_at(t, 6), 50.0); // 50 % is output frame 50 of the map
        QCOMPARE(source_at(t, 11), 90.0);
        QCOMPARE(source_at(t, 16), 50.0);
        QCOMPARE(slope_at(t, 3), 10.0); // ten output frames play a hundred
        QCOMPARE(slope_at(t, 19), -10.0);
        t.after = {repeat, 0};
        t.last_is_first = true;
        QCOMPARE(source_at(t, 26), 50.0);
        t.slider->keys[1].source = SourceFrame(101);
        QVERIFY(refused(t).find("0 … 100") != std::string::npos || refused(t).find("100") != std::string::npos);
    }
};
GARLAND_TEST_CASE(PhrasesTest)
#include "phrases_test.moc"
