#include "support/case.h"
#include "support/notation.h"

#include "core/time/key_edits.h"

using namespace garland;
using namespace garland::testing;

class KeyEditsTest : public QObject {
    Q_OBJECT
    const TimeMap map = parse_map("0:0 10:10~ 20:5| 30:40 50:45");
  private slots:
    void several_move_together() {
        QCOMPARE(map_text(*move_keys(map, {1, 2}, 3, -2)), "0:0 13:8~ 23:3| 30:40 50:45");
        QVERIFY(!move_keys(map, {1, 2}, 10, 0)); // onto the key at 30
        QVERIFY(!move_keys(map, {}, 1, 0));
        QVERIFY(!move_keys(map, {9}, 1, 0));
        QCOMPARE(room_to_move(map, {1, 2}, 30), 9.0);
        QCOMPARE(room_to_move(map, {1, 2}, -30), -9.0);
        QCOMPARE(room_to_move(map, {1, 2}, 4), 4.0);
        QCOMPARE(room_to_move(map, {4}, 500), 500.0);
        QCOMPARE(room_to_move(parse_map("0:0 0.5:1"), {1}, -3), 0.0); // nearer than a frame already
    }
    void several_go() {
        QCOMPARE(map_text(*remove_keys(map, {0, 2, 4})), "10:10~ 30:40");
        QVERIFY(!remove_keys(map, {0, 1, 2, 3, 4}));
    }
    void copied_keys_paste_over_what_stood_there() {
        const auto clip = copied_keys(map, {1, 2});
        QCOMPARE(clip.size(), 2u);
        QCOMPARE(clip[1].at.value, 10.0);
        PickedKeys pasted;
        QCOMPARE(map_text(*paste_keys(map, clip, OutputFrame(28), pasted)), "0:0 10:10~ 20:5| 28:10~ 38:5| 50:45");
        QCOMPARE(pasted, (PickedKeys{3, 4}));
        QCOMPARE(map_text(*paste_keys(map, clip, OutputFrame(60), pasted)),
                 "0:0 10:10~ 20:5| 30:40 50:45 60:10~ 70:5|");
        QVERIFY(!paste_keys(map, {}, OutputFrame(1), pasted));
    }
    void scaled_about_a_frame() {
        QCOMPARE(map_text(*scale_keys(map, {2, 3, 4}, OutputFrame(20), 2, SourceFrame(0), 1)),
                 "0:0 10:10~ 20:5| 40:40 80:45");
        QCOMPARE(map_text(*scale_keys(map, {0, 1, 2, 3, 4}, OutputFrame(0), 1, SourceFrame(10), 0.5)),
                 "0:5 10:10~ 20:7.5| 30:25 50:27.5");
        QVERIFY(!scale_keys(map, {1, 2}, OutputFrame(10), 3, SourceFrame(0), 1));
        QVERIFY(!scale_keys(map, {1, 2}, OutputFrame(10), 0, SourceFrame(0), 1));
        TimeMap slopes = parse_map("0:0 10:10");
        slopes.keys[0].toward = Toward::free;
        slopes.keys[0].leave = 2;
        slopes.keys[1].arrive = 0.5;
        const Timing before = [&] {
            Timing t;
            t.map = slopes;
            return t;
        }();
        Timing after = before;
        after.map = *scale_keys(slopes, {0, 1}, OutputFrame(0), 3, SourceFrame(0), 2);
        for (double t = 0; t < 10; t += 0.5) QVERIFY(close(source_at(after, 3 * t), 2 * source_at(before, t), 1e-9));
        after.map = *scale_keys(slopes, {0, 1}, OutputFrame(5), -1, SourceFrame(0), 1); // turned round
        for (double t = 0.5; t < 10; t += 0.5) QVERIFY(close(source_at(after, 10 - t), source_at(before, t), 1e-9));
    }
};
GARLAND_TEST_CASE(KeyEditsTest)
#include "key_edits_test.moc"
