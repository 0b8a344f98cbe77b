// Time from place and level: zones, waves, and what they make of copies' clocks.
#include "support/case.h"
#include "support/notation.h"

#include "core/copies/copy_playing.h"
#include "core/copies/copy_times.h"
#include "core/copies/places.h"
#include "core/drivers/crossings.h"
#include "core/drivers/distance_grid.h"
#include "core/drivers/noise_driver.h"
#include "support/patience.h"

#include <gsl/gsl_integration.h>
#include <random>
#include <tbb/global_control.h>

using namespace garland;
using namespace garland::testing;

namespace {

Zone zone_of(ZoneShape shape, const std::vector<ZoneKey>& keys, double inner, double outer) {
    Zone z;
    z.id = ZoneId(9);
    z.name = "breeze";
    z.shape = shape;
    z.keys = keys;
    z.inner = inner, z.outer = outer;
    return z;
}

ZoneKey key(double at, V3d place, V3d turn = V3d(0), double size = 1, Toward toward = Toward::linear) {
    return {OutputFrame(at), place, turn, size, toward};
}

} // namespace

class PlayingTest : public QObject {
    Q_OBJECT
    const TimingPlan plan_{timing_of("1:0 101:100")};
    const SourceClock source_ = clock_of_frames(0, 100);

    struct Played {
        CopySet set;
        CopyClocks clocks;
        CopyPlayingPtr playing;
    };
    // A line of copies along x from `from`, `apart` metres from one to the next.
    Played played(const Play& play, const std::vector<Zone>& zones, int count = 1, double apart = 1,
                  std::vector<Spread> spreads = {}, const TimingPlan* plan = nullptr,
                  FrameRange range = {1, 200}) const {
        if (!plan) plan = &plan_;
        Arrangement a;
        a.layout.count = count;
        a.layout.spacing = apart;
        a.play = play;
        a.spreads = std::move(spreads);
        Played out;
        out.set = make_copies(a, {});
        out.clocks = CopyClocks(out.set, *plan, {}, Rate{24, 1}, range);
        LevelGround ground;
        ground.range = range;
        for (const Zone& z : zones) ground.zones[z.id] = std::make_shared<ZonePlan>(z);
        const double pass = plan->loop() > 0 ? plan->period() : plan->length();
        out.playing = *CopyPlaying::make(play, CopyLevels(play.level, ground, {out.set.places, nullptr}, out.set),
                                         {plan->first().value, plan->length(), pass}, out.clocks.own_rate(),
                                         out.clocks.starts(*plan));
        out.clocks.set_playing(out.playing);
        return out;
    }
    double local(const Played& p, std::size_t i, double t, const TimingPlan* plan = nullptr) const {
        return p.clocks.at(plan ? *plan : plan_, i, p.clocks.now(t)).local;
    }
    static Play by(PlayBy by) {
        Play p;
        p.by = by;
        return p;
    }
    static Zone random_zone(std::mt19937& random) {
        auto between = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
        std::vector<ZoneKey> keys;
        double at = between(-5, 5);
        const int count = 2 + static_cast<int>(random() % 3);
        for (int k = 0; k < count; ++k) {
            const V3d place{between(-4, 4), between(-1, 1), between(-3, 3)}; // braces: the same order in every compiler
            const V3d turn{between(-90, 90), between(-180, 180), between(-90, 90)};
            keys.push_back(key(at, place, turn, between(0.3, 2), k % 2 ? Toward::smooth : Toward::linear));
            at += between(3, 30);
        }
        const auto shape = static_cast<ZoneShape>(random() % 5);
        const double inner = between(-0.5, 0.5);
        Zone z = zone_of(shape, keys, inner, inner + between(0, 1.5));
        z.size = V3d{between(0.5, 3), between(0.5, 3), between(0.5, 3)};
        z.path = {V3d(-1, 0, 0), V3d(0, 0.5, 1), V3d(1, 0, -0.5)};
        z.inverted = random() % 4 == 0;
        return z;
    }

  private slots:
    // The chord of a circle: a ball of radius R that passes at speed v and distance d is over a place for 2·√(R² −
    // d²)/v.
    void a_passing_ball_is_entered_and_left_a_chord_apart() {
        for (const double d : {0.0, 0.3, 0.9, 0.99}) {
            Zone z = zone_of(ZoneShape::ball, {key(10, V3d(-20, d, 0)), key(90, V3d(20, d, 0))}, 0, 0);
            z.size = V3d(2);
            const Played p = played(by(PlayBy::starts), {z});
            const auto visits = p.playing->visits(0);
            QCOMPARE(visits.size(), std::size_t(1));
            const double v = 0.5, chord = 2 * std::sqrt(1 - d * d) / v;
            QVERIFY(close(visits[0].to - visits[0].from, chord, 1e-9));
            QVERIFY(close(visits[0].from, 50 - chord / 2, 1e-9));
        }
    }
    // Asked for one copy after another at one frame, a level has the same bits as asked for alone.
    void copies_asked_for_in_a_row_have_the_same_levels() {
        std::mt19937 random(12);
        int inside = 0, between = 0, outside = 0;
        for (int round = 0; round < 60; ++round) {
            std::vector<Zone> zones{random_zone(random)};
            if (round % 2) zones[0].shape = ZoneShape::ball;
            if (round % 3 == 0) zones[0].response = *parse_keys("0:0 0.4:0.9 1:1", "a curve");
            if (round % 5 == 0) zones.push_back(random_zone(random)), zones[1].id = ZoneId(21);
            const Played p = played(by(PlayBy::level), zones, 200, 0.1);
            const CopyLevels& levels = p.playing->levels();
            for (const double t : {-3.0, 4.5, 11.0, 23.25, 60.0}) {
                CopyLevels::Lately lately;
                for (std::size_t i = 0; i < 200; ++i) {
                    const CopyLevels::Level alone = levels.at(i, t), in_a_row = levels.at(i, t, lately);
                    QVERIFY(in_a_row.value == alone.value); // not nearly
                    QVERIFY(in_a_row.rate == alone.rate);
                    ++(alone.value >= 1 ? inside : alone.value > 0 ? between : outside);
                }
            }
        }
        QVERIFY(inside > 1000 && between > 1000 && outside > 1000); // all of it has been looked at
    }
    void a_zone_that_flies_past_between_two_frames_is_not_missed() {
        Zone z = zone_of(ZoneShape::ball, {key(10, V3d(-5000, 0, 0)), key(12, V3d(5000, 0, 0))}, 0, 0);
        z.size = V3d(0.02); // over the copy for four millionths of a frame
        const auto visits = played(by(PlayBy::starts), {z}).playing->visits(0);
        QCOMPARE(visits.size(), std::size_t(1));
        QVERIFY(close(visits[0].to - visits[0].from, 0.02 / 5000, 1e-9));
    }
    void a_wall_plays_the_whole_motion_in_edge_over_speed() {
        // faces +z, comes along +z at 0.25 m a frame with an edge of 5 m: 20 frames
        const Zone z = zone_of(ZoneShape::wall, {key(1, V3d(0, 0, -20)), key(201, V3d(0, 0, 30))}, 0, 5);
        const Played p = played(by(PlayBy::level), {z});
        const double reaches = 1 + (20 - 5) / 0.25;
        for (double share : {0.0, 0.25, 0.5, 0.9, 1.0})
            QVERIFY(close(local(p, 0, reaches + 20 * share), 1 + 100 * share, 1e-9));
        QCOMPARE(local(p, 0, 2), 1.0);
        QCOMPARE(local(p, 0, 200), 101.0);
        // common practice, no source: limited to a half, a motion shows only its first half
        Play half = by(PlayBy::level);
        half.to = 0.5;
        QCOMPARE(local(played(half, {z}), 0, 200), 51.0);
        // one hump plays it forward and back
        Play hump = by(PlayBy::level);
        hump.response = *parse_keys("0:0 0.5:1 1:0", "a curve");
        const Played there = played(hump, {z});
        QVERIFY(close(local(there, 0, reaches + 10), 101, 1e-9));
        QVERIFY(close(local(there, 0, reaches + 15), 51, 1e-9));
        QCOMPARE(local(there, 0, 200), 1.0);
    }
    // Distances and their rates against the definition: rates by central differences, the bound at random pairs of
    // times.
    void distances_change_as_fast_as_they_say_and_never_faster_than_the_bound() {
        std::mt19937 random(11);
        int inside = 0, compared = 0;
        for (int round = 0; round < 400; ++round) {
            const Zone z = random_zone(random);
            QVERIFY2(validate(z), validate(z) ? "" : describe(validate(z).error()).c_str());
            const ZonePlan plan(z);
            auto between = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
            const PlaceTrack copy(V3d{between(-4, 4), between(-1, 1), between(-3, 3)});
            for (std::size_t k = 0; k + 1 < plan.bends().size(); ++k) {
                const double from = plan.bends()[k], to = std::nextafter(plan.bends()[k + 1], from), h = 1e-5;
                const double steepest = plan.steepest(from, to, copy, 0);
                for (int n = 0; n < 20; ++n) {
                    const double a = between(from, to), b = between(from, to);
                    const double da = plan.distance(a, copy.at(a)).value, db = plan.distance(b, copy.at(b)).value;
                    QVERIFY(std::abs(da - db) <= steepest * std::abs(a - b) + 1e-9);
                    inside += da < 0;
                    if (a - h <= from || a + h >= to) continue;
                    const double before = plan.distance(a - h, copy.at(a - h)).value,
                                 after = plan.distance(a + h, copy.at(a + h)).value;
                    const bool kink = std::abs((after - da) - (da - before)) > 1e-7; // at an edge of a box
                    if (!kink) {
                        QVERIFY(close(plan.distance(a, copy.at(a)).rate, (after - before) / (2 * h), 2e-4));
                        ++compared;
                    }
                    const double la = plan.level(a - h, copy.at(a - h)).value,
                                 lb = plan.level(a + h, copy.at(a + h)).value;
                    const auto level = plan.level(a, copy.at(a));
                    const bool bends = std::abs(lb + la - 2 * level.value) > 1e-6;
                    if (!kink && !bends)
                        QVERIFY(close(level.rate, (lb - la) / (2 * h), 1e-3 + 1e-3 * std::abs(level.rate)));
                }
            }
        }
        QVERIFY(inside > 500 && compared > 10'000);
    }
    // Exact distances of box and cylinder against the nearest of many points of their surface.
    void distances_are_those_to_the_nearest_point_of_the_surface() {
        std::mt19937 random(3);
        auto between = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
        for (const ZoneShape shape : {ZoneShape::box, ZoneShape::cylinder}) {
            Zone z = zone_of(shape, {key(1, V3d(0))}, 0, 1);
            z.size = V3d(2, 3, 1.5);
            const ZonePlan plan(z);
            std::vector<V3d> surface;
            for (int n = 0; n < 200'000; ++n) {
                if (shape == ZoneShape::box) {
                    V3d p(between(-1, 1), between(-1.5, 1.5), between(-0.75, 0.75));
                    const int axis = n % 3;
                    p[axis] = (n % 2 ? 0.5 : -0.5) * z.size[axis];
                    surface.push_back(p);
                } else {
                    const double angle = between(0, 2 * M_PI), r = n % 2 ? 1 : std::sqrt(between(0, 1));
                    surface.emplace_back(r * std::cos(angle), n % 2 ? between(-1.5, 1.5) : (n % 4 ? 1.5 : -1.5),
                                         r * std::sin(angle));
                }
            }
            for (int n = 0; n < 40; ++n) {
                const V3d p(between(-3, 3), between(-3, 3), between(-3, 3));
                double least = 1e9;
                for (const V3d& s : surface) least = std::min(least, (s - p).length());
                const bool within = shape == ZoneShape::box
                                        ? std::abs(p.x) < 1 && std::abs(p.y) < 1.5 && std::abs(p.z) < 0.75
                                        : std::hypot(p.x, p.z) < 1 && std::abs(p.y) < 1.5;
                QVERIFY(close(plan.distance(1, {p, V3d(0)}).value, within ? -least : least, 0.03));
            }
        }
    }
    void a_closed_mesh_gives_the_distances_of_its_shape() {
        Pose cube;
        auto faces = std::make_shared<Faces>();
        for (int k = 0; k < 8; ++k)
            cube.points.emplace_back(k & 1 ? 1.f : -1.f, k & 2 ? 1.f : -1.f, k & 4 ? 1.f : -1.f);
        faces->starts = {0, 4, 8, 12, 16, 20, 24};
        faces->corners = {0, 2, 3, 1, 4, 5, 7, 6, 0, 1, 5, 4, 2, 6, 7, 3, 0, 4, 6, 2, 1, 3, 7, 5};
        cube.faces = faces;
        QCOMPARE(open_edges(cube), std::size_t(0));
        const DistanceGridPtr grid = *DistanceGrid::make(cube, 2);
        Zone z = zone_of(ZoneShape::box, {key(1, V3d(0))}, 0, 1);
        const ZonePlan box(z);
        std::mt19937 random(5);
        auto between = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
        for (int n = 0; n < 2000; ++n) {
            const V3d p(between(-2, 2), between(-2, 2), between(-2, 2));
            const double is = box.distance(1, {p, V3d(0)}).value, got = grid->at(p);
            QVERIFY2(std::abs(is - got) < grid->step(),
                     qPrintable(QString("%1 %2 %3: %4, %5").arg(p.x).arg(p.y).arg(p.z).arg(is).arg(got)));
        }
        QVERIFY(grid->at(V3d(40, 0, 0)) > 2); // beyond the grid never nearer than what it reaches
        auto open = std::make_shared<Faces>(*faces);
        open->starts.pop_back();
        open->corners.resize(20);
        cube.faces = open;
        const auto refused = DistanceGrid::make(cube, 1);
        QVERIFY(!refused);
        QVERIFY(describe(refused.error()).find("4 edges are not between exactly two faces") != std::string::npos);
    }
    // Speeds against GSL's adaptive quadrature with break points at entries and exits, and against 10⁵ steps a frame.
    void speeds_are_integrals_of_the_level() {
        Zone z = zone_of(ZoneShape::ball,
                         {key(10, V3d(-12, 0.4, 0)), key(60, V3d(10, 0.7, 1), V3d(0), 1.5, Toward::smooth),
                          key(90, V3d(0, 0, 0), V3d(0), 0.5)},
                         -0.3, 1.2);
        z.response = *parse_keys("0:0 smooth 0.6:1 1:0.8", "a curve");
        Play play = by(PlayBy::speed);
        play.speed = -0.3;
        const Played p = played(play, {z}, 3, 2.5);
        const ZonePlan plan(z);
        gsl_integration_workspace* work = gsl_integration_workspace_alloc(4000);
        for (std::size_t i = 0; i < 3; ++i) {
            struct Of {
                const CopyPlaying* playing;
                std::size_t copy;
            } of{p.playing.get(), i};
            gsl_function f{[](double x, void* o) {
                               const auto* own = static_cast<const Of*>(o);
                               return 1 + own->playing->level(own->copy, x).value * -1.3;
                           },
                           &of};
            std::vector<double> cuts = p.playing->levels().cuts(i, {});
            QVERIFY(cuts.size() > 4);
            for (double t : {0.0, 30.0, 47.3, 61.0, 88.5, 140.0}) {
                std::vector<double> points{1};
                for (double c : cuts) {
                    if (c > std::min(1.0, t) && c < std::max(1.0, t)) points.push_back(c);
                }
                points.push_back(t);
                if (t < 1) std::reverse(points.begin(), points.end());
                double sum = 0, error = 0;
                gsl_integration_qagp(&f, points.data(), points.size(), 1e-10, 1e-10, 4000, work, &sum, &error);
                if (t < 1) sum = -sum;
                QVERIFY2(close(local(p, i, t) - 1, sum, 1e-5), qPrintable(QString("%1 at %2: %3, %4")
                                                                              .arg(i)
                                                                              .arg(t)
                                                                              .arg(local(p, i, t) - 1, 0, 'g', 12)
                                                                              .arg(sum, 0, 'g', 12)));
            }
        }
        gsl_integration_workspace_free(work);
        double brute = 0;
        constexpr int steps = 100'000;
        for (int frame = 40; frame < 44; ++frame) {
            for (int k = 0; k < steps; ++k)
                brute += (1 - 1.3 * p.playing->level(1, frame + (k + 0.5) / steps).value) / steps;
        }
        QVERIFY(close(local(p, 1, 44) - local(p, 1, 40), brute, 1e-5));
        // the rate is the level's at that moment
        for (double t : {25.0, 52.0, 71.0}) {
            const auto own = p.clocks.at(plan_, 1, p.clocks.now(t));
            QVERIFY(close(own.rate, 1 - 1.3 * p.playing->level(1, t).value, 1e-4));
        }
    }
    void a_zone_holds_slows_and_runs_backward_exactly() {
        // a box over the copy from frame 20 to 40, with hard edges
        Zone z = zone_of(ZoneShape::box, {key(0, V3d(-21, 0, 0)), key(60, V3d(39, 0, 0))}, 0, 0);
        z.size = V3d(20, 2, 2);
        auto at = [&](double speed, double t) {
            Play play = by(PlayBy::speed);
            play.speed = speed;
            return local(played(play, {z}), 0, t);
        };
        const double in = 11, out = 31; // 21 − 10 and 21 + 10 at a metre a frame
        QCOMPARE(at(0, in), in);
        QVERIFY(close(at(0, 25), in, 1e-9)); // held
        QVERIFY(close(at(0, 50), in + (50 - out), 1e-9));
        QVERIFY(close(at(0.2, 31), in + 4, 1e-6));
        QVERIFY(close(at(-1, 31), in - 20, 1e-6));
        QVERIFY(close(at(10, 31), in + 200, 1e-5));
    }
    void copies_start_when_they_are_reached_and_go_on_as_asked() {
        // reached at 11, left at 31, reached again at 111, left at 131
        Zone z = zone_of(ZoneShape::box,
                         {key(0, V3d(-21, 0, 0)), key(60, V3d(39, 0, 0), V3d(0), 1, Toward::step),
                          key(100, V3d(-21, 0, 0)), key(160, V3d(39, 0, 0))},
                         0, 0);
        z.size = V3d(20, 2, 2);
        Play play = by(PlayBy::starts);
        auto run = [&](double t) { return local(played(play, {z}), 0, t) - 1; };
        QCOMPARE(run(5), 0.0);
        QVERIFY(close(run(21), 10, 1e-9));
        QVERIFY(close(run(150), 139, 1e-9)); // goes on
        play.start_again = true;
        QVERIFY(close(run(110.9), 99.9, 1e-9));
        QVERIFY(close(run(121), 10, 1e-9));
        play.start_again = false;
        play.leaving = Leaving::stop;
        QVERIFY(close(run(80), 20, 1e-9));
        QVERIFY(close(run(121), 30, 1e-9));
        QVERIFY(close(run(500), 40, 1e-9));
        play.leaving = Leaving::fade_out;
        play.leaving_frames = 10;
        QVERIFY(close(run(36), 20 + 5 - 1.25, 1e-9)); // ∫ of a speed that goes evenly from 1 to 0
        QVERIFY(close(run(80), 25, 1e-9));            // n/2 more in all
        play.leaving = Leaving::back_to_start;
        QVERIFY(close(run(36), 10, 1e-9));
        QVERIFY(close(run(41), 0, 1e-9));
        play.leaving_frames = 0;
        QVERIFY(close(run(31.001), 0, 1e-9));
        QVERIFY(close(run(121), 10, 1e-9));
        const TimingPlan loop(timing_of("1:0 10:9", OutsideMode::repeat, OutsideMode::repeat));
        play.leaving = Leaving::finish_pass;
        const Played passes = played(play, {z}, 1, 1, {}, &loop);
        const double period = loop.period();
        QVERIFY(close(local(passes, 0, 90, &loop) - 1, std::ceil(20 / period) * period, 1e-9));
        // a copy that is later answers so much later
        Spread later;
        later.id = SpreadId(4), later.by.kind = Driver::order_step, later.from = 7, later.to = 0;
        play.leaving = Leaving::go_on;
        const Played delayed = played(play, {z}, 1, 1, {later});
        QVERIFY(close(local(delayed, 0, 28) - 1, 10, 1e-9));
        play.hidden_before = true;
        const Played hidden = played(play, {z});
        QVERIFY(hidden.clocks.at(plan_, 0, hidden.clocks.now(10.9)).absent);
        QVERIFY(!hidden.clocks.at(plan_, 0, hidden.clocks.now(11.1)).absent);
        QCOMPARE(static_cast<int>(hidden.clocks.why_absent(plan_, 0, hidden.clocks.now(4))),
                 static_cast<int>(CopyClocks::Absence::not_reached));
    }
    void a_copy_inside_from_the_beginning_starts_with_its_timing() {
        Zone z = zone_of(ZoneShape::ball, {key(20, V3d(0)), key(40, V3d(40, 0, 0))}, 0, 0);
        Play play = by(PlayBy::starts);
        play.leaving = Leaving::stop;
        const Played p = played(play, {z});
        QVERIFY(std::isinf(p.playing->visits(0)[0].from));
        QVERIFY(close(local(p, 0, 11), 11, 1e-9));
        QVERIFY(close(local(p, 0, -5), -5, 1e-9));
        QVERIFY(close(local(p, 0, 300), 20.5, 1e-9)); // left when the ball is a metre away
        const Played still = played(play, {zone_of(ZoneShape::ball, {key(1, V3d(0))}, 0, 1)});
        QCOMPARE(local(still, 0, 77), 77.0); // a still zone over still copies is the plain clock
    }
    void the_furthest_level_never_goes_back() {
        std::mt19937 random(21);
        for (int round = 0; round < 60 / testing::patience; ++round) {
            std::vector<Zone> zones{random_zone(random), random_zone(random)};
            zones[1].id = ZoneId(10);
            zones[0].inverted = zones[1].inverted = false;
            Play play = by(PlayBy::furthest);
            play.level.join = static_cast<ZoneJoin>(round % 3);
            const Played p = played(play, zones, 3, 1.5);
            for (std::size_t i = 0; i < 3; ++i) {
                double highest = 0;
                for (double t = -10; t < 110; t += 1.0 / 64) {
                    highest = std::max(highest, p.playing->level(i, t).value);
                    const double run = p.playing->at(i, t).run / plan_.length();
                    QVERIFY2(run >= highest - 1e-9 && run <= highest + 0.06,
                             qPrintable(QString("%1 at %2: %3, %4").arg(round).arg(t).arg(run).arg(highest)));
                }
            }
        }
    }
    // Any frame in any order, one thread or eight: the same bytes.
    void random_access_equals_frame_by_frame_on_any_number_of_threads() {
        std::mt19937 random(8);
        std::vector<Zone> zones{random_zone(random), random_zone(random), random_zone(random)};
        for (std::size_t k = 0; k < zones.size(); ++k) zones[k].id = ZoneId(20 + k);
        for (const PlayBy way : {PlayBy::level, PlayBy::furthest, PlayBy::starts, PlayBy::speed}) {
            Play play = by(way);
            play.speed = 0.25;
            play.leaving = Leaving::fade_out;
            std::vector<std::vector<CopyMoment>> runs;
            for (int threads : {1, 2, 8}) {
                tbb::global_control limit(tbb::global_control::max_allowed_parallelism,
                                          static_cast<std::size_t>(threads));
                const Played p = played(play, zones, 200, 0.1);
                std::vector<CopyMoment> all;
                for (int f = 1; f <= 60; ++f) {
                    const int frame = threads == 1 ? f : 61 - f;
                    std::vector<CopyMoment> one(200);
                    copy_moments(plan_, source_, p.clocks, 0, OutputFrame(frame), one);
                    if (threads == 1) {
                        all.insert(all.end(), one.begin(), one.end());
                    } else {
                        all.insert(all.begin(), one.begin(), one.end());
                    }
                }
                runs.push_back(all);
                std::vector<double> frames(60);
                for (int f = 0; f < 60; ++f) frames[static_cast<std::size_t>(f)] = f + 1;
                std::vector<CopyMoment> row(60);
                row_moments(plan_, source_, p.clocks, 77, frames, row);
                for (std::size_t f = 0; f < 60; ++f) QCOMPARE(row[f].source, all[f * 200 + 77].source);
            }
            for (std::size_t k = 0; k < runs[0].size(); ++k) {
                QCOMPARE(runs[1][k].source, runs[0][k].source);
                QCOMPARE(runs[2][k].source, runs[0][k].source);
                QCOMPARE(runs[2][k].speed, runs[0][k].speed);
            }
        }
    }
    // Entries and exits of random zones against a fine walk in time: every visit that lasts longer than a step is
    // found.
    void no_visit_is_missed_and_none_invented() {
        std::mt19937 random(31);
        int found = 0;
        for (int round = 0; round < 150; ++round) {
            const Zone z = random_zone(random);
            const Played p = played(by(PlayBy::starts), {z}, 2, 1.0);
            for (std::size_t i = 0; i < 2; ++i) {
                const auto visits = p.playing->visits(i);
                found += static_cast<int>(visits.size());
                for (std::size_t k = 0; k < visits.size(); ++k) {
                    if (k > 0) QVERIFY(visits[k].from >= visits[k - 1].to);
                    for (double edge :
                         {visits[k].from, visits[k].to}) { // just before and after the level is on either side
                        if (std::isinf(edge)) continue;
                        const bool before = p.playing->level(i, edge - 1e-6).value > 0,
                                   after = p.playing->level(i, edge + 1e-6).value > 0;
                        QVERIFY2(
                            before != after,
                            qPrintable(QString("round %1, copy %2, edge %3").arg(round).arg(i).arg(edge, 0, 'g', 12)));
                    }
                }
                for (double t = -8; t < 110; t += 0.01) {
                    const bool inside = p.playing->level(i, t).value > 0;
                    const bool said = std::any_of(visits.begin(), visits.end(),
                                                  [&](const auto& v) { return t >= v.from && t < v.to; });
                    const bool near = std::any_of(visits.begin(), visits.end(), [&](const auto& v) {
                        return std::abs(t - v.from) < 1e-6 || std::abs(t - v.to) < 1e-6;
                    });
                    if (!near) QCOMPARE(said, inside);
                }
            }
        }
        QVERIFY(found > 100);
    }
    void zones_join_by_highest_sum_and_product_and_can_shrink_away() {
        Zone a = zone_of(ZoneShape::ball, {key(1, V3d(0))}, 0, 4), b = a;
        a.size = b.size = V3d(2);
        b.id = ZoneId(10);
        a.keys[0].place = V3d(3, 0, 0); // 2 m from its surface: half
        b.keys[0].place = V3d(0, 2, 0); // 1 m from it: three quarters
        Play play = by(PlayBy::level);
        auto level = [&](ZoneJoin join) {
            play.level.join = join;
            return played(play, {a, b}).playing->level(0, 5).value;
        };
        QCOMPARE(level(ZoneJoin::highest), 0.75);
        QCOMPARE(level(ZoneJoin::sum), 1.0);
        QCOMPARE(level(ZoneJoin::product), 0.375);
        play.level.zones = {ZoneId(9)};
        QCOMPARE(level(ZoneJoin::sum), 0.5);
        Zone gone = zone_of(ZoneShape::ball, {key(10, V3d(0)), key(20, V3d(0), V3d(0), 0)}, 0, 1);
        Play starts = by(PlayBy::starts);
        starts.leaving = Leaving::stop;
        const Played p = played(starts, {gone});
        QVERIFY(close(p.playing->visits(0)[0].to, 20, 1e-6));
        QVERIFY(close(local(p, 0, 90), 20, 1e-6));
        QCOMPARE(p.playing->level(0, 30).value, 0.0);
        gone.inverted = true;
        QCOMPARE(played(starts, {gone}).playing->level(0, 30).value, 1.0);
    }
    void speeds_of_their_own_and_keyed_ones_count_inside() {
        // half speed by a spread; the zone stops it from 11 to 31
        Zone z = zone_of(ZoneShape::box, {key(0, V3d(-21, 0, 0)), key(60, V3d(39, 0, 0))}, 0, 0);
        z.size = V3d(20, 2, 2);
        Spread half;
        half.id = SpreadId(3), half.target = Target::speed, half.by.kind = Driver::order_step, half.from = -50,
        half.to = 0;
        const Played p = played(by(PlayBy::speed), {z}, 1, 1, {half});
        QVERIFY(close(local(p, 0, 51), 1 + 0.5 * (50 - 20), 1e-6));
        // its strength keyed from 0 at frame 1 to 1 at frame 101: ∫ (1 − 0.5·x/100) without 10 … 30
        half.strength.keys = *parse_keys("1:0 101:1", "an amount");
        const Played keyed = played(by(PlayBy::speed), {z}, 1, 1, {half});
        auto integral = [](double x) { return x - 0.5 * x * x / 200; };
        QVERIFY(close(local(keyed, 0, 81) - 1, integral(80) - (integral(30) - integral(10)), 1e-5));
        Play starts = by(PlayBy::starts);
        const Played begun = played(starts, {z}, 1, 1, {half});
        QVERIFY(close(local(begun, 0, 81) - 1, integral(80) - integral(10), 1e-5));
    }
    // A spread by a zone: delays, sizes and speeds that follow the level at every moment.
    void spreads_follow_zones_at_every_moment() {
        Zone z = zone_of(ZoneShape::ball, {key(10, V3d(-12, 0.4, 0)), key(90, V3d(12, 0.4, 0))}, 0, 2);
        const auto plan = std::make_shared<ZonePlan>(z);
        Arrangement a;
        a.layout.count = 5;
        auto spread = [&](std::uint64_t id, Target target, double from, double to) {
            Spread s;
            s.id = SpreadId(id), s.target = target, s.by.kind = Driver::zone, s.from = from, s.to = to;
            QVERIFY2(validate(s), "a spread by a zone");
            a.spreads.push_back(s);
        };
        spread(1, Target::delay, 0, 6);
        spread(2, Target::speed, 0, -60);
        spread(3, Target::size, 0, 50);
        const CopySet set = make_copies(a, {});
        LevelGround ground;
        ground.range = {1, 120};
        ground.zones[z.id] = plan;
        SpreadLevels levels;
        for (const Spread& s : a.spreads)
            levels[s.id] = std::make_shared<CopyLevels>(s.by.level, ground, CopyTracks{set.places, nullptr}, set);
        const CopyClocks clocks(set, plan_, {}, Rate{24, 1}, {1, 120}, levels);
        const CopyPlaces places(set, Rate{24, 1}, levels);
        QVERIFY(!clocks.plain() && places.moves());
        for (std::size_t i = 0; i < 5; ++i) {
            double sum = 0; // of the rate, from the timing's start
            constexpr int steps = 2000;
            for (int frame = 1; frame < 110; ++frame) {
                const double t = frame;
                const double level = plan->level(t, {set.places[i].position, V3d(0)}).value;
                const auto own = clocks.at(plan_, i, clocks.now(t));
                QVERIFY(close(own.delay, 6 * level, 1e-9));
                QVERIFY(close(places.at(t, {})[i].size, 1 + 0.5 * level, 1e-9));
                // its own time at u = t − delay is the integral of 1 − 0.6·level up to there
                double at_u = sum;
                const double u = t - own.delay;
                if (own.delay == 0)
                    QVERIFY2(close(own.local, 1 + at_u, 1e-5), qPrintable(QString("%1 at %2: %3, %4")
                                                                              .arg(i)
                                                                              .arg(t)
                                                                              .arg(own.local, 0, 'g', 12)
                                                                              .arg(1 + at_u, 0, 'g', 12)));
                QVERIFY(u <= t);
                for (int k = 0; k < steps; ++k)
                    sum += (1 - 0.6 * plan->level(frame + (k + 0.5) / steps, {set.places[i].position, V3d(0)}).value) /
                           steps;
            }
            const double h = 1e-5;
            for (double t : {30.3, 47.7, 55.2}) {
                auto local = [&](double at) { return clocks.at(plan_, i, clocks.now(at)).local; };
                QVERIFY(close(clocks.at(plan_, i, clocks.now(t)).rate, (local(t + h) - local(t - h)) / (2 * h), 2e-3));
            }
        }
        const CopyClocks some = clocks.part(std::vector<std::uint32_t>{3, 1});
        QCOMPARE(some.at(plan_, 0, some.now(48)).local, clocks.at(plan_, 3, clocks.now(48)).local);
        QCOMPARE(some.at(plan_, 1, some.now(48)).delay, clocks.at(plan_, 1, clocks.now(48)).delay);
    }
    // Noise that drifts drives speeds as well: the integral of what it gives, by brute force.
    void speeds_by_drifting_noise_are_integrals() {
        Arrangement a;
        a.layout.count = 3;
        Spread s;
        s.id = SpreadId(1), s.target = Target::speed, s.by.kind = Driver::noise, s.from = -40, s.to = 60,
        s.by.noise.drift = V3d(1.5, 0.4, 0), s.by.noise.patch = 2;
        QVERIFY(validate(s));
        a.spreads = {s};
        const CopySet set = make_copies(a, {});
        const CopyClocks clocks(set, plan_, {}, Rate{24, 1}, {1, 120});
        for (std::size_t i = 0; i < 3; ++i) {
            double sum = 0;
            for (int frame = 1; frame < 100; ++frame) {
                QVERIFY(close(clocks.at(plan_, i, clocks.now(frame)).local, 1 + sum, 1e-5));
                constexpr int steps = 1000;
                for (int k = 0; k < steps; ++k)
                    sum += (1 + value_at(
                                    s, CurvePlan(s.curve, 0),
                                    noise_of(s.by, s.id.value, set.places[i].position, (frame + (k + 0.5) / steps) / 24)
                                        .value) /
                                    100) /
                           steps;
            }
        }
    }
    // Counts as for timings (common practice, no source): 30 frames there and back take 60.
    void waves_rise_hold_repeat_and_turn() {
        Wave w;
        w.start = OutputFrame(10), w.frames = 30;
        auto at = [&](double t) { return WavePlan(w).at(t).value; };
        QCOMPARE(at(0), 0.0);
        QCOMPARE(at(25), 0.5);
        QCOMPARE(at(99), 1.0);
        w.after = WaveAfter::there_and_back;
        QCOMPARE(at(40), 1.0);
        QCOMPARE(at(55), 0.5);
        QVERIFY(close(at(70), 0, 1e-12));
        QCOMPARE(at(85), 0.5);
        w.passes = 2;
        QCOMPARE(at(85), 0.0);
        w.passes = 3;
        QCOMPARE(at(500), 1.0);
        w.after = WaveAfter::repeat;
        w.passes = 0;
        QVERIFY(close(at(45), 5.0 / 30, 1e-12));
        const double h = 1e-6;
        w.response = *parse_keys("0:0 smooth 0.4:1 1:0.2", "a curve");
        for (double t : {12.0, 30.0, 47.0, 66.0})
            QVERIFY(close(WavePlan(w).at(t).rate, (at(t + h) - at(t - h)) / (2 * h), 1e-6));
        Play play = by(PlayBy::starts);
        play.level.kind = LevelKind::pulse;
        play.level.wave = w;
        play.threshold = 0.5;
        play.leaving = Leaving::stop;
        const Played p = played(play, {}, 5);
        double brute = 0;
        for (double t = 1; t < 120; t += 1e-3) brute += (p.playing->level(0, t + 5e-4).value > 0.5) * 1e-3;
        for (std::size_t i = 0; i < 5; ++i) QVERIFY(close(local(p, i, 120) - 1, brute, 5e-3));
    }
    // What is let go of lies on straight lines: every moment is as before, also far outside.
    void nodes_on_straight_lines_are_not_kept() {
        std::mt19937 random(5);
        auto slope = [&] { return static_cast<double>(static_cast<int>(random() % 3)) * 0.25; };
        std::size_t all = 0, kept = 0;
        for (int round = 0; round < 400; ++round) {
            RunTrack track;
            const double before = slope(), after = slope();
            track.before_slope = before, track.after_slope = after;
            track.nodes.push_back({1, 3, static_cast<float>(before), 0});
            const int count = 1 + static_cast<int>(random() % 9);
            for (int k = 0; k < count; ++k) {
                RunNode& last = track.nodes.back();
                if (random() % 8 == 0) { // a jump
                    track.nodes.push_back({last.t, last.value - 1, last.in, 0});
                    continue;
                }
                const double wide = static_cast<double>(1 + random() % 5) / 4;
                if (random() % 3 == 0) { // a curve
                    const RunNode from = last;
                    integrate_pieces([&](double x) { return 0.5 + 0.1 * (x - from.t) * (x - from.t); }, from.t,
                                     from.t + wide, from.value, track.nodes);
                    continue;
                }
                const double s = slope();
                last.out = static_cast<float>(s);
                track.nodes.push_back({last.t + wide, last.value + s * wide, static_cast<float>(s), 0});
            }
            track.nodes.back().out = static_cast<float>(after);
            RunTrack fewer = track;
            fewer.drop_straight_nodes();
            QVERIFY(!fewer.nodes.empty());
            all += track.nodes.size(), kept += fewer.nodes.size();
            RunTable table;
            table.add(track);
            table.add(fewer);
            for (double t = -50; t < 60; t += 0.0625) {
                const RunTable::At a = table.at(0, t), b = table.at(1, t);
                QVERIFY2(close(a.value, b.value, 1e-9) && close(a.rate, b.rate, 1e-7),
                         qPrintable(QString("%1 at %2: %3, %4").arg(round).arg(t).arg(a.value).arg(b.value)));
            }
        }
        QVERIFY2(kept < all * 9 / 10, qPrintable(QString("%1 of %2").arg(kept).arg(all)));
    }
    void a_hundred_thousand_copies_take_little() {
        Zone z = zone_of(ZoneShape::ball, {key(1, V3d(-600, 0, 0)), key(240, V3d(600, 0, 0))}, 0, 1.5);
        z.size = V3d(4);
        Play play = by(PlayBy::speed);
        play.speed = 0.2;
        const Played p = played(play, {z}, 100'000, 0.05);
        QVERIFY2(p.playing->bytes() <= 200u * 100'000, qPrintable(QString::number(p.playing->bytes() / 100'000)));
        const Played some = played(by(PlayBy::starts), {z}, 100'000, 0.05);
        QVERIFY(some.playing->bytes() <= 200u * 100'000);
        QVERIFY(!some.playing->reached(0));
        QVERIFY(some.playing->reached(50'000));
    }
    // Where a copy stands exactly on an edge that rests, or slides along it, there is nothing to be found, and soon.
    void copies_exactly_on_an_edge_take_no_time() {
        Zone resting =
            zone_of(ZoneShape::ball, {key(1, V3d(3, 0, 0)), key(500, V3d(3, 0, 0)), key(1000, V3d(9, 0, 0))}, 0, 2);
        resting.size = V3d(2); // its outer edge passes through the copy at 0
        const Played p = played(by(PlayBy::starts), {resting});
        QVERIFY(p.playing->visits(0).size() <= 1);
        const Zone sliding = zone_of(ZoneShape::wall, {key(1, V3d(-900, 0, 0)), key(1000, V3d(900, 0, 0))}, 0, 0);
        const Played q = played(by(PlayBy::speed), {sliding}, 50, 1);
        QVERIFY(std::isfinite(local(q, 10, 500)));
        // a wall that spins about a place beside the copy passes it twice a turn
        const Zone spinning =
            zone_of(ZoneShape::wall, {key(1, V3d(-2, 0, 0)), key(101, V3d(-2, 0, 0), V3d(0, 3600, 0))}, 0, 0);
        const Played r = played(by(PlayBy::starts), {spinning});
        QVERIFY2(r.playing->visits(0).size() >= 10 && r.playing->visits(0).size() <= 11,
                 qPrintable(QString::number(r.playing->visits(0).size())));
        // a carrier whose place is no number at some frames
        std::vector<V3f> places(60, V3f(0, 0, 0));
        for (int f = 0; f < 60; ++f) places[static_cast<std::size_t>(f)].x = static_cast<float>(f) * 0.1f;
        places[30] = places[31] = V3f(NAN, NAN, NAN);
        LevelGround ground;
        ground.range = {1, 60};
        ground.zones[ZoneId(9)] =
            std::make_shared<ZonePlan>(zone_of(ZoneShape::ball, {key(1, V3d(1, 0, 0)), key(60, V3d(4, 0, 0))}, 0, 0));
        Arrangement one;
        const CopySet set = make_copies(one, {});
        const auto tracks = std::make_shared<std::vector<PlaceTrack>>();
        tracks->emplace_back(1, places);
        const CopyLevels levels(LevelRule{}, ground, {set.places, tracks}, set);
        QVERIFY(levels.cuts(0, std::vector<double>{0.0}).size() < 1000);
    }
    void values_that_cannot_be_are_refused_in_words() {
        auto said = [](const Zone& z) {
            const auto ok = validate(z);
            return QString::fromStdString(ok ? "fine" : describe(ok.error()));
        };
        Zone z = zone_of(ZoneShape::ball, {key(1, V3d(0))}, 0, 1);
        QCOMPARE(said(z), QString("fine"));
        z.size = V3d(0);
        QVERIFY(said(z).contains("zone \"breeze\": its size is 0 × 0 × 0 m") && said(z).contains("more than 0 m"));
        z = zone_of(ZoneShape::ball, {key(5, V3d(0)), key(5, V3d(1))}, 0, 1);
        QVERIFY(said(z).contains("key 2 at output frame 5 does not come after"));
        QVERIFY(said(zone_of(ZoneShape::ball, {}, 0, 1)).contains("no key"));
        QVERIFY(said(zone_of(ZoneShape::wall, {key(1, V3d(0))}, 2, 1))
                    .contains("outer distance is 1 m, below the inner one of 2 m"));
        QVERIFY(said(zone_of(ZoneShape::tube, {key(1, V3d(0))}, 0, 1)).contains("its path has no length"));
        QVERIFY(said(zone_of(ZoneShape::ball, {key(NAN, V3d(0))}, 0, 1)).contains("not a number"));
        Play p;
        p.speed = 12;
        QVERIFY(!validate(p));
        p = {};
        p.threshold = 1;
        QVERIFY(!validate(p));
        Wave w;
        w.frames = 0;
        QVERIFY(!validate(w, "the pulse"));
        Pulse pulse;
        pulse.size = 0;
        QVERIFY(!validate(pulse));
    }
};
GARLAND_TEST_CASE(PlayingTest)
#include "playing_test.moc"
