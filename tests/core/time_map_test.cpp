#include "support/case.h"
#include "support/notation.h"

#include <gsl/gsl_interp.h>
#include <gsl/gsl_spline.h>
#include <limits>
#include <random>

using namespace garland;
using namespace garland::testing;

class TimeMapTest : public QObject {
    Q_OBJECT
  private slots:
    void keys_are_hit_exactly() {
        const Timing t = timing_of("0:0 10.5:3.3~ 20:17 31:-4~ 40:8");
        for (const Key& k : t.map.keys) QCOMPARE(source_at(t, k.at.value), k.source.value);
    }
    void each_way_between_keys() {
        QCOMPARE(shown(timing_of("0:0 4:8"), 0, 4), "0 2 4 6 8");
        QCOMPARE(shown(timing_of("0:3| 4:8"), 0, 4), "3 3 3 3 8");
        QCOMPARE(slope_at(timing_of("0:0 4:8"), 1), 2.0);
        QCOMPARE(slope_at(timing_of("0:3| 4:8"), 1), 0.0);
    }
    // Our smooth is the curve of Steffen (1990), which GSL has as gsl_interp_steffen.
    void smooth_is_steffens_curve() {
        std::mt19937 random(11);
        std::uniform_real_distribution<double> step(0.5, 20), value(-50, 50);
        for (int round = 0; round < 40; ++round) {
            Timing t = timing_of("0:0");
            t.map.keys.clear();
            std::vector<double> x, y;
            double at = 0;
            for (int i = 0; i < 12; ++i) {
                at += step(random);
                x.push_back(at);
                y.push_back(i % 4 == 3 ? y.back() : value(random)); // some holds
                t.map.keys.push_back({OutputFrame(x.back()), SourceFrame(y.back()), Toward::smooth});
            }
            gsl_interp* interp = gsl_interp_alloc(gsl_interp_steffen, x.size());
            gsl_interp_init(interp, x.data(), y.data(), x.size());
            const TimingPlan plan(t);
            for (int k = 0; k <= 500; ++k) {
                const double f = k == 500 ? x.back() : x.front() + (x.back() - x.front()) * k / 500.0;
                const TimingSample s = plan.at(OutputFrame(f));
                QVERIFY(close(s.source, gsl_interp_eval(interp, x.data(), y.data(), f, nullptr), 1e-10));
                if (k < 500)
                    QVERIFY(close(s.slope, gsl_interp_eval_deriv(interp, x.data(), y.data(), f, nullptr), 1e-9));
            }
            gsl_interp_free(interp);
        }
    }
    void smooth_never_leaves_its_two_keys() {
        std::mt19937 random(3);
        std::uniform_real_distribution<double> value(-5, 5);
        for (int round = 0; round < 200; ++round) {
            Timing t = timing_of("0:0");
            t.map.keys.clear();
            for (int i = 0; i < 6; ++i)
                t.map.keys.push_back({OutputFrame(i * 7.3), SourceFrame(value(random)), Toward::smooth});
            for (int i = 0; i < 5; ++i) {
                const double a = t.map.keys[i].source.value, b = t.map.keys[i + 1].source.value;
                for (int k = 0; k <= 30; ++k) {
                    const double s = source_at(t, i * 7.3 + 7.3 * k / 30.0);
                    QVERIFY(s >= std::min(a, b) && s <= std::max(a, b));
                }
            }
        }
    }
    void a_smoothed_hold_stays_flat() {
        const Timing t = timing_of("0:0~ 10:15~ 20:15~ 30:40");
        for (double f = 10; f <= 20; f += 0.25) QCOMPARE(source_at(t, f), 15.0);
        QCOMPARE(slope_at(t, 10), 0.0);
        QVERIFY(slope_at(t, 9) > 0);
    }
    void any_order_gives_the_same_bytes() {
        const Timing t = timing_of("0:0~ 13:9~ 17:9 31:2~ 50:44", OutsideMode::repeat, OutsideMode::there_and_back);
        const TimingPlan plan(t), again(t);
        std::vector<double> frames, forward;
        for (double f = -120; f < 260; f += 0.37) frames.push_back(f);
        for (double f : frames) forward.push_back(plan.at(OutputFrame(f)).source);
        for (std::size_t i = frames.size(); i-- > 0;) {
            const double s = again.at(OutputFrame(frames[i])).source;
            QVERIFY(std::memcmp(&s, &forward[i], sizeof s) == 0);
        }
    }
    void bad_maps_are_refused_in_words() {
        auto refused = [](const std::string& text) {
            return QString::fromStdString(validate(parse_map(text)).error().message);
        };
        QVERIFY(refused("").contains("at least one key"));
        QVERIFY(refused("0:0 5:3 5:4").contains("keys 2 and 3 are both on output frame 5"));
        QVERIFY(refused("0:0 5:3 4:4").contains("key 3 comes before key 2"));
        TimeMap nan = parse_map("0:0 5:3");
        nan.keys[1].source = SourceFrame(std::numeric_limits<double>::quiet_NaN());
        QVERIFY(!validate(nan));
        nan.keys[1].source = SourceFrame(2e9);
        QVERIFY(!validate(nan));
        Timing t = timing_of("0:0 5:3");
        t.after.count = -1;
        QVERIFY(!validate(t));
    }
};
GARLAND_TEST_CASE(TimeMapTest)
#include "time_map_test.moc"
