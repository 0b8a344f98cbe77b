#include "support/case.h"
#include "support/notation.h"

#include "core/time/map_edits.h"

#include <random>

using namespace garland;
using namespace garland::testing;

namespace {
double at(const TimeMap& map, double t) {
    Timing timing;
    timing.map = map;
    return source_at(timing, t);
}
TimeMap random_map(std::mt19937& random) {
    std::uniform_int_distribution<int> step(2, 9), value(0, 60), kind(0, 2);
    TimeMap map;
    int t = 0;
    for (int i = 0; i < 7; ++i) {
        map.keys.push_back({OutputFrame(t), SourceFrame(value(random)), static_cast<Toward>(kind(random))});
        t += step(random);
    }
    return map;
}
} // namespace

class MapEditsTest : public QObject {
    Q_OBJECT
  private slots:
    void hold_pushes_the_rest() { // a 35-frame source held at 15 for 10 frames ends at 45
        const auto held = hold_at(parse_map("0:0 35:35"), OutputFrame(15), 10);
        QVERIFY(held);
        QCOMPARE(at(*held, 15), 15.0);
        QCOMPARE(at(*held, 25), 15.0);
        QCOMPARE(at(*held, 26), 16.0);
        QCOMPARE(at(*held, 45), 35.0);
        QCOMPARE(map_text(*held), "0:0 15:15 25:15 45:35");
    }
    void hold_changes_nothing_else() {
        std::mt19937 random(5);
        for (int round = 0; round < 200; ++round) {
            const TimeMap map = random_map(random);
            const double t0 = std::uniform_int_distribution<int>(0, 40)(random), n = 7;
            const double inside = std::min(t0, map.last().value);
            const auto held = hold_at(map, OutputFrame(t0), n);
            QVERIFY(held);
            for (double f = 0; f <= map.last().value; f += 0.25) {
                if (f <= inside)
                    QVERIFY(close(at(*held, f), at(map, f), 1e-9));
                else
                    QVERIFY(close(at(*held, f + n), at(map, f), 1e-9));
            }
            for (double f = inside; f <= inside + n; f += 0.5) QVERIFY(close(at(*held, f), at(map, inside), 1e-12));
        }
    }
    void cut_changes_nothing() {
        std::mt19937 random(6);
        for (int round = 0; round < 200; ++round) {
            const TimeMap map = random_map(random);
            const double t0 = std::uniform_real_distribution<double>(0, map.last().value)(random);
            const auto cut = cut_at(map, OutputFrame(t0));
            QVERIFY(cut && validate(*cut));
            for (double f = 0; f <= map.last().value; f += 0.25) QVERIFY(close(at(*cut, f), at(map, f), 1e-9));
        }
        QVERIFY(!cut_at(parse_map("0:0 5:5"), OutputFrame(6)));
    }
    void reverse_mirrors() {
        std::mt19937 random(7);
        for (int round = 0; round < 300; ++round) {
            const TimeMap map = random_map(random);
            int p = std::uniform_int_distribution<int>(0, 15)(random),
                q = p + std::uniform_int_distribution<int>(1, 20)(random);
            q = std::min<int>(q, static_cast<int>(map.last().value));
            if (p >= q) continue;
            const auto reversed = reverse(map, OutputFrame(p), OutputFrame(q));
            QVERIFY(reversed);
            for (int f = 0; f <= map.last().value; ++f) {
                const double expected = f >= p && f <= q ? at(map, p + q - f) : at(map, f);
                QVERIFY2(close(at(*reversed, f), expected, 1e-9),
                         qPrintable(QString::fromStdString(map_text(map)) +
                                    QString(" [%1, %2] at %3: ").arg(p).arg(q).arg(f) +
                                    QString::fromStdString(map_text(*reversed))));
            }
        }
    }
    void reversing_all_twice_is_nothing() {
        const TimeMap map = parse_map("0:0~ 12:30~ 20:30 33:4");
        const auto once = reverse(map, map.first(), map.last());
        QCOMPARE(map_text(*once), "0:4 13:30~ 21:30~ 33:0");
        const auto twice = reverse(*once, map.first(), map.last());
        for (double f = 0; f <= 33; f += 0.1) QVERIFY(close(at(*twice, f), at(map, f), 1e-12));
    }
    void fit_is_a_quarter_speed() { // 0 … 250 onto 0 … 1000
        const auto map = fit(SourceFrame(0), SourceFrame(250), OutputFrame(0), OutputFrame(1000));
        QCOMPARE(at(*map, 501), 125.25);
        QVERIFY(!fit(SourceFrame(0), SourceFrame(9), OutputFrame(5), OutputFrame(5)));
    }
    void start_holds_until_then() {
        const auto map = start_at(parse_map("1:10 5:14"), OutputFrame(20));
        QCOMPARE(at(*map, 3), 10.0);
        QCOMPARE(at(*map, 20), 10.0);
        QCOMPARE(at(*map, 22), 12.0);
    }
    void holds_are_found() {
        const TimeMap map = parse_map("0:0 10:15 20:15 26:15 40:30");
        HeldSpan span;
        QVERIFY(held_around(map, OutputFrame(22), span));
        QCOMPARE(span.first.value, 10.0);
        QCOMPARE(span.last.value, 26.0);
        QVERIFY(!held_around(map, OutputFrame(5), span));
        QVERIFY(!held_around(map, OutputFrame(41), span));
    }
    void keys_keep_their_order() {
        const TimeMap map = parse_map("0:0 10:10 20:20");
        QVERIFY(!move_key(map, 1, OutputFrame(20), SourceFrame(3)));
        QVERIFY(!move_key(map, 1, OutputFrame(25), SourceFrame(3)));
        QCOMPARE(map_text(*move_key(map, 1, OutputFrame(12.5), SourceFrame(3))), "0:0 12.5:3 20:20");
        QCOMPARE(map_text(*insert_key(map, {OutputFrame(10), SourceFrame(1)})), "0:0 10:1 20:20");
        QCOMPARE(map_text(*remove_key(map, 0)), "10:10 20:20");
        QVERIFY(!remove_key(parse_map("0:0"), 0));
        QVERIFY(!hold_at(map, OutputFrame(3), 0));
        QVERIFY(!reverse(map, OutputFrame(3), OutputFrame(3)));
    }
};
GARLAND_TEST_CASE(MapEditsTest)
#include "map_edits_test.moc"
