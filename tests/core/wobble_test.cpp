// Wobble, camera keys, shared timings.
#include "support/case.h"
#include "support/notation.h"

#include "core/copies/wobble.h"
#include "core/project/camera.h"
#include "core/project/edits.h"
#include "core/project/timings.h"

#include <set>

using namespace garland;
using namespace garland::testing;

namespace {
constexpr Rate rate{24, 1};
Wobble wobble(WobbleEnd end = WobbleEnd::never) {
    Wobble w;
    w.on = true;
    w.position = V3d(0.5);
    w.turn = V3d(0, 20, 0);
    w.size = 0.1;
    w.rate = 2;
    w.seed = 9;
    w.end = end;
    w.end_at = OutputFrame(50);
    w.ease = 10;
    w.settle_position = V3d(1, 2, 3);
    w.settle_turn = V3d(0, 45, 0);
    w.settle_size = 0.5;
    return w;
}
WobbleSample at(const Wobble& w, double t, std::uint64_t copy = 3) {
    return wobble_at(w, CopyId(copy), OutputFrame(t), rate);
}
} // namespace

class WobbleTest : public QObject {
    Q_OBJECT
  private slots:
    void stays_within_its_amounts_and_moves() {
        const Wobble w = wobble();
        double most = 0;
        std::set<double> values;
        for (double t = -100; t < 400; t += 0.5) {
            const auto s = at(w, t);
            for (int k = 0; k < 3; ++k) QVERIFY(std::abs(s.position[k]) <= 0.5);
            QVERIFY(std::abs(s.turn.y) <= 20 && s.turn.x == 0 && s.turn.z == 0 && std::abs(s.size) <= 0.1);
            most = std::max(most, std::abs(s.position.x));
            values.insert(s.position.x);
        }
        QVERIFY(most > 0.4);
        QVERIFY(values.size() > 800);
        QCOMPARE(at(w, 33.5).position, at(w, 33.5).position); // no state
        QVERIFY(!(at(w, 33.5).position == at(w, 33.5, 4).position));
        Wobble alike = w;
        alike.together = true;
        QCOMPARE(at(alike, 33.5).position, at(alike, 33.5, 4).position);
        Wobble off = w;
        off.on = false;
        QCOMPARE(at(off, 12).position, V3d(0));
        Wobble still = w;
        still.rate = 0;
        QCOMPARE(at(still, 12).position, at(still, 400).position);
    }
    void its_speed_is_its_derivative() {
        for (auto end : {WobbleEnd::never, WobbleEnd::let_go, WobbleEnd::stay, WobbleEnd::settle}) {
            const Wobble w = wobble(end);
            for (double t = 30.3; t < 70; t += 0.7) {
                const double h = 1e-5;
                const auto a = at(w, t - h), b = at(w, t + h), s = at(w, t);
                QVERIFY(close((b.position.y - a.position.y) / (2 * h), s.position_rate.y, 1e-6));
                QVERIFY(close((b.turn.y - a.turn.y) / (2 * h), s.turn_rate.y, 1e-4));
                QVERIFY(close((b.size - a.size) / (2 * h), s.size_rate, 1e-6));
            }
        }
    }
    void lets_go() {
        const Wobble w = wobble(WobbleEnd::let_go), runs = wobble();
        QCOMPARE(at(w, 49).position, at(runs, 49).position);
        QVERIFY(close(at(w, 50.001).position.x, at(runs, 50.001).position.x, 1e-6)); // no jump
        QCOMPARE(at(w, 60).position, V3d(0));
        QCOMPARE(at(w, 500).turn, V3d(0));
    }
    void stays() {
        const Wobble w = wobble(WobbleEnd::stay);
        QCOMPARE(at(w, 50).position, at(wobble(), 50).position);
        QCOMPARE(at(w, 300).position, at(w, 50).position);
        QCOMPARE(at(w, 300).position_rate, V3d(0));
    }
    void settles() {
        const Wobble w = wobble(WobbleEnd::settle);
        QCOMPARE(at(w, 60).position, V3d(1, 2, 3));
        QCOMPARE(at(w, 200).turn, V3d(0, 45, 0));
        QCOMPARE(at(w, 200).size, 0.5);
        Wobble sudden = w;
        sudden.ease = 0;
        QCOMPARE(at(sudden, 50).position, V3d(1, 2, 3));
    }
    void two_wobbles_add_up_on_places() {
        std::vector<Placement> places{{CopyId(3), V3d(1, 0, 0), 10, {}, 2}};
        std::vector<CopyMotion> motion;
        const std::vector<Wobble> both{wobble(), wobble(WobbleEnd::settle)};
        wobble_places(both, OutputFrame(100), rate, places, &motion);
        const auto a = at(both[0], 100);
        QCOMPARE(places[0].position.x, 1 + a.position.x + 1);
        QCOMPARE(places[0].turn, 10 + a.turn.y + 45);
        QVERIFY(close(places[0].size, 2 * (1 + a.size) * 1.5, 1e-12));
        QVERIFY(close(motion[0].growth, a.size_rate / (1 + a.size), 1e-12));
    }
    void bad_wobbles_are_refused() {
        Wobble w = wobble();
        QVERIFY(validate(w));
        w.size = 1;
        QVERIFY(!validate(w));
        w = wobble();
        w.rate = -1;
        QVERIFY(!validate(w));
        w = wobble();
        w.position.y = std::nan("");
        QVERIFY(!validate(w));
        w = wobble();
        w.settle_size = -1;
        QVERIFY(!validate(w));
    }
    void a_camera_turns_while_its_target_holds() {
        const Camera still{V3d(0, 1, 0), 8, 30, 15, 40};
        auto keys = moved({}, still, OutputFrame(10), OutputFrame(34), {360, 0, 1, V3d(0), Toward::linear});
        QVERIFY(keys);
        const CameraPlan plan(*keys, still);
        QVERIFY(plan.keyed());
        QCOMPARE(plan.at(OutputFrame(0)), still);
        QCOMPARE(plan.at(OutputFrame(22)).azimuth, 210.0); // half way round
        QCOMPARE(plan.at(OutputFrame(22)).distance, 8.0);
        QCOMPARE(plan.at(OutputFrame(99)).azimuth, 390.0);
        auto more = moved(*keys, still, OutputFrame(34), OutputFrame(50), {0, 20, 0.5, V3d(2, 0, 0), Toward::smooth});
        QVERIFY(more);
        QCOMPARE(more->size(), 3u);
        const Camera end = CameraPlan(*more, still).at(OutputFrame(50));
        QCOMPARE(end.distance, 4.0);
        QCOMPARE(end.elevation, 35.0);
        QCOMPARE(end.target.x, 2.0);
        QVERIFY(!moved({}, still, OutputFrame(5), OutputFrame(5), {}));
        QVERIFY(!moved({}, still, OutputFrame(5), OutputFrame(9), {0, 0, 0}));
        std::vector<CameraKey> bad{{OutputFrame(3), still}, {OutputFrame(3), still}};
        QVERIFY(!validate(bad));
        bad = {{OutputFrame(3), still, Toward::free}};
        QVERIFY(!validate(bad));
        bad = {{OutputFrame(3), {V3d(0), 8, 30, 15, 0}}};
        QVERIFY(!validate(bad));
        QCOMPARE(with_key(*more, {OutputFrame(34), still}).size(), 3u);
        QCOMPARE(with_key(*more, {OutputFrame(35), still}).size(), 4u);
    }
    void timings_are_shared_and_separated() {
        Project p;
        add_source(p, "lantern", "l.ply", {0, 9, {24, 1}});
        add_source(p, "reed", "r.ply", {0, 9, {24, 1}});
        const ArrangementId a = p.arrangements[0].id, b = p.arrangements[1].id;
        const TimingId first = p.timings[0].id, second = p.timings[1].id;
        const Project before = p;
        QVERIFY(!separate_timing(p, a)); // it has it to itself
        QVERIFY(share_timing(p, b, first));
        QCOMPARE(users_of(p, first).size(), 2u);
        QVERIFY(users_of(p, second).empty());
        QVERIFY(!remove_timing(p, first));
        QVERIFY(remove_timing(p, second));
        const auto own = separate_timing(p, b);
        QVERIFY(own);
        QCOMPARE(p.timing(*own)->name, "reed");
        QCOMPARE(p.timing(*own)->map, p.timing(first)->map);
        QVERIFY(p.arrangements[1].timing == *own);
        QVERIFY(rename_timing(p, *own, "slow"));
        QVERIFY(!rename_timing(p, *own, " "));
        QVERIFY(!share_timing(p, a, TimingId(999)));
        QVERIFY(validate(p));
        Project back = p;
        revert(back, difference(before, p, "all of it"));
        QCOMPARE(back, before);
    }
};
GARLAND_TEST_CASE(WobbleTest)
#include "wobble_test.moc"
