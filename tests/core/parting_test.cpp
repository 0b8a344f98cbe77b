// Parting against looking at every possibility, on small cases.
#include "support/case.h"

#include "core/copies/parting.h"

#include <cmath>
#include <random>

using namespace garland;

class PartingTest : public QObject {
    Q_OBJECT
    static double apart(double a, double b, double period) {
        const double d = std::abs(a - b);
        return period > 0 ? std::min(std::fmod(d, period), period - std::fmod(d, period)) : d;
    }
    static bool fine(const std::vector<double>& d, const PartRule& r) {
        for (std::size_t i = 0; i < d.size(); ++i) {
            if (d[i] < r.low - 1e-9 || d[i] > r.high + 1e-9) return false;
            for (std::size_t j = 0; j < i; ++j) {
                if (apart(d[i], d[j], r.period) < r.apart - 1e-9) return false;
            }
        }
        return true;
    }
    // The least total change over all whole delays within `reach` of each.
    static double exhaustive(const std::vector<double>& d, const PartRule& r, int reach) {
        std::vector<double> now = d;
        double best = 1e300;
        auto go = [&](auto&& self, std::size_t i, double sum) -> void {
            if (sum >= best) return;
            if (i == d.size()) {
                best = sum;
                return;
            }
            for (int by = -reach; by <= reach; ++by) {
                now[i] = d[i] + by;
                if (now[i] < r.low || now[i] > r.high) continue;
                bool ok = true;
                for (std::size_t j = 0; j < i && ok; ++j) ok = apart(now[i], now[j], r.period) >= r.apart;
                if (ok) self(self, i + 1, sum + std::abs(by));
            }
        };
        go(go, 0, 0);
        return best;
    }
  private slots:
    void nothing_is_moved_that_is_apart() {
        const std::vector<double> d{0, 5, 9, -3};
        const auto out = part_all(d, {3, 0, true});
        QCOMPARE(out->moved, std::int64_t(0));
        QCOMPARE(out->delays, d);
    }
    void along_a_line_no_way_is_shorter() {
        std::mt19937 random(4);
        for (int round = 0; round < 120; ++round) {
            std::vector<double> d(5);
            for (double& v : d) v = static_cast<double>(random() % 8);
            PartRule r{static_cast<double>(1 + random() % 3), 0, true};
            if (round % 3 == 0) r.low = 0, r.high = 14;
            const auto out = part_all(d, r);
            QVERIFY(out && fine(out->delays, r));
            QCOMPARE(out->total, exhaustive(d, r, 9));
        }
    }
    void round_a_loop_no_way_is_shorter() {
        std::mt19937 random(5);
        for (int round = 0; round < 120; ++round) {
            std::vector<double> d(5);
            for (double& v : d) v = static_cast<double>(random() % 20) - 4; // some beyond a loop, some ahead
            PartRule r{static_cast<double>(1 + random() % 2), 13, true};
            const auto out = part_all(d, r);
            QVERIFY(out && fine(out->delays, r));
            QCOMPARE(out->total, exhaustive(d, r, 7));
        }
    }
    void a_loop_within_limits_no_way_is_shorter() {
        std::mt19937 random(6);
        for (int round = 0; round < 80; ++round) {
            std::vector<double> d(4);
            for (double& v : d) v = static_cast<double>(random() % 6);
            PartRule r{2, 11, true, 0, 9};
            const auto out = part_all(d, r);
            QVERIFY(out && fine(out->delays, r));
            QCOMPARE(out->total, exhaustive(d, r, 9));
        }
    }
    void a_full_loop_still_fits() {
        const auto out = part_all(std::vector<double>(12, 3.0), {1, 12, true});
        QVERIFY(out && fine(out->delays, {1, 12, true}));
        QCOMPARE(room_for({1, 12, true}), std::int64_t(12));
        QCOMPARE(room_for({0.5, 12, false}), std::int64_t(24));
        QCOMPARE(room_for({0.5, 12, true}), std::int64_t(12)); // whole frames
        QCOMPARE(room_for({2, 0, true, 0, 9}), std::int64_t(5));
        QCOMPARE(room_for({2, 0, true}), std::int64_t(-1));
    }
    void more_than_fit_are_refused_with_advice() {
        const auto out = part_all(std::vector<double>(13, 0.0), {1, 12, true});
        QVERIFY(!out && out.error().code == ErrorCode::too_large);
        QVERIFY(out.error().message.find("can hold 12 copies") != std::string::npos);
        QVERIFY(out.error().advice.find("near neighbours") != std::string::npos);
        QVERIFY(!part_all(std::vector<double>(3, 0.0), {2, 0, true, 0, 3}));
        QVERIFY(!part_all(std::vector<double>(3, 0.0), {0, 0, true}));
    }
    void many_copies_are_parted_at_once() {
        std::mt19937 random(7);
        std::vector<double> d(5000);
        for (double& v : d) v = static_cast<double>(random() % 900);
        const PartRule r{1, 9000, true};
        const auto out = part_all(d, r);
        std::vector<double> sorted = out->delays;
        for (double& v : sorted) v -= std::floor(v / r.period) * r.period;
        std::sort(sorted.begin(), sorted.end());
        for (std::size_t i = 1; i < sorted.size(); ++i) QVERIFY(sorted[i] - sorted[i - 1] >= 1);
    }
    void neighbours_alone_are_parted() {
        std::mt19937 random(8);
        const std::size_t n = 40, k = 2; // a row: each with the ones before and after it
        std::vector<double> d(n);
        for (double& v : d) v = static_cast<double>(random() % 4);
        std::vector<std::uint32_t> near;
        for (std::uint32_t i = 0; i < n; ++i) {
            near.push_back(i > 0 ? i - 1 : i);
            near.push_back(i + 1 < n ? i + 1 : i);
        }
        const PartRule r{2, 12, true};
        const auto out = part_near(d, near, k, r);
        QVERIFY(out);
        for (std::size_t i = 1; i < n; ++i) QVERIFY(apart(out->delays[i], out->delays[i - 1], 12) >= 2);
        QVERIFY(out->moved < static_cast<std::int64_t>(n));
        // Small rows against looking at every possibility: never more than twice the least change, often the least.
        int least = 0;
        for (int round = 0; round < 60; ++round) {
            std::vector<double> small(5);
            for (double& v : small) v = static_cast<double>(random() % 4);
            std::vector<std::uint32_t> pairs;
            for (std::uint32_t i = 0; i < 5; ++i) pairs.insert(pairs.end(), {i > 0 ? i - 1 : i, i + 1 < 5 ? i + 1 : i});
            const auto one = part_near(small, pairs, 2, r);
            std::vector<double> now = small;
            double best = 1e300;
            auto go = [&](auto&& self, std::size_t i, double sum) -> void {
                if (i == 5) best = std::min(best, sum);
                if (i == 5 || sum >= best) return;
                for (int by = -6; by <= 6; ++by) {
                    now[i] = small[i] + by;
                    if (i > 0 && apart(now[i], now[i - 1], 12) < 2) continue;
                    self(self, i + 1, sum + std::abs(by));
                }
            };
            go(go, 0, 0);
            QVERIFY(one->total <= 2 * best + 1e-9);
            least += one->total == best;
        }
        QVERIFY2(least >= 30, qPrintable(QString::number(least)));
        // A crowd that cannot be parted is told.
        std::vector<std::uint32_t> all;
        for (std::uint32_t i = 0; i < 9; ++i) {
            for (std::uint32_t j = 0; j < 9; ++j) all.push_back(j);
        }
        QVERIFY(!part_near(std::vector<double>(9, 0.0), all, 9, {2, 12, true}));
    }
};
GARLAND_TEST_CASE(PartingTest)
#include "parting_test.moc"
