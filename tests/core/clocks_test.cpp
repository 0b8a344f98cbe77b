// Copies' own time where amounts change, copies come and go, and starts differ.
#include "support/case.h"
#include "support/notation.h"

#include "core/copies/copy_times.h"
#include "core/copies/places.h"

#include <gsl/gsl_integration.h>

using namespace garland;
using namespace garland::testing;

class ClocksTest : public QObject {
    Q_OBJECT
    static constexpr Rate rate_{24, 1};
    static Arrangement line(int count) {
        Arrangement a;
        a.layout.count = count;
        return a;
    }
    static Spread make(std::uint64_t id, Target target, Driver driver, double from, double to) {
        Spread s;
        s.id = SpreadId(id);
        s.target = target;
        s.by.kind = driver;
        s.from = from, s.to = to;
        s.whole_frames = false;
        return s;
    }
    const TimingPlan plan_{timing_of("1:0 101:100")};
    const SourceClock source_ = clock_of_frames(0, 100);
    CopyClocks clocks(const Arrangement& a, const CarrierTime& carrier = {}, const CopyGroundwork& ground = {}) const {
        return CopyClocks(make_copies(a, ground), plan_, carrier, rate_, {1, 200});
    }
    double shown(const CopyClocks& c, std::size_t i, double t) const {
        return trace_copy(plan_, source_, c, i, OutputFrame(t)).moment.source;
    }

  private slots:
    void a_keyed_amount_takes_delays_away_and_back() {
        Arrangement a = line(3);
        Spread s = make(1, Target::delay, Driver::order_total, 0, 20);
        s.strength.keys = *parse_keys("10:1 30:0 50:1", "an amount");
        a.spreads = {s};
        const CopyClocks c = clocks(a);
        QVERIFY(!c.plain());
        QCOMPARE(shown(c, 2, 40), 39.0 - 10);                                // half of it
        for (std::size_t i = 0; i < 3; ++i) QCOMPARE(shown(c, i, 30), 29.0); // all at one source frame
        QCOMPARE(shown(c, 2, 80), 59.0);
        // the local speed is the derivative of what is shown
        const double h = 1e-4;
        for (double t : {20.0, 37.0, 70.0}) {
            const CopyMoment m = trace_copy(plan_, source_, c, 2, OutputFrame(t)).moment;
            QVERIFY(close(static_cast<double>(m.speed), (shown(c, 2, t + h) - shown(c, 2, t - h)) / (2 * h), 1e-4));
        }
        QCOMPARE(trace_copy(plan_, source_, c, 2, OutputFrame(40)).moment.speed,
                 0.0f); // growing by a frame a frame: it stands
        QVERIFY(trace_copy(plan_, source_, c, 2, OutputFrame(40)).moment.has(mark_held));
    }
    // Two keyed speeds and a still one: local time against GSL's quadrature of the rate.
    void keyed_speeds_are_integrated() {
        Arrangement a = line(2);
        Spread pace = make(1, Target::speed, Driver::order_total, 50, 50),
               slow = make(2, Target::speed, Driver::order_total, -40, -40),
               still = make(3, Target::speed, Driver::order_total, 10, 10);
        pace.strength.keys = *parse_keys("5:0 smooth 40:1", "an amount");
        slow.strength.keys = *parse_keys("0:1 20:1 60:0", "an amount");
        a.spreads = {pace, slow, still};
        a.by_hand.nudges = {{CopyId(1), 7}};
        const CopyClocks c = clocks(a);
        gsl_integration_workspace* w = gsl_integration_workspace_alloc(200);
        gsl_function f{[](double x, void*) {
                           auto s = [](double v) { return v <= 0 ? 0.0 : v >= 1 ? 1.0 : v * v * (3 - 2 * v); };
                           const double fall = x < 20 ? 1 : x > 60 ? 0 : (60 - x) / 40;
                           return 1 + 0.1 + 0.5 * s((x - 5) / 35) - 0.4 * fall;
                       },
                       nullptr};
        for (std::size_t i : {std::size_t(0), std::size_t(1)}) {
            for (double t : {-4.0, 12.0, 33.3, 75.0}) {
                const double to = t - (i ? 7 : 0);
                double integral = 0, error = 0;
                gsl_integration_qags(&f, 1, to, 1e-9, 1e-9, 200, w, &integral, &error);
                const CopyTrace trace = trace_copy(plan_, source_, c, i, OutputFrame(t));
                QVERIFY(close(trace.local, 1 + integral, 1e-6));
                QVERIFY(close(trace.rate, f.function(to, nullptr), 1e-12));
            }
        }
        gsl_integration_workspace_free(w);
    }
    void slowing_spreads_never_stop_a_copy() {
        Arrangement a = line(1);
        Spread s = make(1, Target::speed, Driver::order_total, -80, -80),
               t = make(2, Target::speed, Driver::order_total, -80, -80);
        s.strength.keys = *parse_keys("1:1 50:0", "an amount");
        a.spreads = {s, t};
        const CopyClocks c = clocks(a);
        double before = -1;
        for (double f = -10; f < 120; f += 0.5) {
            const CopyTrace trace = trace_copy(plan_, source_, c, 0, OutputFrame(f));
            QVERIFY(trace.rate > 0 && trace.local > before);
            before = trace.local;
        }
    }
    void speeds_meet_where_they_are_counted_from() {
        Arrangement a = line(5);
        Spread s = make(1, Target::speed, Driver::order_total, -30, 30);
        s.meets = OutputFrame(60);
        a.spreads = {s};
        const CopyClocks c = clocks(a);
        for (std::size_t i = 0; i < 5; ++i) QCOMPARE(shown(c, i, 60), 59.0);
        QCOMPARE(shown(c, 4, 70), 59 + 13.0);
        QCOMPARE(shown(c, 0, 50), 59 - 7.0);
    }
    void batches_and_rows_are_the_trace() {
        Arrangement a = line(700); // more than one block
        Spread d = make(1, Target::delay, Driver::chance, -20, 60), n = make(2, Target::delay, Driver::noise, 0, 12),
               v = make(3, Target::visibility, Driver::chance, 20, 100);
        d.strength.keys = *parse_keys("1:1 smooth 60:0 90:1", "an amount");
        n.by.noise.drift = V3d(1, 0.5, 0);
        a.spreads = {d, n, v};
        a.hidden_copies = {CopyId(3), CopyId(600)};
        a.begins.hidden_before = true;
        const CopyClocks c = clocks(a);
        std::vector<CopyMoment> all(700), row(50);
        std::vector<double> frames(50);
        for (std::size_t k = 0; k < 50; ++k) frames[k] = 1 + 3.7 * static_cast<double>(k);
        auto same = [](const CopyMoment& x, const CopyMoment& y) {
            return x.source == y.source && x.speed == y.speed && x.pass == y.pass && x.marks == y.marks;
        };
        for (std::size_t k : {std::size_t(0), std::size_t(20)}) {
            copy_moments(plan_, source_, c, 0, OutputFrame(frames[k]), all);
            for (std::size_t i = 0; i < 700; i += 7)
                QVERIFY(same(all[i], trace_copy(plan_, source_, c, i, OutputFrame(frames[k])).moment));
            QVERIFY(all[3].has(mark_absent) && all[600].has(mark_absent));
            std::vector<CopyMoment> some(10);
            copy_moments(plan_, source_, c, 300, OutputFrame(frames[k]), some);
            QVERIFY(same(some[4], all[304]));
        }
        row_moments(plan_, source_, c, 77, frames, row);
        for (std::size_t k = 0; k < 50; ++k)
            QVERIFY(same(row[k], trace_copy(plan_, source_, c, 77, OutputFrame(frames[k])).moment));
        const std::vector<std::uint32_t> which{5, 77, 690};
        const CopyClocks part = c.part(which);
        QVERIFY(same(trace_copy(plan_, source_, part, 1, OutputFrame(33)).moment,
                     trace_copy(plan_, source_, c, 77, OutputFrame(33)).moment));
    }
    void starts() {
        Arrangement a = line(2);
        a.spreads = {make(1, Target::delay, Driver::order_total, 0, 10)};
        a.begins.kind = StartKind::at_frame;
        a.begins.frame = OutputFrame(50);
        CopyClocks c = clocks(a);
        QCOMPARE(shown(c, 0, 50), 0.0);
        QCOMPARE(shown(c, 0, 60), 10.0);
        QCOMPARE(shown(c, 1, 65), 5.0);
        a.begins.kind = StartKind::together;
        c = clocks(a);
        QCOMPARE(shown(c, 0, 3), 49.0); // each stands at the pose it will start from
        QCOMPARE(shown(c, 1, 3), 39.0);
        QVERIFY(trace_copy(plan_, source_, c, 1, OutputFrame(3)).moment.has(mark_held));
        QCOMPARE(shown(c, 1, 55), 44.0);
        QVERIFY(!trace_copy(plan_, source_, c, 1, OutputFrame(55)).moment.has(mark_held));
    }
    void nothing_before_the_start_and_hidden_until_then() {
        const TimingPlan loop(timing_of("1:0 101:100", OutsideMode::repeat, OutsideMode::repeat));
        Arrangement a = line(2);
        Spread s = make(1, Target::delay, Driver::order_total, 0, 30);
        a.spreads = {s};
        auto at = [&](double t) {
            return trace_copy(loop, source_, CopyClocks(make_copies(a, {}), loop, {}, rate_, {1, 200}), 1,
                              OutputFrame(t))
                .moment;
        };
        QVERIFY(at(5).source > 50); // a loop is always on its way
        a.spreads[0].after_start = true;
        QCOMPARE(at(5).source, 0.0);
        QCOMPARE(at(5).speed, 0.0f);
        QCOMPARE(at(36).source, 5.0);
        QVERIFY(!at(5).has(mark_absent));
        a.begins.hidden_before = true;
        QVERIFY(!at(31).has(mark_absent));
        a.spreads[0].after_start = false;
        QVERIFY(at(30).has(mark_absent) && !at(31).has(mark_absent));
    }
    void flicker_shows_copies_for_their_share_of_the_time() {
        Arrangement a = line(200);
        Spread s = make(1, Target::visibility, Driver::order_total, 30, 30);
        s.changes = 24;
        a.spreads = {s};
        int seen = 0, changes = 0;
        const CopyClocks c = clocks(a);
        std::vector<CopyMoment> all(200), before(200);
        for (int f = 1; f <= 200; ++f) {
            copy_moments(plan_, source_, c, 0, OutputFrame(f), all);
            for (std::size_t i = 0; i < 200; ++i) {
                seen += !all[i].has(mark_absent);
                changes += f > 1 && all[i].has(mark_absent) != before[i].has(mark_absent);
            }
            before = all;
        }
        QVERIFY(close(seen / 40000.0, 0.3, 0.01));
        QVERIFY(close(changes / (199.0 * 200), 2 * 0.3 * 0.7, 0.02)); // independent from one change to the next
        a.spreads[0].strength.keys = {{1, 0, Toward::linear}};
        copy_moments(plan_, source_, clocks(a), 0, OutputFrame(9), all);
        for (const CopyMoment& m : all) QVERIFY(!m.has(mark_absent));
    }
    void carried_copies_live_as_long_as_their_carriers() {
        auto carriers = std::make_shared<Carriers>();
        carriers->moves = true;
        carriers->points = {{3, -INFINITY, 40}, {8, 20, INFINITY}};
        Arrangement a = line(1);
        a.layout.kind = ArrangementKind::points;
        a.layout.carried.source = SourceId(9);
        a.begins.kind = StartKind::at_birth;
        CarrierTime time;
        time.clock = clock_of_frames(0, 100);
        const CopyClocks c = clocks(a, time, {carriers, nullptr});
        auto absent = [&](std::size_t i, double t) {
            return trace_copy(plan_, source_, c, i, OutputFrame(t)).moment.has(mark_absent);
        };
        QVERIFY(!absent(0, 39.5) && absent(0, 40) && absent(1, 19.9) && !absent(1, 20) && !absent(1, 500));
        QCOMPARE(shown(c, 1, 20), 0.0); // its own time starts at its birth
        QCOMPARE(shown(c, 1, 32), 12.0);
        time.plan = TimingPlan(timing_of("1:0 201:100")); // carriers at half speed: born at output frame 41
        const CopyClocks slow = clocks(a, time, {carriers, nullptr});
        QCOMPARE(trace_copy(plan_, source_, slow, 1, OutputFrame(41)).moment.source, 0.0);
        QVERIFY(trace_copy(plan_, source_, slow, 1, OutputFrame(40)).moment.has(mark_absent));
    }
    void sizes_and_turns_with_amounts() {
        Arrangement a = line(3);
        Spread size = make(1, Target::size, Driver::order_total, 0, 100),
               turn = make(2, Target::turn, Driver::order_step, 0, 15),
               wobble = make(3, Target::wobble, Driver::order_total, 0, 100);
        turn.strength.keys = *parse_keys("1:0 11:1", "an amount");
        a.spreads = {size, turn, wobble};
        const CopyPlaces places(make_copies(a, {}), rate_);
        QVERIFY(places.moves());
        QCOMPARE(places.still()[2].size, 2.0);
        QCOMPARE(places.at(6, {})[2].turn, 15.0);
        QCOMPARE(places.at(60, {})[2].turn, 30.0);
        QCOMPARE(places.wobble_amounts(1), (std::vector<float>{0, 0.5f, 1}));
    }
    void copies_face_a_keyed_target() {
        Arrangement a = line(1);
        a.attitude.facing = Facing::target;
        a.attitude.targets = {{OutputFrame(1), V3d(0, 0, 5), Toward::linear},
                              {OutputFrame(11), V3d(10, 3, 5), Toward::linear}};
        const CopyPlaces places(make_copies(a, {}), rate_);
        QCOMPARE(places.at(1, {})[0].turn, 0.0);
        QVERIFY(close(places.at(6, {})[0].turn, 45, 1e-9));
    }
};
GARLAND_TEST_CASE(ClocksTest)
#include "clocks_test.moc"
