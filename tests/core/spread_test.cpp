#include "support/case.h"
#include "support/notation.h"

#include "core/copies/copy_times.h"

#include <map>
#include <numeric>

using namespace garland;
using namespace garland::testing;

class SpreadTest : public QObject {
    Q_OBJECT
    static Spread make(Driver driver, double from, double to) {
        Spread s;
        s.id = SpreadId(5);
        s.by.kind = driver;
        s.from = from, s.to = to;
        return s;
    }
  private slots:
    void total_stagger_is_shared_evenly() { // 15 frames over 6 copies = 0, 3 … 15 (common practice, no source)
        const Spread s = make(Driver::order_total, 0, 15);
        for (int i = 0; i < 6; ++i) QCOMPARE(value_of(s, CopyId(i), i, 6), 3.0 * i);
        QCOMPARE(value_of(s, CopyId(0), 0, 1), 0.0); // one copy: no division by zero
    }
    void per_step_adds_up() {
        const Spread s = make(Driver::order_step, 2, 5);
        QCOMPARE(value_of(s, CopyId(0), 0, 9), 2.0);
        QCOMPARE(value_of(s, CopyId(4), 4, 9), 22.0);
    }
    void chance_reaches_every_whole_frame_alike() {
        const Spread s = make(Driver::chance, -3, 6);
        std::map<double, int> seen;
        for (int i = 0; i < 50000; ++i) ++seen[value_of(s, CopyId(i), i, 50000)];
        QCOMPARE(seen.size(), std::size_t(10));
        QCOMPARE(seen.begin()->first, -3.0);
        QCOMPARE(seen.rbegin()->first, 6.0);
        for (auto [value, n] : seen) QVERIFY(std::abs(n - 5000) < 5 * std::sqrt(5000 * 0.9));
    }
    void chance_depends_on_id_alone() {
        const Spread s = make(Driver::chance, 0, 1000);
        QCOMPARE(value_of(s, CopyId(17), 17, 20), value_of(s, CopyId(17), 3, 100000));
        Spread other = s;
        other.by.seed = 2;
        int same = 0;
        for (int i = 0; i < 100; ++i) same += value_of(s, CopyId(i), i, 100) == value_of(other, CopyId(i), i, 100);
        QVERIFY(same < 5);
    }
    void clocks_add_delays_and_nudges() {
        Arrangement a;
        a.layout.count = 4;
        Spread delay = make(Driver::order_step, 0, 10), more = make(Driver::order_total, 1, 1), off = delay;
        off.on = false;
        Spread pace = make(Driver::order_total, -50, 100);
        pace.target = Target::speed;
        a.spreads = {delay, more, off, pace};
        a.by_hand.nudges = {{CopyId(2), -4}};
        const CopyClocks clocks(make_copies(a, {}), TimingPlan(timing_of("1:0 100:99")), {}, Rate{24, 1}, {1, 100});
        QVERIFY(clocks.plain());
        QCOMPARE(clocks[0].delay, 1.0);
        QCOMPARE(clocks[1].delay, 11.0);
        QCOMPARE(clocks[2].delay, 17.0);
        QCOMPARE(clocks[0].rate, 0.5);
        QCOMPARE(clocks[1].rate, 1.0);
        QCOMPARE(clocks[3].rate, 2.0);
    }
    void bad_amounts_are_refused() {
        Spread s = make(Driver::chance, 0, std::nan(""));
        QVERIFY(!validate(s));
        s.to = 1e10;
        QVERIFY(!validate(s));
        s.to = -100;
        s.target = Target::speed;
        QVERIFY(!validate(s));
    }
};
GARLAND_TEST_CASE(SpreadTest)
#include "spread_test.moc"
