// What one does to a timing: TIME's worked numbers, and laws that hold for any map.
#include "support/case.h"
#include "support/notation.h"

#include "core/time/map_edits.h"
#include "core/time/operations.h"
#include "core/time/warp.h"

#include <limits>
#include <random>

using namespace garland;
using namespace garland::testing;
using enum OperationKind;

namespace {

Timing random_timing(std::mt19937& random) {
    std::uniform_int_distribution<int> step(2, 9), value(0, 60), kind(0, 3);
    std::uniform_real_distribution<double> slope(-2, 2);
    Timing t = timing_of("0:0");
    t.map.keys.clear();
    for (int i = 0, at = 0; i < 7; ++i, at += step(random)) {
        t.map.keys.push_back({OutputFrame(at), SourceFrame(value(random)), static_cast<Toward>(kind(random)),
                              slope(random), slope(random)});
    }
    return t;
}
Operation op(OperationKind kind) {
    Operation o;
    o.kind = kind;
    return o;
}
Operation op(OperationKind kind, double p, double q, double speed = 1, double frames = 0) {
    Operation o;
    o.kind = kind;
    o.range = OutputSpan{OutputFrame(p), OutputFrame(q)};
    o.speed = speed;
    o.frames = frames;
    return o;
}
Operation hold_for(double at, double frames, bool absorb = false) {
    Operation o;
    o.at = OutputFrame(at);
    o.frames = frames;
    o.absorb = absorb;
    return o;
}
std::string refused(const Timing& t, const Operation& o) {
    const auto r = operate(t, o);
    return r ? "done: " + r->words : r.error().message;
}

} // namespace

class OperationsTest : public QObject {
    Q_OBJECT
  private slots:
    void hold_pushes_or_absorbs() {
        const Timing t = timing_of("0:0 35:35");
        auto pushed = operate(t, hold_for(15, 10));
        QVERIFY(pushed);
        QCOMPARE(map_text(pushed->timing.map), "0:0 15:15 25:15 45:35");
        QCOMPARE(pushed->words, "Hold source frame 15 for 10 frames at output frame 15");
        auto absorbed = operate(t, hold_for(15, 10, true));
        QVERIFY(absorbed);
        QCOMPARE(map_text(absorbed->timing.map), "0:0 15:15 25:15 35:35");
        QCOMPARE(absorbed->words,
                 "Hold source frame 15 for 10 frames at output frame 15; the rest 2× as fast, the end stays at 35");
        QVERIFY(refused(t, hold_for(15, 20, true)).find("does not fit") != std::string::npos);
        QVERIFY(refused(t, hold_for(15, 0)).find("more than 0 frames") != std::string::npos);
        QVERIFY(refused(t, hold_for(std::nan(""), 3)).find("the output frame of the operation is not a number") !=
                std::string::npos);
    }
    void absorbing_keeps_curves() { // smooth stretches too: what follows is the same curve, faster
        std::mt19937 random(51);
        for (int round = 0; round < 100; ++round) {
            const Timing t = random_timing(random);
            const double end = t.map.last().value, at = std::floor(end / 3), n = 3;
            auto done = operate(t, hold_for(at, n, true));
            QVERIFY(done);
            QCOMPARE(done->timing.map.last().value, end);
            const double pace = (end - at) / (end - at - n);
            for (double f = 0; f <= at; f += 0.25) QVERIFY(close(source_at(done->timing, f), source_at(t, f), 1e-6));
            for (double f = at + n + 0.01; f < end - 0.01; f += 0.37) {
                // steps end at a key, give or take rounding: stay off them
                bool near_step = false;
                const double own = at + (f - at - n) * pace;
                for (const Key& k : t.map.keys) near_step |= std::abs(k.at.value - own) < 1e-6;
                if (!near_step) QVERIFY(close(source_at(done->timing, f), source_at(t, own), 1e-6));
            }
        }
    }
    void freeze_holds_from_there_on() {
        Timing t = timing_of("0:0 35:35", OutsideMode::hold, OutsideMode::repeat);
        Operation o = op(freeze);
        o.at = OutputFrame(12);
        const auto done = operate(t, o);
        QVERIFY(done);
        QCOMPARE(map_text(done->timing.map), "0:0 12:12");
        QCOMPARE(done->timing.after.mode, OutsideMode::hold);
        QCOMPARE(source_at(done->timing, 500), 12.0);
        QCOMPARE(done->words, "Freeze source frame 12 from output frame 12 on");
    }
    void reverse_twice_is_nothing() {
        std::mt19937 random(52);
        for (int round = 0; round < 200; ++round) {
            const Timing t = random_timing(random);
            const double end = t.map.last().value;
            const bool whole = round % 2 == 0;
            const Operation o = whole ? op(OperationKind::reverse) : op(OperationKind::reverse, 3, end - 2);
            auto once = operate(t, o);
            QVERIFY(once);
            auto twice = operate(once->timing, o);
            QVERIFY(twice);
            for (int f = 0; f <= end; ++f) {
                QVERIFY(close(source_at(twice->timing, f), source_at(t, f), 1e-9));
                const double mirrored = whole ? end - f : f >= 3 && f <= end - 2 ? end + 1 - f : f;
                QVERIFY(close(source_at(once->timing, f), source_at(t, mirrored), 1e-9));
            }
        }
    }
    void hold_then_cut_is_nothing() {
        std::mt19937 random(53);
        for (int round = 0; round < 200; ++round) {
            const Timing t = random_timing(random);
            const double at = std::uniform_int_distribution<int>(1, static_cast<int>(t.map.last().value) - 1)(random);
            auto held = operate(t, hold_for(at, 6));
            QVERIFY(held);
            // What is kept before the hold and after it, put together again, is the map it was.
            const double end = held->timing.map.last().value;
            auto front = operate(held->timing, op(trim, 0, at)), back = operate(held->timing, op(trim, at + 6, end));
            QVERIFY(front && back);
            for (double f = 0; f < at; f += 0.25) QVERIFY(close(source_at(front->timing, f), source_at(t, f), 1e-9));
            for (double f = at; f <= t.map.last().value; f += 0.25) {
                QVERIFY(close(source_at(back->timing, f + 6), source_at(t, f), 1e-9));
            }
        }
    }
    void fit_is_a_quarter_speed() {
        Operation o = op(OperationKind::fit, 0, 1000);
        o.source_last = SourceFrame(250);
        const auto done = operate(timing_of("0:3 9:9"), o);
        QVERIFY(done);
        QCOMPARE(source_at(done->timing, 501), 125.25);
        QCOMPARE(done->words, "Fit source frames 0 to 250 onto output frames 0 to 1000, at 0.25×");
        std::swap(o.source_first, o.source_last); // backward is allowed
        QCOMPARE(slope_at(operate(timing_of("0:3 9:9"), o)->timing, 500), -0.25);
    }
    void slow_between_has_the_worked_numbers() {
        const auto done = operate(timing_of("0:0 44:44"), op(slow, 21, 90, 0.2, 1));
        QVERIFY(done);
        const Timing& t = done->timing;
        QCOMPARE(source_at(t, 20), 20.0);
        QVERIFY(close(source_at(t, 21), 20.6, 1e-9));
        QVERIFY(close(source_at(t, 90), 34.4, 1e-9));
        QVERIFY(close(source_at(t, 91), 35.0, 1e-9));
        QVERIFY(close(source_at(t, 100), 44.0, 1e-9));
        QVERIFY(close(t.map.last().value, 100, 1e-9));
        QVERIFY(close(slope_at(t, 20.5), 0.6, 1e-9));
        QCOMPARE(done->words, "Slow to 0.2× between output frames 21 to 90, ramps of 1 frame");
    }
    void slow_on_speed_keys_stays_speed_keys() {
        const auto done = operate(speeds_of("0:1| 44:1|"), op(slow, 21, 90, 0.2, 1));
        QVERIFY(done);
        QCOMPARE(done->timing.form, TimingForm::speeds);
        QCOMPARE(done->note, "");
        QVERIFY(close(source_at(done->timing, 90), 34.4, 1e-9));
        QVERIFY(close(source_at(done->timing, 100), 44, 1e-9));
    }
    void ramp_to_a_stop() {
        const auto done =
            operate(timing_of("0:0 100:100", OutsideMode::hold, OutsideMode::repeat), op(ramp, 20, 40, 0));
        QVERIFY(done);
        QVERIFY(close(source_at(done->timing, 40), 30, 1e-9)); // half the way it would have gone
        QVERIFY(close(source_at(done->timing, 30), 20 + 10 - 2.5, 1e-9));
        QCOMPARE(source_at(done->timing, 400), 30.0);
        const auto slower = operate(timing_of("0:0 100:100"), op(ramp, 20, 40, 0.5));
        QVERIFY(slower);
        QVERIFY(close(slope_at(slower->timing, 60), 0.5, 1e-9));
        QVERIFY(close(slower->timing.map.last().value, 40 + 65 / 0.5, 1e-9));
    }
    void speed_of_a_range_moves_the_rest() {
        const auto part = operate(timing_of("0:0 100:100"), op(speed, 20, 40, 2));
        QVERIFY(part);
        QCOMPARE(map_text(part->timing.map), "0:0 20:20 30:40 90:100");
        Operation o = op(speed);
        o.speed = 0.5;
        const auto whole = operate(timing_of("10:0~ 20:5~ 30:30"), o);
        QVERIFY(whole);
        QCOMPARE(map_text(whole->timing.map), "10:0~ 30:5~ 50:30"); // smooth stays smooth
        QVERIFY(close(source_at(whole->timing, 33), source_at(timing_of("10:0~ 20:5~ 30:30"), 21.5), 1e-9));
    }
    void start_holds_the_first_pose() {
        Operation o = op(start);
        o.at = OutputFrame(30);
        const auto done = operate(timing_of("0:4 10:14", OutsideMode::repeat), o);
        QVERIFY(done);
        QCOMPARE(shown(done->timing, 28, 32), "4 4 4 5 6");
    }
    void phrases_stay_phrases_where_they_can() {
        const Timing t = phrases_of("0-9 9-9*5 9-4@0.5", 1);
        const auto back = operate(t, op(OperationKind::reverse));
        QVERIFY(back);
        QCOMPARE(back->timing.form, TimingForm::phrases);
        QCOMPARE(shown(operate(phrases_of("0-3 3-3*2 7-5", 0), op(OperationKind::reverse))->timing, 0, 8),
                 "5 6 7 3 3 3 2 1 0");
        Operation fast = op(speed);
        fast.speed = 2;
        const auto quick = operate(t, fast);
        QVERIFY(quick);
        QCOMPARE(quick->timing.form, TimingForm::phrases);
        QCOMPARE(span_length(quick->timing), span_length(t) / 2);
        const auto held = operate(t, hold_for(4, 6));
        QVERIFY(held);
        QCOMPARE(held->timing.form, TimingForm::positions);
        QCOMPARE(held->note, "the phrases became keys");
        QCOMPARE(shown(held->timing, 3, 12), "2 3 3 3 3 3 3 3 4 5");
    }
    void with_a_slider_the_slider_is_edited() {
        Timing t = timing_of("0:0 100:100");
        t.slider = parse_map("1:0 101:100");
        const auto held = operate(t, hold_for(51, 20));
        QVERIFY(held);
        QCOMPARE(held->timing.map, t.map);
        QCOMPARE(map_text(*held->timing.slider), "1:0 51:50 71:50 121:100");
        QCOMPARE(held->note, "on the slider");
        QVERIFY(refused(t, op(OperationKind::fit, 0, 10)).find("slider") != std::string::npos);
    }
    void the_afternoon_in_operations() {
        // hold 15 ten frames, slower and slower, and backwards to the start
        Timing t = timing_of("0:0 60:60");
        t = operate(t, hold_for(15, 10))->timing;
        t = operate(t, op(ramp, 30, 70, 0.25))->timing; // from 20, on average 0.625 × 40 = 25 frames further
        QVERIFY(close(source_at(t, 70), 45, 1e-9));
        QVERIFY(close(slope_at(t, 80), 0.25, 1e-9));
        t = operate(t, op(trim, 0, 70))->timing;
        t.after = {OutsideMode::there_and_back, 0};
        QVERIFY(close(source_at(t, 140), 0, 1e-9));
        QCOMPARE(source_at(t, 140 - 20), 15.0);
        QVERIFY(close(source_at(t, 70 + 1), source_at(t, 69), 1e-9));
    }
    void bad_operations_are_refused() {
        const Timing t = timing_of("0:0 35:35");
        QVERIFY(refused(t, op(OperationKind::reverse, 20, 10)).find("the range from 20 to 10 ends before it starts") !=
                std::string::npos);
        QVERIFY(refused(t, op(OperationKind::reverse, 200, 300)).find("lie outside the timing") != std::string::npos);
        QVERIFY(refused(t, op(trim, 5, 5)).find("ends before it starts") != std::string::npos);
        QVERIFY(refused(t, op(speed, 5, 9, 0)).find("speed of 0 is out of range") != std::string::npos);
        QVERIFY(refused(t, op(speed, 5, 9, -1)).find("out of range") != std::string::npos);
        QVERIFY(refused(t, op(slow, 5, 9, 0.2, -1)).find("0 frames or more") != std::string::npos);
        QVERIFY(refused(t, op(slow, 5, 9, 0.2, 10)).find("before the timing does") != std::string::npos);
        QVERIFY(refused(t, op(slow)).find("two output frames") != std::string::npos);
        QVERIFY(refused(t, op(ramp, 90, 99, 0.2)).find("outside the timing") != std::string::npos);
        QVERIFY(refused(t, op(speed, 5, 9, std::numeric_limits<double>::infinity())).find("out of range") !=
                std::string::npos);
        Operation far = op(start);
        far.at = OutputFrame(2e9);
        QVERIFY(refused(t, far).find("the output frame of the operation is 2\u00a0000\u00a0000\u00a0000 f") !=
                std::string::npos);
        QVERIFY(refused(timing_of("4:9"), op(OperationKind::reverse)).find("single pose") != std::string::npos);
    }
    void any_order_gives_the_same_bytes() {
        std::mt19937 random(54);
        for (int round = 0; round < 30; ++round) {
            Timing t = random_timing(random);
            t.before = {static_cast<OutsideMode>(round % 5), round % 3};
            t.after = {static_cast<OutsideMode>(round / 5 % 5), round % 2};
            const TimingPlan plan(t);
            std::vector<double> frames(600), forward;
            for (std::size_t i = 0; i < frames.size(); ++i) frames[i] = -150 + 0.61 * static_cast<double>(i);
            for (double f : frames) forward.push_back(plan.at(OutputFrame(f)).source);
            std::vector<std::size_t> order(frames.size());
            for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
            std::shuffle(order.begin(), order.end(), random);
            for (std::size_t i : order) {
                const double again = TimingPlan(t).at(OutputFrame(frames[i])).source;
                QVERIFY(std::memcmp(&again, &forward[i], sizeof again) == 0);
            }
        }
    }
};
GARLAND_TEST_CASE(OperationsTest)
#include "operations_test.moc"
