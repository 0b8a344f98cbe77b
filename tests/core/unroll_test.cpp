// Repeats written out as keys, stretches in which nothing is shown, and timings lengthened to their source's end.
#include "support/case.h"
#include "support/notation.h"

#include "core/time/conversions.h"
#include "core/time/map_edits.h"
#include "core/time/operations.h"
#include "core/time/timing_plan.h"
#include "core/time/unroll.h"

#include <random>

using namespace garland;
using namespace garland::testing;

namespace {

// A map of a few keys of every kind but hidden, on whole frames.
Timing any_timing(std::mt19937& random) {
    auto number = [&](int low, int high) {
        return low + static_cast<int>(random() % static_cast<unsigned>(high - low + 1));
    };
    Timing t;
    int at = number(-20, 40);
    const int keys = number(2, 5);
    for (int k = 0; k < keys; ++k) {
        Key key{OutputFrame(at), SourceFrame(number(-30, 60)), static_cast<Toward>(number(0, 2))};
        if (number(0, 3) == 0) key.toward = Toward::free, key.leave = number(-3, 3), key.arrive = number(-2, 4);
        t.map.keys.push_back(key);
        at += number(1, 25);
    }
    const OutsideMode modes[] = {OutsideMode::hold, OutsideMode::repeat, OutsideMode::there_and_back,
                                 OutsideMode::absent};
    t.before = {modes[number(0, 3)], number(0, 2)};
    t.after = {modes[number(0, 3)], number(0, 2)};
    if (t.before.mode == OutsideMode::hold || t.before.mode == OutsideMode::absent) t.before.count = 0;
    if (t.after.mode == OutsideMode::hold || t.after.mode == OutsideMode::absent) t.after.count = 0;
    t.last_is_first = number(0, 2) == 0;
    t.turn_twice = number(0, 2) == 0;
    return t;
}

Operation hold_for(double at, double frames, double through) {
    Operation o;
    o.at = OutputFrame(at);
    o.frames = frames;
    o.through = OutputFrame(through);
    return o;
}

} // namespace

class UnrollTest : public QObject {
    Q_OBJECT
  private slots:
    void a_repeat_written_out_shows_the_same() {
        std::mt19937 random(7); // the sequence of mt19937 is fixed by the C++ standard
        int written = 0;
        for (int trial = 0; trial < 4000; ++trial) {
            const Timing t = any_timing(random);
            const OutputFrame first(static_cast<double>(random() % 300) - 250),
                last(first.value + 50 + static_cast<double>(random() % 400));
            const auto out = unrolled(t, first, last);
            QVERIFY(out);
            QVERIFY(validate(out->timing));
            written += out->before + out->after > 0;
            const TimingPlan was(t), is(out->timing);
            // Of what was written out, every frame; further on, where both sides go on alike.
            const bool alike = t.before == t.after || out->timing.before == t.before;
            const double low = alike && t.after.count == 0
                                   ? first.value - 90
                                   : std::max(first.value, std::min(is.first().value, t.map.first().value));
            const double high =
                out->timing.after.mode == OutsideMode::hold && t.after.mode != OutsideMode::hold && t.after.count == 0
                    ? last.value
                    : last.value + 90;
            for (double f = std::ceil(low); f <= high; f += 0.25) {
                if (f < first.value && out->timing.before.mode == OutsideMode::hold &&
                    t.before.mode != OutsideMode::hold && t.before.count == 0)
                    continue;
                // Steps of a pass that runs back are exact on whole frames only.
                if (f != std::floor(f)) {
                    const bool mirror =
                        t.before.mode == OutsideMode::there_and_back || t.after.mode == OutsideMode::there_and_back;
                    const bool steps = std::any_of(t.map.keys.begin(), t.map.keys.end(),
                                                   [](const Key& k) { return k.toward == Toward::step; });
                    if (mirror && steps) continue;
                }
                const TimingSample a = was.at(OutputFrame(f)), b = is.at(OutputFrame(f));
                if (a.absent == b.absent && (a.absent || std::abs(a.source - b.source) < 1e-7)) continue;
                qFatal("trial %d: at %g %g became %g (modes %s %d, %s %d; written %d + %d)", trial, f, a.source,
                       b.source, to_text(t.before.mode), t.before.count, to_text(t.after.mode), t.after.count,
                       static_cast<int>(out->before), static_cast<int>(out->after));
            }
        }
        QVERIFY(written > 1500);
    }

    void a_hold_in_a_repeat_works_on_that_moment() {
        // Frames 0 … 9 again and again: output frame 34 is in the fourth pass and shows 4.
        const Timing t = timing_of("0:0 9:9", OutsideMode::hold, OutsideMode::repeat);
        const auto done = operate(t, hold_for(34, 5, 60));
        QVERIFY(done);
        QCOMPARE(shown(done->timing, 0, 12), shown(t, 0, 12)); // the passes before are untouched
        QCOMPARE(shown(done->timing, 30, 46), "0 1 2 3 4 4 4 4 4 4 5 6 7 8 9 0 1");
        QVERIFY(done->note.find("6 passes of the repeat were written out") != std::string::npos);
        QVERIFY(done->timing.after.mode == OutsideMode::repeat);
        // Inside the span it is every pass's.
        const auto inside = operate(t, hold_for(4, 2, 60));
        QVERIFY(inside && inside->note.empty());
        QCOMPARE(shown(inside->timing, 0, 14), "0 1 2 3 4 4 4 5 6 7 8 9 0 1 2");
    }

    void slowing_in_a_there_and_back_and_before_the_span() {
        const Timing t = timing_of("0:0 10:10", OutsideMode::repeat, OutsideMode::there_and_back);
        Operation o;
        o.kind = OperationKind::reverse;
        o.range = OutputSpan{OutputFrame(12), OutputFrame(16)}; // 8 7 6 5 4 on the way back
        const auto back = operate(t, o);
        QVERIFY(back);
        QCOMPARE(shown(back->timing, 10, 18), "10 9 4 5 6 7 8 3 2");
        o.range = OutputSpan{OutputFrame(-8), OutputFrame(-4)};
        const auto front = operate(timing_of("0:0 9:9", OutsideMode::repeat, OutsideMode::repeat), o);
        QVERIFY(front);
        QCOMPARE(shown(front->timing, -10, -1), "0 1 6 5 4 3 2 7 8 9");
        QCOMPARE(shown(front->timing, 0, 9), "0 1 2 3 4 5 6 7 8 9");
    }

    void a_seamless_loop_is_written_out_to_a_sliver() {
        Timing t = timing_of("0:0 10:10", OutsideMode::hold, OutsideMode::repeat);
        t.last_is_first = true;
        const auto done = operate(t, hold_for(25, 2, 40));
        QVERIFY(done);
        QCOMPARE(shown(done->timing, 8, 12), "8 9 0 1 2");
        QCOMPARE(source_at(done->timing, 9.5), 9.5);
        QCOMPARE(source_at(done->timing, 9.99), 9.99);
        QCOMPARE(shown(done->timing, 24, 30), "4 5 5 5 6 7 8");
    }

    void what_is_hidden_inside_a_span() {
        Operation o;
        o.kind = OperationKind::hide;
        o.range = OutputSpan{OutputFrame(3), OutputFrame(5)};
        const auto done = operate(timing_of("0:0 9:9", OutsideMode::hold, OutsideMode::repeat), o);
        QVERIFY(done);
        QCOMPARE(shown(done->timing, 0, 15), "0 1 2 - - - 6 7 8 9 0 1 2 - - -");
        // Every operation keeps it, and mirrors it frame by frame.
        Operation reverse;
        reverse.kind = OperationKind::reverse;
        const auto back = operate(done->timing, reverse);
        QVERIFY(back);
        QCOMPARE(shown(back->timing, 0, 9), "9 8 7 6 - - - 2 1 0");
        const auto again = operate(back->timing, reverse);
        QVERIFY(again);
        QCOMPARE(shown(again->timing, 0, 9), "0 1 2 - - - 6 7 8 9");
        const auto held = operate(done->timing, hold_for(4, 2, 0));
        QVERIFY(held);
        QCOMPARE(shown(held->timing, 0, 11), "0 1 2 - - - - - 6 7 8 9");
        Operation half;
        half.kind = OperationKind::speed;
        half.speed = 0.5;
        const auto slow = operate(done->timing, half);
        QVERIFY(slow);
        QCOMPARE(shown(slow->timing, 0, 14), "0 0.5 1 1.5 2 2.5 - - - - - - 6 6.5 7");
        o.range = OutputSpan{OutputFrame(7), OutputFrame(7)}; // one frame is a range too
        const auto one = operate(timing_of("0:0 9:9"), o);
        QVERIFY(one);
        QCOMPARE(shown(one->timing, 5, 9), "5 6 - 8 9");
        // Speed keys cannot say it, and say so; frames outside the span are refused.
        const auto speeds = to_speeds(done->timing);
        QVERIFY(!speeds && speeds.error().message.find("hidden from output frame 3") != std::string::npos);
        o.range = OutputSpan{OutputFrame(5), OutputFrame(9)};
        const auto refused = operate(timing_of("0:0 9:9"), o);
        QVERIFY(!refused && refused.error().message.find("output frames 5 to 9 cannot be hidden") != std::string::npos);
    }

    void timings_are_lengthened_to_their_sources_end() {
        Operation o;
        o.kind = OperationKind::lengthen;
        o.source_first = SourceFrame(0);
        o.source_last = SourceFrame(47);
        // Half speed ends at 24: 46 output frames more.
        const auto done = operate(timing_of("1:0 49:24"), o);
        QVERIFY(done);
        QCOMPARE(source_at(done->timing, 95), 47.0);
        QCOMPARE(done->words, "Lengthen to source frame 47: 46 output frames more at 0.5×");
        // Backward, to the source's first frame.
        const auto back = operate(timing_of("1:47 11:37"), o);
        QVERIFY(back);
        QCOMPARE(source_at(back->timing, 48), 0.0);
        const auto phrases = operate(phrases_of("0-9 20-29@0.5"), o);
        QVERIFY(phrases && phrases->timing.form == TimingForm::phrases);
        QCOMPARE(phrases->timing.phrases.list.back().last.value, 47.0);
        const auto nothing = operate(timing_of("1:0 48:47"), o);
        QVERIFY(!nothing && nothing.error().message.find("shown already") != std::string::npos);
    }
};

GARLAND_TEST_CASE(UnrollTest)
#include "unroll_test.moc"
