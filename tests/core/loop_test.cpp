// Loops: pose distances, where a source nearly repeats, how a range is closed.
#include "support/case.h"
#include "support/notation.h"

#include "core/base/chance.h"
#include "core/geometry/volume.h"
#include "core/loop/closing.h"
#include "core/loop/find_loops.h"
#include "core/loop/rigid_fit.h"
#include "core/project/findings.h"
#include "core/project/looping.h"

#include <Eigen/Geometry>
#include <cmath>
#include <functional>
#include <numbers>
#include <set>

using namespace garland;
using namespace garland::testing;

namespace {

constexpr double pi = std::numbers::pi;

// Poses of any rule, over frames first … last.
class Ruled final : public Source {
  public:
    SourceFacts known;
    std::function<Pose(double)> rule;
    Ruled(std::int64_t first, std::int64_t last, std::function<Pose(double)> r) : rule(std::move(r)) {
        known.first = first, known.last = last;
        const Pose pose = rule(static_cast<double>(first));
        known.points = pose.points.size();
        known.carries.velocities = !pose.velocities.empty();
    }
    const SourceFacts& facts() const override { return known; }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        return std::make_shared<const Pose>(rule(static_cast<double>(frame)));
    }
    std::vector<std::string> files() const override { return {}; }
};

// Waves of two lengths that never meet; with the velocities they move with at 24 frames a second.
Pose swaying(double f) {
    Pose pose;
    for (int i = 0; i < 50; ++i) {
        const double a = 0.11 * f + 0.3 * i, b = 0.047 * f + 0.7 * i;
        pose.points.emplace_back(V3d(i, std::sin(a), std::cos(b)));
        pose.velocities.emplace_back(V3d(0, 0.11 * std::cos(a), -0.047 * std::sin(b)) * 24.0);
    }
    return pose;
}

struct Base {
    PoseCache cache{1 << 26};
    SourcePtr source;
    Sampler sampler;
    explicit Base(SourcePtr s, SubFrame how = SubFrame::smooth) : source(std::move(s)) {
        ImportSettings t;
        t.how = how;
        const SourceFacts& f = source->facts();
        sampler = Sampler(source, make_clock(f.first, f.last, f.first, {24, 1}, Join::frame_for_frame, {24, 1}), t,
                          PoseCache::new_serial(), &cache);
    }
    PosePtr at(double f) const { return sampler.at(SourceFrame(f))->pose; }
};

Closing closing(ClosingWay way, std::int64_t start, std::int64_t length, std::int64_t overlap = 8) {
    Closing c;
    c.way = way, c.start = start, c.length = length, c.overlap = overlap;
    return c;
}

PosePtr shown(const SourcePtr& source, double frame) {
    const auto pose = source->exact_at(frame, SubFrame::linear, Progress::none());
    if (!pose) qFatal("%s", describe(pose.error()).c_str());
    return *pose;
}

} // namespace

class LoopTest : public QObject {
    Q_OBJECT
  private slots:
    // Equal formulas by hand: docs/time.md, "Closing a loop".
    void the_end_fades_into_what_comes_before_the_start() {
        Closing c = closing(ClosingWay::end_fade, 100, 40, 10);
        c.curve = FadeCurve::straight;
        for (double k : {0.0, 13.25, 30.0}) QVERIFY(layers_at(c, k).weight_b == 0 && layers_at(c, k).a == 100 + k);
        const Layers l = layers_at(c, 34);
        QCOMPARE(l.a, 134.0);
        QCOMPARE(l.b, 94.0); // a loop earlier
        QVERIFY(std::abs(l.weight_b - 0.4) < 1e-12 && std::abs(l.weight_a - 0.6) < 1e-12 &&
                std::abs(l.slope_b - 0.1) < 1e-12);
        c.curve = FadeCurve::smooth;
        QVERIFY(std::abs(layers_at(c, 35).weight_b - 0.5) < 1e-12);
        QVERIFY(std::abs(layers_at(c, 32.5).weight_b - (3 * 0.0625 - 2 * 0.015625)) < 1e-12);
        QCOMPARE(layers_at(c, 40).a, 100.0); // there again, and alone
        QCOMPARE(layers_at(c, 40).weight_b, 0.0);
        QCOMPARE(layers_at(c, -3).a, 137.0);
        const FileSpan span = needed(c);
        QCOMPARE(span.first, 90);
        QCOMPARE(span.last, 139);
    }
    // The worked numbers: a 40-frame loop that skips 50 settle frames reads 51…90 in one layer and enters the other at
    // 71 (common practice, no source).
    void half_shifted_layers_are_unseen_where_they_jump() {
        for (LayerMix mix : {LayerMix::mix, LayerMix::add}) {
            Closing c = closing(ClosingWay::half_shift, 51, 40);
            c.mix = mix;
            QCOMPARE(layers_at(c, 0).b, 71.0);
            QCOMPARE(layers_at(c, 0).weight_a, 0.0);
            QCOMPARE(layers_at(c, 39).a, 90.0);
            QVERIFY(std::abs(layers_at(c, 20).weight_b) < 1e-12); // where the other jumps from 90 to 51
            QCOMPARE(layers_at(c, 20).b, 51.0);
            QCOMPARE(layers_at(c, 19).b, 90.0);
            for (double k = 0; k < 40; k += 0.37) {
                const Layers l = layers_at(c, k), next = layers_at(c, k + 1e-6);
                const double sum =
                    mix == LayerMix::mix ? l.weight_a + l.weight_b : l.weight_a * l.weight_a + l.weight_b * l.weight_b;
                QVERIFY(std::abs(sum - 1) < 1e-12);
                QVERIFY(std::abs((next.weight_a - l.weight_a) / 1e-6 - l.slope_a) < 1e-4);
                QVERIFY(l.a >= 51 && l.a < 91 && l.b >= 51 && l.b < 91);
            }
        }
    }
    void the_last_pose_is_the_first_to_the_last_bit() {
        const Base base(std::make_shared<Ruled>(0, 120, swaying));
        for (ClosingWay way : {ClosingWay::cut, ClosingWay::end_fade, ClosingWay::half_shift, ClosingWay::spread_gap}) {
            const SourcePtr loop = close_loop(base.sampler, closing(way, 30, 50));
            QCOMPARE(loop->facts().first, 30);
            QCOMPARE(loop->facts().last, 80); // 51 frames, of which the last shows the first again
            const PosePtr first = shown(loop, 30), last = shown(loop, 80), near = shown(loop, 80 - 1e-5);
            QVERIFY(first->points == last->points);
            for (std::size_t i = 0; i < first->points.size(); ++i)
                QVERIFY((first->points[i] - near->points[i]).length() < 2e-3f); // and comes to it
            if (way != ClosingWay::half_shift) QVERIFY(first->points == base.at(30)->points);
            if (way != ClosingWay::spread_gap && way != ClosingWay::half_shift)
                QVERIFY(shown(loop, 50)->points == base.at(50)->points);
        }
    }
    void mixed_frames_are_the_formula() {
        const Base base(std::make_shared<Ruled>(0, 120, swaying));
        Closing c = closing(ClosingWay::end_fade, 40, 60, 20);
        c.curve = FadeCurve::straight;
        const SourcePtr loop = close_loop(base.sampler, c);
        for (double k : {45.0, 50.25, 59.0}) {
            const double w = (k - 40) / 20;
            const PosePtr pose = shown(loop, 40 + k), a = base.at(40 + k), b = base.at(40 + k - 60);
            for (std::size_t i = 0; i < 50; ++i)
                QVERIFY((V3d(pose->points[i]) - (V3d(a->points[i]) * (1 - w) + V3d(b->points[i]) * w)).length() < 1e-5);
        }
        const SourcePtr spread = close_loop(base.sampler, closing(ClosingWay::spread_gap, 20, 64));
        // Straight, the gap is taken off at an even rate from the very first frame to the last: the velocities of both
        // say so.
        Closing even = closing(ClosingWay::spread_gap, 20, 64);
        even.curve = FadeCurve::straight;
        const SourcePtr straight = close_loop(base.sampler, even);
        for (double f : {20.0, 50.0, 84.0}) {
            const PosePtr here = shown(straight, f), own = base.at(f == 84 ? 20 : f), first = base.at(20),
                          last = base.at(84);
            for (std::size_t i = 0; i < here->points.size(); ++i) {
                const V3f wanted = own->velocities[i] - (last->points[i] - first->points[i]) * (24.0f / 64);
                QVERIFY2((here->velocities[i] - wanted).length() < 1e-3f,
                         qPrintable(QString("frame %1, point %2").arg(f).arg(i)));
            }
        }
        const PosePtr from = base.at(20), to = base.at(84);
        for (double k : {16.0, 32.0, 63.5}) {
            const double w = k / 64, e = 3 * w * w - 2 * w * w * w;
            const PosePtr pose = shown(spread, 20 + k), x = base.at(20 + k);
            for (std::size_t i = 0; i < 50; ++i)
                QVERIFY((V3d(pose->points[i]) - (V3d(x->points[i]) - (V3d(to->points[i]) - V3d(from->points[i])) * e))
                            .length() < 1e-5);
        }
    }
    void velocities_are_the_change_of_places() {
        const Base base(std::make_shared<Ruled>(0, 120, swaying));
        for (ClosingWay way : {ClosingWay::end_fade, ClosingWay::half_shift, ClosingWay::spread_gap}) {
            for (int kind = 0; kind < 3; ++kind) {
                Closing c = closing(way, 40, 48, 30);
                c.mix = kind == 1 ? LayerMix::add : LayerMix::mix;
                c.keep_contrast = kind == 2;
                const SourcePtr loop = close_loop(base.sampler, c);
                for (double f : {59.3, 70.2, 85.7}) {
                    const double h = 0.01;
                    const PosePtr before = shown(loop, f - h), now = shown(loop, f), after = shown(loop, f + h);
                    QCOMPARE(now->velocities.size(), std::size_t(50));
                    for (std::size_t i = 0; i < 50; ++i) {
                        const V3d speed = (V3d(after->points[i]) - V3d(before->points[i])) * (24 / (2 * h));
                        QVERIFY2((speed - V3d(now->velocities[i])).length() < 0.02,
                                 qPrintable(QString("%1 %2 %3").arg(static_cast<int>(way)).arg(kind).arg(f)));
                    }
                }
            }
        }
    }
    // E. Heitz and F. Neyret, 2018: the mean of two unlike things has less variance, by wa² + wb²; about the mean,
    // divided by the root of that, it has as much as each.
    void contrast_is_kept_in_the_middle_of_a_fade() {
        const auto noise = [](double f) {
            Pose pose;
            for (std::uint64_t i = 0; i < 4000; ++i)
                pose.points.emplace_back(V3d(0, chance(3, static_cast<std::uint64_t>(f), i) - 0.5, 0));
            return pose;
        };
        const Base base(std::make_shared<Ruled>(0, 60, noise), SubFrame::linear);
        auto variance = [](const Pose& pose) {
            double sum = 0, squares = 0;
            for (const V3f& p : pose.points) sum += p.y, squares += static_cast<double>(p.y) * p.y;
            const auto n = static_cast<double>(pose.points.size());
            return squares / n - sum / n * sum / n;
        };
        Closing c = closing(ClosingWay::half_shift, 10, 40);
        const double own = variance(*base.at(20)),
                     plain = variance(*shown(close_loop(base.sampler, c), 20)); // both layers at one half
        QVERIFY(std::abs(own - 1.0 / 12) < 0.005);
        QVERIFY2(std::abs(plain / own - 0.5) < 0.06, qPrintable(QString::number(plain / own)));
        c.keep_contrast = true;
        QVERIFY(std::abs(variance(*shown(close_loop(base.sampler, c), 20)) / own - 1) < 0.08);
        c.keep_contrast = false, c.mix = LayerMix::add;
        QVERIFY(std::abs(variance(*shown(close_loop(base.sampler, c), 20)) / own - 1) < 0.08);
    }
    // Eigen's umeyama (S. Umeyama, 1991), an independent library.
    void rigid_fits_agree_with_eigen() {
        for (int round = 0; round < 30; ++round) {
            const auto seed = static_cast<std::uint64_t>(round);
            std::vector<V3f> a, b;
            const Eigen::Affine3d motion =
                Eigen::Translation3d(3, -1, 0.5 * round) *
                Eigen::AngleAxisd(0.2 * round, Eigen::Vector3d(1, chance(1, seed, 1), -0.3).normalized());
            const int n = 12;
            Eigen::Matrix3Xd x(3, n), y(3, n);
            for (std::uint64_t i = 0; i < n; ++i) {
                const Eigen::Vector3d p(chance(2, seed, i) - 0.5, chance(3, seed, i) * 2, chance(4, seed, i));
                const Eigen::Vector3d q =
                    motion * p +
                    Eigen::Vector3d(chance(5, seed, i), chance(6, seed, i), chance(7, seed, i)) * (round % 3 ? 0.1 : 0);
                a.emplace_back(V3d(p.x(), p.y(), p.z()));
                b.emplace_back(V3d(q.x(), q.y(), q.z()));
                for (int k = 0; k < 3; ++k)
                    x(k, static_cast<int>(i)) = a.back()[k], y(k, static_cast<int>(i)) = b.back()[k];
            }
            const RigidFit fit = rigid_fit(a, b);
            const Eigen::Matrix4d wanted = Eigen::umeyama(x, y, false);
            double squares = 0;
            for (int i = 0; i < n; ++i) {
                const Eigen::Vector3d q = (wanted * x.col(i).homogeneous()).head<3>();
                const V3d mine = (V3d(a[static_cast<std::size_t>(i)]) - fit.from) * fit.rotation.toMatrix33() + fit.to;
                QVERIFY((mine - V3d(q.x(), q.y(), q.z())).length() < 1e-5);
                squares += (q - y.col(i)).squaredNorm();
            }
            QVERIFY(std::abs(fit.rms - std::sqrt(squares / n)) < 1e-5);
        }
    }
    void distances_are_those_of_all_points() {
        const Base base(std::make_shared<Ruled>(5, 40, swaying));
        const auto rows = signatures_of(base.sampler, 5, 40, 0);
        QVERIFY(rows && rows->points);
        const FrameMatrix m = *distances(*rows, false);
        for (std::int64_t i = 5; i <= 40; i += 3) {
            for (std::int64_t j = 5; j <= 40; j += 5) {
                const PosePtr a = base.at(static_cast<double>(i)), b = base.at(static_cast<double>(j));
                double sum = 0;
                for (std::size_t k = 0; k < 50; ++k) sum += (V3d(a->points[k]) - V3d(b->points[k])).length2();
                QVERIFY(std::abs(m.between(i, j) - std::sqrt(sum / 50)) < 2e-7 + 1e-6 * m.between(i, j));
            }
        }
        struct Stop : Progress {
            bool cancelled() const override { return true; }
        } stop;
        QCOMPARE(distances(*rows, false, stop).error().code, ErrorCode::cancelled);
    }
    void rigid_motion_can_be_taken_out() {
        const auto turning = [](double f) {
            Pose pose;
            for (int i = 0; i < 20; ++i) {
                const double a = 0.3 * f, x = std::cos(1.7 * i), z = std::sin(2.9 * i) + 0.2 * i;
                pose.points.emplace_back(
                    V3d(x * std::cos(a) - z * std::sin(a) + f, 0.1 * i, x * std::sin(a) + z * std::cos(a)));
            }
            return pose;
        };
        const Base base(std::make_shared<Ruled>(0, 12, turning));
        const auto rows = signatures_of(base.sampler, 0, 12, 0);
        const FrameMatrix as_they_are = *distances(*rows, false), taken_out = *distances(*rows, true);
        QVERIFY(as_they_are.between(2, 9) > 1);
        for (std::int64_t i = 0; i <= 12; ++i) QVERIFY(taken_out.between(2, i) < 2e-3);
    }
    void loops_are_found_where_the_motion_repeats() {
        const auto periodic = [](double f) { // 37 frames, and it never stands where it stood in between
            Pose pose;
            for (int i = 0; i < 30; ++i)
                pose.points.emplace_back(V3d(std::cos(2 * pi * f / 37 + i), std::sin(2 * pi * f / 37 + 2 * i), i));
            return pose;
        };
        const Base base(std::make_shared<Ruled>(10, 130, periodic));
        const FrameMatrix m = *distances(*signatures_of(base.sampler, 10, 130, 0), false);
        const auto found = *find_loops(m, {});
        QVERIFY(!found.empty());
        QVERIFY2(found.front().length % 37 == 0, qPrintable(QString::number(found.front().length)));
        QVERIFY(found.front().gap < 1e-5);
        LoopWish wish;
        wish.longest = 50, wish.settle = 20;
        const auto shorter = *find_loops(m, wish);
        QCOMPARE(shorter.front().length, 37);
        for (const LoopCandidate& c : shorter) QVERIFY(c.length >= 12 && c.length <= 50 && c.start >= 30);
        // A swing is twice at each place in a period, the second time going back: that is no loop.
        const auto swing = [](double f) {
            Pose pose;
            for (int i = 0; i < 10; ++i) pose.points.emplace_back(V3d(std::sin(2 * pi * f / 60) * (i + 1), i, 0));
            return pose;
        };
        const Base swings(std::make_shared<Ruled>(0, 100, swing));
        wish = {};
        wish.longest = 70;
        const auto turns = *find_loops(*distances(*signatures_of(swings.sampler, 0, 100, 0), false), wish);
        QCOMPARE(turns.front().length, 60);
        // What stands still has none.
        const Base still(std::make_shared<Ruled>(0, 50, [](double) { return swaying(3); }));
        QVERIFY(find_loops(*distances(*signatures_of(still.sampler, 0, 50, 0), false), {})->empty());
    }
    void a_few_points_show_the_same_picture() {
        const Base base(std::make_shared<Ruled>(0, 60, [](double f) {
            Pose pose;
            for (int i = 0; i < 5000; ++i) pose.points.emplace_back(V3d(0.001 * i, std::sin(0.1 * f + 0.002 * i), 0));
            return pose;
        }));
        const auto few = signatures_of(base.sampler, 0, 60, 512);
        QVERIFY(few->rows[0].size() <= 512 * 3);
        const FrameMatrix a = *distances(*few, false), b = *distances(*signatures_of(base.sampler, 0, 60, 0), false);
        for (std::int64_t j = 1; j <= 60; j += 7)
            QVERIFY(std::abs(a.between(0, j) - b.between(0, j)) < 0.05 * b.between(0, j));
    }
    void volumes_are_laid_over_by_their_density() {
        auto volume = [](float density, float heat, int from) {
            DenseGrid d{"density", 16, 8, 8, 1, V3d(0)}, t{"temperature", 16, 8, 8, 1, V3d(0)};
            for (int i = 0; i < 1024; ++i) {
                const bool in = i % 16 >= from && i % 16 < from + 8;
                d.values.push_back(in ? density : 0), t.values.push_back(in ? heat : 0);
            }
            return volume_from({d, t});
        };
        const VolumePtr a = volume(2, 100, 0), b = volume(1, 400, 4); // both at 4 … 7
        const V3f both(5, 4, 4), of_a(2, 4, 4), of_b(10, 4, 4);
        const VolumePtr sum = lay_over(*a, *b, 0.25, 0.75, VolumeJoin::sum);
        auto close = [](double x, double y) { return std::abs(x - y) < 1e-4 * std::max(1.0, std::abs(y)); };
        QVERIFY(close(value_at(*sum, "density", both), 0.5 + 0.75));
        QVERIFY(close(value_at(*sum, "density", of_a), 0.5));
        QVERIFY(close(value_at(*sum, "temperature", both),
                      (0.5 * 100 + 0.75 * 400) / 1.25));          // each by how much of it is there
        QVERIFY(close(value_at(*sum, "temperature", of_a), 100)); // and not half of it
        QVERIFY(close(value_at(*sum, "temperature", of_b), 400));
        const VolumePtr most = lay_over(*a, *b, 0.25, 0.75, VolumeJoin::maximum);
        QVERIFY(close(value_at(*most, "density", both), 0.75));
        // By density: a goes and is densest at both places, so its share of the change is s + s·(1 − s) there; a place
        // that only b has changes straight. At both ends it is the sum.
        const double s = 0.25 + 0.25 * 0.75;
        const VolumePtr first = lay_over(*a, *b, 0.75, 0.25, VolumeJoin::density, true);
        QVERIFY(close(value_at(*first, "density", both), 2 * (1 - s) + s));
        QVERIFY(close(value_at(*first, "density", of_a), 2 * (1 - s)));
        QVERIFY(close(value_at(*first, "density", of_b), 0.25));
        for (double w : {0.0, 1.0}) {
            const VolumePtr x = lay_over(*a, *b, 1 - w, w, VolumeJoin::density),
                            y = lay_over(*a, *b, 1 - w, w, VolumeJoin::sum);
            for (const V3f& at : {both, of_a, of_b}) QCOMPARE(value_at(*x, "density", at), value_at(*y, "density", at));
        }
        // Where both are equal it stays as it is, so nothing dims at the quarters as the larger of both does.
        for (double w : {0.25, 0.5, 0.75}) {
            QVERIFY(close(value_at(*lay_over(*a, *a, 1 - w, w, VolumeJoin::density), "density", both), 2));
            QVERIFY(value_at(*lay_over(*a, *a, 1 - w, w, VolumeJoin::maximum), "density", both) < 1.51);
        }
    }
    void fades_can_be_drawn() {
        Closing c = closing(ClosingWay::end_fade, 20, 40, 10);
        c.drawn_in = {{0, 0, Toward::linear}, {0.5, 0.2, Toward::smooth}, {1, 1, Toward::linear}};
        QVERIFY(validate(c, 0, 100));
        QCOMPARE(layers_at(c, 35).weight_b, 0.2); // the middle of the fade over 30 … 40
        QCOMPARE(layers_at(c, 35).weight_a, 0.8);
        QVERIFY(std::abs(layers_at(c, 32.5).slope_b - 0.04) < 1e-12);
        QCOMPARE(layers_at(c, 30).weight_b, 0.0);
        // One for each layer: divided by their sum, with the slope of what comes out.
        c.drawn_out = {{0, 1, Toward::linear}, {0.8, 1, Toward::linear}, {1, 0, Toward::linear}};
        QVERIFY(validate(c, 0, 100));
        const Layers l = layers_at(c, 35);
        QVERIFY(std::abs(l.weight_b - 0.2 / 1.2) < 1e-12 && std::abs(l.weight_a + l.weight_b - 1) < 1e-12);
        for (LayerMix mix : {LayerMix::mix, LayerMix::add}) {
            c.mix = mix;
            for (double k = 30.35; k < 40; k += 0.7) {
                const Layers here = layers_at(c, k), before = layers_at(c, k - 1e-5), after = layers_at(c, k + 1e-5);
                QVERIFY(std::abs((after.weight_a - before.weight_a) / 2e-5 - here.slope_a) < 1e-3);
                QVERIFY(std::abs((after.weight_b - before.weight_b) / 2e-5 - here.slope_b) < 1e-3);
                const double whole = mix == LayerMix::add
                                         ? here.weight_a * here.weight_a + here.weight_b * here.weight_b
                                         : here.weight_a + here.weight_b;
                QVERIFY(std::abs(whole - 1) < 1e-12);
            }
        }
        Closing jumps = closing(ClosingWay::end_fade, 20, 40, 10);
        jumps.drawn_in = {{0, 0.1, Toward::linear}, {1, 1, Toward::linear}};
        QVERIFY(!validate(jumps, 0, 100));
        Closing gone = closing(ClosingWay::end_fade, 20, 40, 10);
        gone.drawn_in = {{0, 0, Toward::linear}, {0.6, 0, Toward::linear}, {1, 1, Toward::linear}};
        gone.drawn_out = {{0, 1, Toward::linear}, {0.4, 0, Toward::linear}, {1, 0, Toward::linear}};
        QVERIFY(!validate(gone, 0, 100));
        QVERIFY(contrast_counts(closing(ClosingWay::end_fade, 20, 40, 10), SourceKind::mesh_cache));
        QVERIFY(!contrast_counts(closing(ClosingWay::spread_gap, 20, 40, 10), SourceKind::mesh_cache));
        QVERIFY(!contrast_counts(closing(ClosingWay::end_fade, 20, 40, 10), SourceKind::volume));
    }
    void particles_of_both_layers_are_there_and_shrink() {
        const auto two = [](double f) {
            Pose pose;
            pose.ids = {1, static_cast<std::int64_t>(f) + 10};
            pose.points = {V3f(static_cast<float>(f), 0, 0), V3f(0, static_cast<float>(f), 0)};
            pose.attributes = {{"size", 1, {1, 2}}};
            return pose;
        };
        auto source = std::make_shared<Ruled>(0, 60, two);
        source->known.kind = SourceKind::particles;
        const Base base(source, SubFrame::nearest);
        Closing c = closing(ClosingWay::end_fade, 20, 30, 10);
        c.curve = FadeCurve::straight;
        const SourcePtr loop = close_loop(base.sampler, c);
        QCOMPARE(shown(loop, 30)->ids.size(), std::size_t(2));
        const PosePtr faded = shown(loop, 45); // half way
        QCOMPARE(faded->ids.size(), std::size_t(4));
        std::set<std::int64_t> ids(faded->ids.begin(), faded->ids.end());
        QCOMPARE(ids.size(), std::size_t(4));
        for (const Attribute& a : faded->attributes) {
            if (a.name == "size") QCOMPARE(a.values, (std::vector<float>{0.5f, 1, 0.5f, 1}));
            if (a.name == "fade") QCOMPARE(a.values, (std::vector<float>{0.5f, 0.5f, 0.5f, 0.5f}));
        }
        QCOMPARE(faded->attributes.size(), std::size_t(2));
    }
    // A part's rotation is taken by its fraction: half of a quarter turn is an eighth, and nothing shrinks.
    void parts_turn_by_their_share() {
        const auto turning = [](double f) {
            Pose pose;
            const double a = f * 0.03, c = std::cos(a), s = std::sin(a);
            for (const V3d& p : {V3d(1, 0, 0), V3d(-1, 0, 0), V3d(0, 1, 0), V3d(0, -1, 0), V3d(0, 0, 2), V3d(0, 0, -2)})
                pose.points.emplace_back(V3d(p.x * c - p.y * s, p.x * s + p.y * c, p.z));
            pose.attributes = {{"piece", 1, {}, {0, 0, 0, 0, 0, 0}}}; // about its middle
            return pose;
        };
        auto source = std::make_shared<Ruled>(0, 100, turning);
        source->known.kind = SourceKind::pieces;
        const Base base(source);
        Closing c = closing(ClosingWay::end_fade, 40, 50, 20);
        c.curve = FadeCurve::straight;
        const PosePtr pose = shown(close_loop(base.sampler, c), 80); // half of frame 80, half of frame 30
        const Pose wanted = turning(55);
        for (std::size_t i = 0; i < 6; ++i) QVERIFY((pose->points[i] - wanted.points[i]).length() < 1e-5f);
        const PosePtr off = shown(close_loop(base.sampler, closing(ClosingWay::spread_gap, 10, 50)), 35);
        QVERIFY(std::abs(off->points[0].length() - 1) < 1e-5f); // in the middle half the gap is off: frame 35 less 25
        const Pose turned = turning(10);
        for (std::size_t i = 0; i < 6; ++i) QVERIFY((off->points[i] - turned.points[i]).length() < 1e-5f);
    }
    void closings_that_do_not_fit_say_so() {
        QVERIFY(validate(closing(ClosingWay::end_fade, 20, 40, 10), 0, 60));
        auto words = [](const Closing& c) { return QString::fromStdString(describe(validate(c, 0, 60).error())); };
        QVERIFY(words(closing(ClosingWay::end_fade, 5, 40, 10)).contains("start 5 frames later"));
        QVERIFY(words(closing(ClosingWay::half_shift, 30, 40)).contains("9 frames shorter"));
        QVERIFY(words(closing(ClosingWay::end_fade, 20, 10, 11)).contains("make it 1 to 10"));
        QVERIFY(words(closing(ClosingWay::cut, 0, 0)).contains("cannot be"));
    }
    void closing_in_a_project_makes_its_timings_repeat() {
        Project p;
        p.settings.range = {1, 200};
        p.settings.rate = {30, 1};
        const SourceId id = add_source(p, "sway", "sway.ply", {0, 120, {24, 1}});
        p.sources[0].first = 1001; // as the shot counts
        OpenSources open;
        open[id] = {std::make_shared<Ruled>(0, 120, swaying), PoseCache::new_serial()};
        PoseCache cache(1 << 26);
        p.timings[0].map = parse_map("5:1001 155:1151");
        QVERIFY(close_source(p, id, closing(ClosingWay::end_fade, 40, 64, 16), 0, 120));
        QVERIFY(validate(p));
        const Timing& t = p.timings[0];
        QVERIFY(t.after.mode == OutsideMode::repeat && t.last_is_first);
        QCOMPARE(span_first(t).value, 5.0);
        QVERIFY(std::abs(span_length(t) - 80) < 1e-9); // 64 frames at 24 are 80 at 30
        const ShowPtr show = make_show(p, open, cache);
        const Sampler& s = show->samplers.at(id);
        QCOMPARE(s.clock().file_first, 40);
        QCOMPARE(s.clock().file_last, 104);
        QVERIFY(std::abs(s.clock().first.value - 1051) < 1e-9); // 1001 + 40·30/24
        const auto now = *pose_all(*show, OutputFrame(37)), later = *pose_all(*show, OutputFrame(37 + 80));
        QVERIFY(now[0].poses[0].pose->points == later[0].poses[0].pose->points);
        QCOMPARE(check(*show)->count(FindingKind::seam), std::size_t(0));
        // The same repeat without a closing jumps, and Check says so.
        Project cut = p;
        cut.sources[0].closing.reset();
        cut.timings[0].last_is_first = false;
        const auto report = check(*make_show(cut, open, cache));
        QCOMPARE(report->count(FindingKind::seam), std::size_t(1));
        QVERIFY(report->findings[0].words.find("jumps at its seam") != std::string::npos);
        // A closing that no longer fits its source is passed over, and the source is shown as it is.
        Project longer = p;
        longer.sources[0].closing->length = 500;
        QCOMPARE(make_show(longer, open, cache)->samplers.at(id).clock().file_last, 120);
        QVERIFY(open_source_again(p, id, 0, 120));
        QVERIFY(!p.sources[0].closing && !p.timings[0].last_is_first);
        QVERIFY(!open_source_again(p, id, 0, 120));
        QCOMPARE(close_source(p, SourceId(77), {}, 0, 1).error().code, ErrorCode::not_found);
    }
    void seams_are_measured_before_and_after() {
        const Base base(std::make_shared<Ruled>(0, 120, swaying), SubFrame::linear);
        const auto seam = seam_of(base.sampler, closing(ClosingWay::end_fade, 40, 50, 20));
        QVERIFY(seam);
        QVERIFY(seam->gap > 5 * seam->usual);
        QVERIFY(seam->step_before > 5 * seam->usual);
        QVERIFY(seam->step_after < 2.5 * seam->usual);
        QCOMPARE(seam->unit, std::string("m"));
    }
};
GARLAND_TEST_CASE(LoopTest)
#include "loop_test.moc"
