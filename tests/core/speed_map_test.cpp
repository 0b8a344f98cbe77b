// Speed keys: the source is the integral of speed. Worked numbers: docs/time.md; integrals: GSL's adaptive quadrature.
#include "support/case.h"
#include "support/notation.h"

#include "core/time/conversions.h"

#include <algorithm>
#include <gsl/gsl_integration.h>
#include <limits>
#include <random>

using namespace garland;
using namespace garland::testing;
using enum OutsideMode;

namespace {

Timing random_speeds(std::mt19937& random, int keys, bool steps = true) {
    std::uniform_real_distribution<double> step(0.5, 12), speed(-2, 3);
    std::uniform_int_distribution<int> kind(0, steps ? 2 : 0);
    Timing t = speeds_of("0:0", 7.5);
    t.speeds.keys.clear();
    double at = -4.25;
    for (int i = 0; i < keys; ++i) {
        t.speeds.keys.push_back({OutputFrame(at), speed(random), kind(random) == 2 ? Toward::step : Toward::linear});
        at += step(random);
    }
    return t;
}

double speed_by_definition(double t, void* map) {
    const auto& keys = static_cast<const SpeedMap*>(map)->keys;
    std::size_t i = 0;
    while (i + 2 < keys.size() && keys[i + 1].at.value <= t) ++i;
    const SpeedKey &a = keys[i], &b = keys[i + 1];
    if (a.toward == Toward::step) return a.speed;
    return a.speed + (b.speed - a.speed) * (t - a.at.value) / (b.at - a.at);
}

} // namespace

class SpeedMapTest : public QObject {
    Q_OBJECT
  private slots:
    void ramp_from_nothing_to_full_speed() { // frame times speed would say 25 and 100
        const Timing t = speeds_of("0:0 100:1");
        QCOMPARE(source_at(t, 50), 12.5);
        QCOMPARE(source_at(t, 100), 50.0);
        QCOMPARE(slope_at(t, 25), 0.25);
        QVERIFY(close(slope_at(t, 99.999), 1, 1e-4));
        QVERIFY(close(slope_at(speeds_of("0:0 100:1", 0, hold, run_on), 100), 1, 0));
    }
    void slow_between_with_ramps() {
        const Timing t = speeds_of("0:1 20:1 21:0.2 90:0.2 91:1 100:1");
        QCOMPARE(source_at(t, 20), 20.0);
        QVERIFY(close(source_at(t, 21), 20.6, 1e-12));
        QVERIFY(close(source_at(t, 90), 34.4, 1e-12));
        QVERIFY(close(source_at(t, 91), 35.0, 1e-12));
        QVERIFY(close(source_at(t, 100), 44.0, 1e-12));
    }
    void steps_jump_in_speed_not_in_place() {
        const Timing t = speeds_of("0:2| 10:-1| 20:0|", 5);
        QCOMPARE(shown(t, 0, 3), "5 7 9 11");
        QCOMPARE(source_at(t, 10), 25.0);
        QCOMPARE(source_at(t, 15), 20.0);
        QCOMPARE(source_at(t, 20), 15.0);
        QCOMPARE(slope_at(t, 15), -1.0);
    }
    void integrals_agree_with_adaptive_quadrature() { // GSL, QAGP (Piessens and others 1983), break points at the keys
        gsl_integration_workspace* room = gsl_integration_workspace_alloc(2000);
        std::mt19937 random(31);
        for (int round = 0; round < 40; ++round) {
            Timing t = random_speeds(random, 12);
            const TimingPlan plan(t);
            gsl_function f{speed_by_definition, &t.speeds};
            for (double end = t.speeds.first().value + 3.7; end < t.speeds.last().value; end += 9.1) {
                std::vector<double> points{t.speeds.first().value};
                for (const SpeedKey& k : t.speeds.keys) {
                    if (k.at.value > points.front() && k.at.value < end) points.push_back(k.at.value);
                }
                points.push_back(end);
                double sum = 0, error = 0;
                QCOMPARE(gsl_integration_qagp(&f, points.data(), points.size(), 1e-11, 1e-11, 2000, room, &sum, &error),
                         0);
                QVERIFY(close(plan.at(OutputFrame(end)).source, t.speeds.from.value + sum, 1e-9));
                QVERIFY(close(plan.at(OutputFrame(end)).slope, speed_by_definition(end, &t.speeds), 1e-9));
            }
        }
        gsl_integration_workspace_free(room);
    }
    void outside_works_as_for_positions() {
        const Timing t = speeds_of("0:1| 4:1|", 10, repeat, repeat); // frames 10 … 14, period 5
        QCOMPARE(shown(t, -5, 9), "10 11 12 13 14 10 11 12 13 14 10 11 12 13 14");
        QCOMPARE(shown(speeds_of("0:1| 3:1|", 0, there_and_back, there_and_back), -4, 7), "2 3 2 1 0 1 2 3 2 1 0 1");
        QCOMPARE(shown(speeds_of("0:1| 3:2|", 0, run_on, run_on), -2, 5), "-2 -1 0 1 2 3 5 7");
        QCOMPARE(shown(speeds_of("0:1| 3:1|", 0, absent, absent), -1, 4), "- 0 1 2 3 -");
        QCOMPARE(shown(speeds_of("5:0.5|", 3, hold, run_on), 4, 7), "3 3 3.5 4"); // a single key
    }
    void to_positions_is_exact() {
        std::mt19937 random(32);
        for (int round = 0; round < 60; ++round) {
            Timing t = random_speeds(random, 9);
            t.before = {repeat, 0};
            t.after = {run_on, 0};
            const auto keys = to_positions(t);
            QVERIFY(keys);
            QCOMPARE(keys->timing.form, TimingForm::positions);
            QCOMPARE(keys->words, "exact");
            const TimingPlan a(t), b(keys->timing);
            for (double f = -30; f < t.speeds.last().value + 20; f += 0.37) {
                QVERIFY(close(b.at(OutputFrame(f)).source, a.at(OutputFrame(f)).source, 1e-9));
                QVERIFY(close(b.at(OutputFrame(f)).slope, a.at(OutputFrame(f)).slope, 1e-8));
            }
            // and back again: the same speeds
            const auto speeds = to_speeds(keys->timing);
            QVERIFY(speeds);
            QVERIFY(speeds->error < 1e-6);
        }
    }
    void positions_to_speeds_and_back_keep_within_the_tolerance() {
        std::mt19937 random(33);
        std::uniform_int_distribution<int> step(1, 30), value(0, 200), kind(1, 2);
        for (double tolerance : {0.5, 0.005, 0.0001}) {
            for (int round = 0; round < 60; ++round) {
                Timing t = timing_of("0:0");
                t.map.keys.clear();
                for (int i = 0, at = 0; i < 8; ++i, at += step(random)) {
                    t.map.keys.push_back(
                        {OutputFrame(at), SourceFrame(value(random)), static_cast<Toward>(kind(random))});
                }
                const auto speeds = to_speeds(t, tolerance);
                QVERIFY(speeds);
                QVERIFY2(speeds->error <= tolerance, qPrintable(QString::number(speeds->error)));
                const auto back = to_positions(speeds->timing);
                QVERIFY(back);
                const TimingPlan a(t), b(back->timing);
                for (double f = 0; f <= t.map.last().value; f += 0.13) {
                    QVERIFY(close(b.at(OutputFrame(f)).source, a.at(OutputFrame(f)).source, tolerance * 1.02 + 1e-9));
                }
                QVERIFY(close(b.at(t.map.last()).source, a.at(t.map.last()).source, 1e-7));
            }
        }
    }
    void jumps_become_runs_of_one_frame() {
        const auto speeds = to_speeds(timing_of("0:0| 10:50 20:60"));
        QVERIFY(speeds);
        QCOMPARE(speeds->jumps, 1);
        QCOMPARE(speeds->words, "exact; 1 jump became a run of one frame");
        QCOMPARE(shown(speeds->timing, 8, 12), "0 0 50 51 52");
        QCOMPARE(source_at(speeds->timing, 9.5), 25.0);
    }
    void bad_speed_maps_are_refused() {
        auto words = [](const Timing& t) {
            const auto ok = validate(t);
            return ok ? std::string("fine") : ok.error().message;
        };
        QCOMPARE(words(speeds_of("0:1 5:2")), "fine");
        QVERIFY2(words(speeds_of("0:1 5:2 5:3")).find("keys 2 and 3 are both on output frame 5") != std::string::npos,
                 words(speeds_of("0:1 5:2 5:3")).c_str());
        QVERIFY(words(speeds_of("4:1 2:2")) != "fine");
        QVERIFY(words(speeds_of("")) != "fine");
        QVERIFY(words(speeds_of("0:2000000")).find("speed") != std::string::npos);
        Timing t = speeds_of("0:1 5:2");
        t.speeds.keys[1].speed = std::numeric_limits<double>::quiet_NaN();
        QVERIFY(words(t) != "fine");
        t = speeds_of("0:1 5:2");
        t.speeds.keys[0].toward = Toward::smooth;
        QVERIFY(words(t) != "fine");
        t = speeds_of("0:1 5:2");
        t.speeds.from = SourceFrame(std::numeric_limits<double>::infinity());
        QVERIFY(words(t) != "fine");
    }
};

GARLAND_TEST_CASE(SpeedMapTest)
#include "speed_map_test.moc"
