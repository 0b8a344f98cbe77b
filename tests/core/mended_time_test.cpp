// Cases of time that once went wrong: rounding at boundaries and wraps, limits that were too strict, loops that were
// guessed. See docs/trust.md for what each was.
#include "support/case.h"
#include "support/notation.h"

#include "core/base/parallel.h"
#include "core/base/portable_math.h"
#include "core/copies/parting.h"
#include "core/copies/twins.h"
#include "core/geometry/blend.h"
#include "core/loop/find_loops.h"
#include "core/project/looping.h"
#include "core/project/timings.h"
#include "core/project/varying.h"
#include "core/source/pose_cache.h"
#include "core/time/map_edits.h"
#include "core/time/operations.h"

#include <algorithm>
#include <random>
#include <thread>
#include <tuple>

using namespace garland;
using namespace garland::testing;

namespace {

Timing operated(const Timing& timing, const Operation& o) {
    auto done = operate(timing, o);
    if (!done) qFatal("%s", done.error().message.c_str());
    return done->timing;
}

// Units in the last place between two numbers.
double ulps(double a, double b) {
    return a == b ? 0
                  : std::abs(a - b) / (std::nextafter(std::max(std::abs(a), std::abs(b)), 1e300) -
                                       std::max(std::abs(a), std::abs(b)));
}

double least_apart_of(const std::vector<double>& d, double period) {
    double least = 1e300;
    for (std::size_t i = 0; i < d.size(); ++i) {
        for (std::size_t j = 0; j < i; ++j) {
            const double x = std::fmod(std::abs(d[i] - d[j]), period);
            least = std::min({least, x, period - x});
        }
    }
    return least;
}

} // namespace

class MendedTimeTest : public QObject {
    Q_OBJECT
  private slots:
    void phrase_boundaries_are_on_their_frames() {
        // 65 frames stretched onto 61, and 21 frames at 0.7: the next phrase begins on the very frame.
        Timing t = phrases_of("1-65 100-110", 1);
        t.phrases.list[0].speed = 65.0 / 61;
        QCOMPARE(boundaries(t.phrases, false)[1].value, 62.0);
        QCOMPARE(source_at(t, 62), 100.0);
        Timing u = phrases_of("1-21@0.7 50-60", 0);
        QCOMPARE(boundaries(u.phrases, false)[1].value, 30.0);
        QCOMPARE(source_at(u, 30), 50.0);
        std::mt19937 random(5);
        for (int round = 0; round < 3000; ++round) {
            const int frames = 2 + static_cast<int>(random() % 200), wanted = 1 + static_cast<int>(random() % 200);
            Timing v = phrases_of("1-" + std::to_string(frames) + " 500-510", static_cast<double>(random() % 100));
            v.phrases.list[0].speed = static_cast<double>(frames) / wanted;
            QCOMPARE(source_at(v, v.phrases.start.value + wanted), 500.0);
        }
    }
    void wraps_are_on_their_frames_before_the_span_too() {
        std::mt19937_64 random(6);
        for (double period : {29.97, 23.976, 1.1, 41.7, 1001.0 / 24, 96.0}) {
            for (int round = 0; round < 20000; ++round) {
                const auto k = static_cast<double>(static_cast<std::int64_t>(random() % 2000001) - 1000000);
                const auto w = TimingPlan::wrap(k * period, period, period, false);
                QVERIFY2(w.u == 0 && w.pass == k,
                         qPrintable(QString("%1 periods of %2: pass %3, %4").arg(k).arg(period).arg(w.pass).arg(w.u)));
            }
        }
    }
    void every_pass_that_follows_one_fades_in() {
        Timing t = phrases_of("1-10 20-29+4", 1, OutsideMode::repeat, OutsideMode::repeat);
        const TimingPlan plan(t);
        for (int pass = -3; pass <= 3; ++pass)
            QVERIFY2(plan.fading(OutputFrame(1 + 20 * pass + 1)).weight > 0, qPrintable(QString::number(pass)));
        Timing twice = t;
        twice.before.count = 2;
        const TimingPlan counted(twice);
        QVERIFY(counted.fading(OutputFrame(1 - 20 + 1)).weight > 0);
        QCOMPARE(counted.fading(OutputFrame(1 - 40 + 1)).weight, 0.0); // the very first pass
        QCOMPARE(TimingPlan(phrases_of("1-10 20-29+4", 1, OutsideMode::hold, OutsideMode::repeat))
                     .fading(OutputFrame(2))
                     .weight,
                 0.0);
    }
    void a_single_pose_stands_still() {
        Timing t = timing_of("10:5", OutsideMode::repeat, OutsideMode::repeat);
        t.map.keys[0].toward = Toward::free;
        t.map.keys[0].leave = 3;
        for (double at : {9.0, 10.0, 11.0, 200.0}) {
            QCOMPARE(source_at(t, at), 5.0);
            QCOMPARE(slope_at(t, at), 0.0);
        }
    }
    void a_ramp_to_a_stop_stays_where_it_is() {
        Operation o;
        o.kind = OperationKind::ramp;
        o.range = OutputSpan{OutputFrame(10), OutputFrame(20)};
        o.speed = 0;
        const Timing t = operated(timing_of("1:0 5:4| 60:50 90:80"), o);
        QCOMPARE(source_at(t, 20), 4.0); // inside the step, whose end was never reached
        QCOMPARE(source_at(t, 300), 4.0);
        o.range = OutputSpan{OutputFrame(24), OutputFrame(30)};
        const Timing held = operated(phrases_of("1-20 7-7*40 30-40", 1), o);
        QCOMPARE(source_at(held, 300), 7.0);
    }
    void ramps_begin_at_any_speed() {
        Operation o;
        o.kind = OperationKind::ramp;
        o.range = OutputSpan{OutputFrame(0), OutputFrame(100)};
        o.from_speed = 0;
        o.speed = 1;
        const Timing t = operated(timing_of("0:0 200:200"), o);
        QVERIFY(close(source_at(t, 50), 12.5, 1e-6)); // the integral, as docs/time.md has it
        QVERIFY(close(source_at(t, 100), 50, 1e-6));
        o.from_speed = -1;
        QVERIFY(!operate(timing_of("0:0 200:200"), o));
    }
    // M'(t) = M(p + q − t) on every whole frame, also where the map jumps between two of them.
    void reversing_is_exact_on_whole_frames() {
        std::mt19937 random(7);
        for (int round = 0; round < 2000; ++round) {
            TimeMap map;
            double at = 1;
            for (int k = 0; k < 6; ++k) {
                map.keys.push_back({OutputFrame(at), SourceFrame(static_cast<double>(random() % 50)),
                                    random() % 2 ? Toward::step : Toward::linear});
                at += 0.25 * static_cast<double>(1 + random() % 30);
            }
            const auto first = static_cast<int>(std::ceil(map.first().value)),
                       last = static_cast<int>(std::floor(map.last().value));
            if (last - first < 4) continue;
            const int p = first + static_cast<int>(random() % 2), q = last - static_cast<int>(random() % 2);
            const auto reversed = garland::reverse(map, OutputFrame(p), OutputFrame(q));
            QVERIFY2(reversed, reversed ? "" : reversed.error().message.c_str());
            Timing before, after;
            before.map = map;
            after.map = *reversed;
            for (int t = p; t <= q; ++t) {
                QVERIFY2(close(source_at(after, t), source_at(before, p + q - t), 1e-9),
                         qPrintable(QString("round %1, frame %2: %3 and %4")
                                        .arg(round)
                                        .arg(t)
                                        .arg(QString::fromStdString(map_text(map)),
                                             QString::fromStdString(map_text(*reversed)))));
            }
        }
        Operation o;
        o.kind = OperationKind::reverse;
        QVERIFY(operate(phrases_of("0-9@2 0-4"), o)->note.find("up to 1 of a source frame") != std::string::npos);
        QVERIFY(operate(phrases_of("0-9 0-4"), o)->note.empty());
    }
    void speeds_are_limited_only_where_they_come_too_low() {
        // Two of −60 % at half strength are −60 % in all: a rate of 0.4.
        Arrangement a;
        a.layout.count = 2;
        for (int k = 0; k < 2; ++k) {
            Spread s;
            s.id = SpreadId(static_cast<std::uint64_t>(10 + k));
            s.target = Target::speed;
            s.by.kind = Driver::order_total;
            s.from = s.to = -60;
            s.strength.keys = {{0, 0.5, Toward::smooth}, {100, 0.5, Toward::linear}};
            a.spreads.push_back(s);
        }
        auto rate_at = [&](const Arrangement& arrangement, double t) {
            const CopySet set = make_copies(arrangement, CopyGroundwork{});
            const Timing timing = timing_of("0:0 500:500");
            const TimingPlan plan(timing);
            const CopyClocks clocks(set, plan, CarrierTime{}, Rate{24, 1}, FrameRange{0, 100});
            return clocks.at(plan, 0, clocks.now(t)).rate;
        };
        QVERIFY(close(rate_at(a, 50), 0.4, 1e-12));
        // One after the other: −60 % each, never both at once.
        a.spreads[0].strength.keys = {{0, 1, Toward::linear}, {50, 0, Toward::linear}};
        a.spreads[1].strength.keys = {{0, 0, Toward::linear}, {50, 1, Toward::linear}};
        QVERIFY(close(rate_at(a, 0), 0.4, 0.02));
        QVERIFY(close(rate_at(a, 60), 0.4, 0.02));
        // Both whole at once would run backward: never below a thousandth.
        a.spreads[0].strength.keys =
            a.spreads[1].strength.keys = {{0, 0, Toward::smooth}, {50, 1, Toward::smooth}, {100, 0, Toward::linear}};
        for (double t = 0; t <= 100; t += 0.5) QVERIFY2(rate_at(a, t) >= 0.001 - 1e-9, qPrintable(QString::number(t)));
        QVERIFY(rate_at(a, 50) < 0.01);
    }
    void pulling_apart_on_a_loop_takes_the_least() {
        PartRule r{1, 20, true};
        r.low = 0;
        const auto three = part_all(std::vector<double>{0, 0, 0}, r);
        std::vector<double> sorted = three->delays;
        std::sort(sorted.begin(), sorted.end());
        QCOMPARE(sorted, (std::vector<double>{0, 1, 2}));
        // Against looking at everything, with limits.
        std::mt19937 random(8);
        for (int round = 0; round < 150; ++round) {
            std::vector<double> d(4);
            for (double& v : d) v = static_cast<double>(random() % 6);
            PartRule rule{static_cast<double>(1 + random() % 2), 10, true};
            rule.low = 0, rule.high = static_cast<double>(7 + random() % 8);
            const auto out = part_all(d, rule);
            if (!out) continue;
            double best = 1e300;
            for (int k = 0; k < 15 * 15 * 15 * 15; ++k) {
                const std::vector<double> x{static_cast<double>(k % 15), static_cast<double>(k / 15 % 15),
                                            static_cast<double>(k / 225 % 15), static_cast<double>(k / 3375)};
                double sum = 0;
                for (int i = 0; i < 4; ++i)
                    sum += std::abs(x[static_cast<std::size_t>(i)] - d[static_cast<std::size_t>(i)]);
                if (sum >= best || *std::max_element(x.begin(), x.end()) > rule.high ||
                    least_apart_of(x, 10) < rule.apart)
                    continue;
                best = sum;
            }
            QVERIFY(least_apart_of(out->delays, 10) >= rule.apart - 1e-9);
            QVERIFY2(out->total <= best + 1 + 1e-9,
                     qPrintable(QString("round %1: %2, the least is %3").arg(round).arg(out->total).arg(best)));
        }
    }
    void copies_exactly_at_the_threshold_are_not_alike() {
        const TimingPlan plan(timing_of("0:0 96:96", OutsideMode::repeat, OutsideMode::repeat));
        std::vector<CopyClock> clocks;
        for (int k = 0; k < 60; ++k) clocks.push_back({k * 0.1, 1});
        TwinRule rule;
        rule.alike_below = 0.1;
        rule.period = 97;
        const auto report = find_twins(plan, clock_of_frames(0, 200), CopyClocks(clocks), {1, 200}, rule);
        QCOMPARE(report->groups.size(), std::size_t(0));
    }
    // A list of phrases over the same frames at other speeds, and a map that comes back: the end is not beside the
    // start.
    void only_one_way_loops_are_compared_round() {
        auto rule_of = [](const Timing& timing) {
            Show show;
            ArrangementShow a;
            a.plan = TimingPlan(timing);
            return twin_rule(show, a);
        };
        QVERIFY(close(rule_of(timing_of("0:0 95:95", OutsideMode::hold, OutsideMode::repeat)).period, 96, 1e-6));
        QVERIFY(close(rule_of(timing_of("0:95 95:0", OutsideMode::hold, OutsideMode::repeat)).period, 96, 1e-6));
        QCOMPARE(rule_of(timing_of("0:0 50:40 95:10", OutsideMode::hold, OutsideMode::repeat)).period, 0.0);
        QCOMPARE(rule_of(phrases_of("0-10 0-10@0.5", 1, OutsideMode::hold, OutsideMode::repeat)).period, 0.0);
    }
    void standing_still_together_is_no_twinship() {
        // Both wait for ninety of a hundred frames, then play ten at quite different moments of the source.
        const TimingPlan plan(timing_of("90:0 99:90", OutsideMode::hold, OutsideMode::hold));
        const CopyClocks clocks(std::vector<CopyClock>{{0, 1}, {4, 1}});
        TwinRule rule;
        QVERIFY(find_twins(plan, clock_of_frames(0, 90), clocks, {1, 100}, rule)->groups.empty());
        const auto nobody = have_twins(plan, clock_of_frames(0, 90), clocks, {1, 100}, rule);
        QCOMPARE(std::count(nobody->begin(), nobody->end(), 1), 0);
        rule.only_moving = false;
        QCOMPARE(find_twins(plan, clock_of_frames(0, 90), clocks, {1, 100}, rule)->groups.size(), std::size_t(1));
        // In step while they move they are twins, however long they rest.
        rule.only_moving = true;
        const CopyClocks together(std::vector<CopyClock>{{0, 1}, {0, 1}});
        QCOMPARE(find_twins(plan, clock_of_frames(0, 90), together, {1, 100}, rule)->groups.size(), std::size_t(1));
    }
    void single_outs_do_not_meet_alone() {
        Arrangement a;
        a.single_out = SingleOut{};
        const auto done = meet_at(a, {OutputFrame(40)});
        QVERIFY(!done && done.error().message.find("singled out") != std::string::npos);
    }
    // p(t) = t²: met exactly between any frames, beside gaps and at both ends.
    void parabolas_are_met_exactly() {
        auto pose_at = [](double t) {
            auto pose = std::make_shared<Pose>();
            pose->points = {V3f(static_cast<float>(t * t), static_cast<float>(3 * t), 0)};
            return PosePtr(pose);
        };
        for (double before : {0.0, 1.0, 2.0, 0.5}) {
            for (double after : {0.0, 1.0, 3.0, 0.25}) {
                if (before == 0 && after == 0) continue;
                const Beside left{before > 0 ? pose_at(4 - before) : nullptr, before},
                    right{after > 0 ? pose_at(5 + after) : nullptr, after};
                for (double w : {0.1, 0.25, 0.5, 0.9}) {
                    const V3f p = blend_through(left, pose_at(4), pose_at(5), right, w)->points[0];
                    QVERIFY2(std::abs(p.x - (4 + w) * (4 + w)) < 2e-5,
                             qPrintable(QString("%1 %2 %3: %4").arg(before).arg(after).arg(w).arg(p.x)));
                }
            }
        }
    }
    // Against the system's library: equal to two units in the last place (it differs by processor, so not exactly).
    void portable_functions() {
        std::mt19937_64 random(9);
        auto between = [&](double a, double b) { return a + (b - a) * static_cast<double>(random() >> 11) * 0x1p-53; };
        for (int k = 0; k < 200000; ++k) {
            const double wide = between(-7e5, 7e5), angle = between(-10, 10), x = between(-700, 700),
                         positive = std::exp(between(-300, 300)), y = between(-50, 50), z = between(-50, 50),
                         c = between(-1, 1);
            for (double a : {wide, angle}) {
                QVERIFY(std::abs(portable::sin(a) - std::sin(a)) <= 2.5e-16 &&
                        std::abs(portable::cos(a) - std::cos(a)) <= 2.5e-16);
            }
            QVERIFY(ulps(portable::exp(x), std::exp(x)) <= 2);
            QVERIFY(std::abs(portable::log(positive) - std::log(positive)) <=
                    2e-16 * std::max(1.0, std::abs(std::log(positive))));
            QVERIFY(ulps(portable::atan2(y, z), std::atan2(y, z)) <= 3);
            QVERIFY(std::abs(portable::acos(c) - std::acos(c)) <= 4e-16 * 3.2);
            QVERIFY(ulps(portable::cbrt(x), std::cbrt(x)) <= 3);
        }
        QCOMPARE(portable::sin(0.0), 0.0);
        QCOMPARE(portable::cos(0.0), 1.0);
        QCOMPARE(portable::exp(0.0), 1.0);
        QCOMPARE(portable::log(1.0), 0.0);
        QCOMPARE(portable::cbrt(27.0), 3.0);
        QCOMPARE(portable::atan2(0, -1), std::acos(-1.0));
    }
    // Making a pose may fail in any way, and may itself work in parallel: those who wait are told, and nobody waits for
    // ever.
    void the_pose_cache_survives_what_makes_its_poses() {
        PoseCache cache(std::size_t(1) << 20);
        const PoseKey key{1, 1};
        for (int way = 0; way < 3; ++way) {
            const auto failed = cache.get(key, [&]() -> Result<PosePtr> {
                if (way == 0) throw std::runtime_error("broken");
                if (way == 1) throw std::bad_alloc();
                throw 7;
            });
            QVERIFY(!failed);
            QVERIFY(!cache.has(key));
        }
        std::atomic<int> made{0};
        std::vector<std::thread> threads;
        for (int k = 0; k < 6; ++k) {
            threads.emplace_back([&] {
                for (int round = 0; round < 200; ++round) {
                    parallel_for(8, 1, [&](std::size_t from, std::size_t to) {
                        for (std::size_t i = from; i < to; ++i) {
                            const auto pose = cache.get(
                                {2, static_cast<double>(round * 8) + static_cast<double>(i)}, [&]() -> Result<PosePtr> {
                                    std::atomic<int> sum{0};
                                    parallel_for(64, 1,
                                                 [&](std::size_t a, std::size_t b) { sum += static_cast<int>(b - a); });
                                    ++made;
                                    return PosePtr(std::make_shared<Pose>());
                                });
                            if (!pose) qFatal("no pose");
                        }
                    });
                }
            });
        }
        for (std::thread& t : threads) t.join();
        QVERIFY(made >= 1600);
    }
    void closings_give_timings_back() {
        Project p;
        const SourceId id = add_source(p, "drop", "drop.ply", {0, 200, {24, 1}});
        Timing& t = p.timings[0];
        t.map = parse_map("1:0 40:39 60:39~ 120:99");
        t.after = {OutsideMode::there_and_back, 3};
        const Project before = p;
        Closing c;
        c.start = 40, c.length = 50;
        QVERIFY(close_source(p, id, c, 0, 200));
        QVERIFY(p.timings[0].last_is_first && !(p.timings[0] == before.timings[0]));
        c.length = 60; // once more: what was first is what is kept
        QVERIFY(close_source(p, id, c, 0, 200));
        Project changed = p;
        QVERIFY(open_source_again(p, id, 0, 200));
        QVERIFY(p == before);
        // What was changed since the closing stays, without the loop's own mark.
        changed.timings[0].map.keys.push_back({changed.timings[0].map.last() + 10, SourceFrame(45)});
        QVERIFY(open_source_again(changed, id, 0, 200));
        QCOMPARE(changed.timings[0].map.keys.size(), std::size_t(3));
        QVERIFY(!changed.timings[0].last_is_first);
    }
    void timings_follow_their_source() {
        Project p;
        WaterSpec water;
        water.loop = 360;
        const SourceId id = add_water(p, "canal", water);
        const SourceClock then = clock_of(p.sources[0], 0, 360, p.settings.rate),
                          now = clock_of(p.sources[0], 0, 180, p.settings.rate);
        const Followed moved = follow_source(p, id, then, now);
        QCOMPARE(moved.moved.size(), std::size_t(1));
        QCOMPARE(p.timings[0].map.last().value, 181.0);
        QCOMPARE(p.timings[0].map.keys.back().source.value, 180.0);
        QVERIFY(moved.words(p, now).find("plays frames 0 to 180 now") != std::string::npos);
        p.timings[0].map = parse_map("1:0 60:30"); // by hand
        const Timing mine = p.timings[0];
        const Followed kept = follow_source(p, id, now, then);
        QVERIFY(kept.moved.empty() && kept.kept.size() == 1 && p.timings[0] == mine);
        QVERIFY(kept.words(p, then).find("stays") != std::string::npos);
        QCOMPARE(frames_never_shown(mine, then), std::int64_t(330));
    }
    // Frames 0 … 59 of a motion of 60 frames, the way loops are delivered: nothing to close.
    void loops_as_they_are_delivered() {
        auto matrix_of = [](int frames, double period, double drift) {
            FrameMatrix m;
            m.frames = static_cast<std::size_t>(frames);
            m.values.resize(m.frames * m.frames);
            for (int i = 0; i < frames; ++i) {
                for (int j = 0; j < frames; ++j) {
                    const double turn = 2 * std::acos(-1.0) * (i - j) / period;
                    m.values[static_cast<std::size_t>(i) * m.frames + static_cast<std::size_t>(j)] =
                        static_cast<float>(std::hypot(2 * std::sin(turn / 2), drift * (i - j)));
                }
            }
            return m;
        };
        const auto wave = own_loop(matrix_of(60, 60, 0));
        QVERIFY(wave);
        QCOMPARE(wave->period, std::int64_t(60));
        QVERIFY(!wave->last_is_first);
        const auto closed = own_loop(matrix_of(61, 60, 0));
        QVERIFY(closed);
        QCOMPARE(closed->period, std::int64_t(60));
        QVERIFY(closed->last_is_first);
        QVERIFY(!own_loop(matrix_of(50, 60, 0)));
        QVERIFY(!own_loop(matrix_of(58, 60, 0)));
        QVERIFY(!own_loop(matrix_of(60, 60, 0.05))); // it comes round, but elsewhere
    }
    // 3 000 frames have some four million candidates; a few hundred are kept, and the same ones are told.
    void finding_loops_keeps_few() {
        FrameMatrix m;
        m.frames = 700;
        m.values.resize(m.frames * m.frames);
        std::mt19937 random(12);
        for (std::size_t i = 0; i < m.frames; ++i) {
            for (std::size_t j = 0; j < i; ++j)
                m.values[i * m.frames + j] = m.values[j * m.frames + i] = static_cast<float>(1 + random() % 1000);
        }
        LoopWish wish;
        wish.most = 30;
        const auto found = find_loops(m, wish);
        QVERIFY(found);
        // By sorting all of them, as it was once done.
        struct Candidate {
            double score;
            std::int64_t length, start;
        };
        std::vector<Candidate> all;
        for (std::int64_t a = 0; a < 700; ++a) {
            for (std::int64_t l = wish.shortest; a + l < 700; ++l) {
                double squares = 0;
                int seen = 0;
                for (std::int64_t i = -2; i <= 2; ++i) {
                    if (a + i < 0 || a + l + i >= 700) continue;
                    const double d = m.at(static_cast<std::size_t>(a + i), static_cast<std::size_t>(a + l + i));
                    squares += d * d, ++seen;
                }
                all.push_back({std::sqrt(squares / seen), l, a});
            }
        }
        std::sort(all.begin(), all.end(), [](const Candidate& x, const Candidate& y) {
            return std::tuple(x.score, -x.length, x.start) < std::tuple(y.score, -y.length, y.start);
        });
        std::vector<Candidate> wanted;
        for (const Candidate& c : all) {
            if (wanted.size() == 30) break;
            if (std::none_of(wanted.begin(), wanted.end(), [&](const Candidate& o) {
                    return std::abs(o.start - c.start) < 4 && std::abs(o.length - c.length) < 4;
                }))
                wanted.push_back(c);
        }
        QCOMPARE(found->size(), wanted.size());
        for (std::size_t i = 0; i < wanted.size(); ++i)
            QVERIFY((*found)[i].start == wanted[i].start && (*found)[i].length == wanted[i].length);
        struct Stop : Progress {
            bool cancelled() const override { return true; }
        } stop;
        QCOMPARE(find_loops(m, wish, stop).error().code, ErrorCode::cancelled);
    }
    void trace_says_why_nothing_is_shown() {
        Project p;
        add_source(p, "drop", "drop.ply", {0, 100, {24, 1}});
        p.arrangements[0].layout.count = 3;
        p.arrangements[0].begins.hidden_before = true;
        p.arrangements[0].by_hand.nudges = {{CopyId(0), 50}};
        PoseCache cache(std::size_t(1) << 20);
        auto words_of = [&](OutputFrame t) {
            const ShowPtr show = make_show(p, {}, cache);
            std::string words;
            const auto traced = trace(*show, 0, t);
            for (const TraceStage& s : traced->stages) words += s.name + ": " + s.words + "\n";
            return words;
        };
        QVERIFY(words_of(OutputFrame(10)).find("hidden until its motion starts") != std::string::npos);
        QVERIFY(words_of(OutputFrame(60)).find("not shown") == std::string::npos);
        p.timings[0].after = {OutsideMode::absent, 0};
        QVERIFY(words_of(OutputFrame(300)).find("the timing hides it") != std::string::npos);
    }
    // A hundred thousand parts: their names, and what lies below one, are found by looking at each once.
    void names_of_many_parts() {
        struct Chain final : Source {
            SourceFacts known;
            const SourceFacts& facts() const override { return known; }
            std::vector<std::string> files() const override { return {}; }
            Result<PosePtr> read(std::int64_t, Progress&) const override { return PosePtr(std::make_shared<Pose>()); }
            std::vector<PartName> parts() const override {
                std::vector<PartName> out;
                for (int i = 0; i < 100000; ++i) out.push_back({"link " + std::to_string(i), i - 1});
                return out;
            }
        } chain;
        QCOMPARE(part_names(chain).size(), std::size_t(100000));
        QCOMPARE(parts_called(chain, "link 99990").size(), std::size_t(10));
        QCOMPARE(parts_called(chain, "link 0").size(), std::size_t(100000));
        QVERIFY(parts_called(chain, "nothing").empty());
    }
    void keys_that_are_not_there_are_errors() {
        const TimeMap map = parse_map("1:0 9:8");
        QCOMPARE(move_key(map, 2, OutputFrame(3), SourceFrame(3)).error().code, ErrorCode::not_found);
        QCOMPARE(remove_key(map, 7).error().code, ErrorCode::not_found);
        TimeMap steep = map;
        steep.keys[0].toward = Toward::free;
        steep.keys[0].leave = 1e308;
        QVERIFY(!validate(steep));
    }
};
GARLAND_TEST_CASE(MendedTimeTest)
#include "mended_time_test.moc"
