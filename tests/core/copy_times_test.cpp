#include "support/case.h"
#include "support/notation.h"

#include "core/copies/picks.h"

#include <gsl/gsl_integration.h>
#include <random>

using namespace garland;
using namespace garland::testing;

class CopyTimesTest : public QObject {
    Q_OBJECT
  private slots:
    void a_delay_shows_things_later() {
        const TimingPlan plan(timing_of("1:0 100:99"));
        const SourceClock source = clock_of_frames(0, 99);
        QCOMPARE(trace_copy(plan, source, {0, 1}, OutputFrame(21)).moment.source, 20.0);
        QCOMPARE(trace_copy(plan, source, {12, 1}, OutputFrame(21)).moment.source, 8.0);
        QCOMPARE(trace_copy(plan, source, {-5, 1}, OutputFrame(21)).moment.source, 25.0);
        QCOMPARE(trace_copy(plan, source, {50, 1}, OutputFrame(21)).moment.source, 0.0); // never before the first pose
    }
    // Local time is start + ∫ rate; here the rate is constant, and GSL's quadrature says the same.
    void rate_is_integrated_from_the_start() {
        const TimingPlan plan(timing_of("10:0 200:190"));
        const SourceClock source = clock_of_frames(0, 190);
        const CopyClock copy{7.5, 1.3};
        gsl_integration_workspace* w = gsl_integration_workspace_alloc(100);
        gsl_function f{[](double, void* rate) { return *static_cast<double*>(rate); }, const_cast<double*>(&copy.rate)};
        for (double t : {10.0, 33.0, 81.25}) {
            double integral = 0, error = 0;
            gsl_integration_qags(&f, 10, t - copy.delay, 1e-12, 1e-12, 100, w, &integral, &error);
            QVERIFY(close(trace_copy(plan, source, copy, OutputFrame(t)).local, 10 + integral, 1e-10));
        }
        gsl_integration_workspace_free(w);
    }
    void a_stagger_in_seconds_is_the_same_at_any_rate() { // −0.2 s a copy (common practice, no source)
        for (Rate rate : {Rate{24, 1}, Rate{25, 1}, Rate{60, 1}}) {
            for (int k = 0; k < 5; ++k) {
                const double delay = rate.frames_in(Seconds(0.2 * k));
                QVERIFY(close(rate.start_of(delay).value, 0.2 * k, 1e-12));
            }
        }
    }
    void marks_say_what_happens() {
        const SourceClock source = clock_of_frames(0, 20);
        const TimingPlan plan(timing_of("0:0 10:10 20:10 40:30", OutsideMode::absent, OutsideMode::there_and_back));
        auto at = [&](double t) { return trace_copy(plan, source, {0, 1}, OutputFrame(t)).moment; };
        QVERIFY(at(-1).has(mark_absent));
        QVERIFY(!at(5).has(mark_held));
        QVERIFY(at(15).has(mark_held));
        QVERIFY(at(35).has(mark_clamped_last));
        QCOMPARE(at(35).source, 20.0);
        QCOMPARE(at(35).speed, 0.0f);
        QVERIFY(at(55).has(mark_backward));
        QCOMPARE(at(5).speed, 1.0f);
        QCOMPARE(trace_copy(plan, source, {0, 2}, OutputFrame(2.5)).moment.speed, 2.0f);
    }
    void batches_are_the_trace() {
        std::mt19937 random(2);
        std::uniform_real_distribution<double> delay(-100, 100), rate(0.3, 2), frame(-300, 600);
        for (auto [before, after] : {std::pair{OutsideMode::repeat, OutsideMode::there_and_back},
                                     std::pair{OutsideMode::repeat, OutsideMode::repeat},
                                     std::pair{OutsideMode::there_and_back, OutsideMode::there_and_back},
                                     std::pair{OutsideMode::run_on, OutsideMode::absent}}) {
            const TimingPlan plan(timing_of("0:0~ 13:9~ 17:9 31:2~ 50:44", before, after));
            const SourceClock source = clock_of_frames(3, 40);
            std::vector<CopyClock> copies;
            for (int i = 0; i < 500; ++i) copies.push_back({delay(random), rate(random)});
            std::vector<CopyMoment> out(copies.size());
            for (int k = 0; k < 20; ++k) {
                const double t = frame(random);
                copy_moments(plan, source, copies, OutputFrame(t), out);
                for (std::size_t i = 0; i < copies.size(); ++i) {
                    const CopyMoment one = trace_copy(plan, source, copies[i], OutputFrame(t)).moment;
                    QVERIFY(std::memcmp(&one.source, &out[i].source, sizeof(double)) == 0 &&
                            one.marks == out[i].marks && one.pass == out[i].pass && one.speed == out[i].speed);
                }
            }
            std::vector<double> frames{1, 2, 3.5, 99};
            std::vector<CopyMoment> row(4);
            row_moments(plan, source, copies[3], frames, row);
            QCOMPARE(row[3].source, trace_copy(plan, source, copies[3], OutputFrame(99)).moment.source);
        }
    }
    void poses_are_needed_once() {
        std::vector<CopyMoment> moments(5);
        moments[0].source = moments[3].source = 4.5;
        moments[1].source = 2;
        moments[2].marks = mark_absent;
        moments[4].source = 9;
        const TimingPlan plan(timing_of("0:0 9:9"));
        const std::vector<CopyClock> clocks(5);
        const Picks picks = pick_poses(plan, clock_of_frames(0, 9), moments);
        QCOMPARE(picks.poses.size(), std::size_t(3));
        QCOMPARE(picks.copies, (std::vector<std::uint32_t>{1, 0, no_pose, 1, 2}));
        QCOMPARE(picks.poses[1].frame.value, 4.5);
    }
};
GARLAND_TEST_CASE(CopyTimesTest)
#include "copy_times_test.moc"
