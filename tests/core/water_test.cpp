#include "support/case.h"
#include "support/notation.h"

#include "core/base/chance.h"
#include "core/source/water_waves.h"

#include <cmath>
#include <fftw3.h>
#include <numbers>

using namespace garland;
using namespace garland::testing;

namespace {

WaterSpec calm() {
    WaterSpec w;
    w.resolution = 64, w.size = w.patch = 20, w.wind = 5, w.smallest = 0.5;
    return w;
}

double variance(const std::vector<float>& list) {
    double sum = 0, squares = 0;
    for (float v : list) sum += v, squares += static_cast<double>(v) * v;
    const auto n = static_cast<double>(list.size());
    return squares / n - sum / n * sum / n;
}

PosePtr pose_of(const SourcePtr& source, double frame) {
    return *source->exact_at(frame, SubFrame::linear, Progress::none());
}

} // namespace

class WaterTest : public QObject {
    Q_OBJECT
  private slots:
    // J. Tessendorf, "Simulating ocean water", 2001, equation 14: ω² = g·k in deep water.
    void waves_keep_the_dispersion_of_deep_water() {
        const WaterPatch patch(calm(), 20, 1, 3, 0);
        const int half = 64 / 2;
        for (int row = 0; row < 64; ++row) {
            for (int j = 0; j < half; ++j) {
                const int i = row <= 32 ? row : row - 64;
                if (std::abs(i) >= 32 || j >= 32 || (i == 0 && j == 0)) continue;
                const double k = 2 * std::numbers::pi / 20 * std::hypot(i, j);
                const double omega = 2 * std::numbers::pi * patch.turns()[static_cast<std::size_t>(row * half + j)];
                QVERIFY(std::abs(omega * omega - water_gravity * k) < 1e-9 * k);
            }
        }
    }
    // The same paper, section 4.2: frequencies quantised to multiples of 2π/T make the surface periodic.
    void a_loops_waves_turn_whole_times() {
        const double seconds = 7.5;
        const WaterPatch free(calm(), 20, 1, 3, 0), loop(calm(), 20, 1, 3, seconds);
        for (std::size_t n = 0; n < loop.turns().size(); ++n) {
            const double turns = loop.turns()[n];
            QCOMPARE(turns, std::round(turns));
            if (free.turns()[n] * seconds >= 1) QVERIFY(std::abs(turns - free.turns()[n] * seconds) <= 0.5 + 1e-9);
        }
    }
    void the_surface_is_the_same_after_a_loop() {
        WaterSpec w = calm();
        w.loop = 180, w.layers = 3;
        const SourcePtr source = make_water(w, {24, 1});
        QCOMPARE(source->facts().last, 180);
        QCOMPARE(source->facts().frames(), 181); // 0…180 is 181 frames: common practice, no source
        const PosePtr first = pose_of(source, 0), last = pose_of(source, 180), middle = pose_of(source, 90.25);
        QVERIFY(first->points == last->points);
        QVERIFY(first->velocities == last->velocities);
        QVERIFY(pose_of(source, 270.25)->points == middle->points);
        QVERIFY(pose_of(source, -89.75)->points == middle->points);
        QVERIFY(!(middle->points == first->points));
    }
    // Significant height is four standard deviations of the surface (M. K. Ochi, "Ocean waves", 1998, from memory),
    // which the spectrum's constant is set by; the mean over many seas comes to it.
    void the_height_is_the_significant_height() {
        WaterSpec w = calm();
        w.height = 0.4;
        double sum = 0;
        const int seas = 60;
        for (int s = 0; s < seas; ++s) {
            const WaterPatch patch(w, 20, 1, static_cast<std::uint64_t>(s) + 10, 0);
            WaterFields fields;
            patch.fields(1.7, false, fields);
            sum += variance(fields.height);
        }
        const double height = 4 * std::sqrt(sum / seas);
        QVERIFY2(std::abs(height - 0.4) < 0.4 * 0.06, qPrintable(QString::number(height)));
        // Twice the height is the same sea, twice as high.
        WaterSpec high = w;
        high.height = 0.8;
        const PosePtr a = pose_of(make_water(w, {24, 1}), 3), b = pose_of(make_water(high, {24, 1}), 3);
        for (std::size_t i = 0; i < a->points.size(); i += 7)
            QVERIFY(std::abs(b->points[i].y - 2 * a->points[i].y) < 1e-5f);
    }
    // W. J. Pierson and L. Moskowitz, 1964: H = 0.21·V²/g (from memory); 10 m/s raise about 2.1 m.
    void a_risen_sea() { QVERIFY(std::abs(risen_height(10) - 2.14) < 0.01); }

    void velocities_are_the_change_of_places() {
        WaterSpec w = calm();
        w.layers = 2;
        for (std::int64_t loop : {0, 120}) {
            w.loop = loop;
            const SourcePtr source = make_water(w, {25, 1});
            const double h = 0.01;
            const PosePtr before = pose_of(source, 40 - h), now = pose_of(source, 40), after = pose_of(source, 40 + h);
            double fastest = 0;
            for (const V3f& v : now->velocities) fastest = std::max<double>(fastest, v.length());
            QVERIFY(fastest > 0.05);
            for (std::size_t i = 0; i < now->points.size(); i += 3) {
                const V3d speed = (V3d(after->points[i]) - V3d(before->points[i])) / (2 * h / 25);
                QVERIFY2((speed - V3d(now->velocities[i])).length() < 0.01 * fastest + 4e-3,
                         qPrintable(QString::number(static_cast<double>(i))));
            }
        }
    }
    void waves_run_with_the_wind() {
        WaterSpec w = calm();
        w.against = 1;
        for (double direction : {0.0, 90.0, 180.0, 270.0}) {
            w.direction = direction;
            const WaterPatch patch(w, 20, 1, 5, 0);
            WaterFields f;
            patch.fields(2, true, f);
            double with = 0;
            const double a = direction * std::numbers::pi / 180, x_way = std::cos(a), z_way = -std::sin(a);
            for (int z = 0; z < 64; ++z) {
                for (int x = 0; x < 64; ++x) {
                    auto at = [&](int i, int j) {
                        return f.height[static_cast<std::size_t>((j + 64) % 64 * 64 + (i + 64) % 64)];
                    };
                    const double slope = x_way * (at(x + 1, z) - at(x - 1, z)) + z_way * (at(x, z + 1) - at(x, z - 1));
                    with += slope * f.height_rate[static_cast<std::size_t>(z * 64 + x)]; // h(s − ct): rate is −c·slope
                }
            }
            QVERIFY(with < 0);
        }
    }
    void choppiness_sharpens_until_it_folds() {
        WaterSpec w = calm();
        w.height = 0.6;
        w.choppiness = 0;
        QCOMPARE(folds_of(w, {24, 1}).share, 0.0);
        w.choppiness = 6;
        const Folds folds = folds_of(w, {24, 1});
        QVERIFY(folds.share > 0.001);
        QVERIFY(folds.most_choppiness > 0.05 && folds.most_choppiness < 6);
        w.choppiness = folds.most_choppiness;
        QCOMPARE(folds_of(w, {24, 1}).share, 0.0);
        w.choppiness = folds.most_choppiness * 1.05;
        QVERIFY(folds_of(w, {24, 1}).share > 0);
        // Crests are narrower than troughs: points gather where the surface is high.
        w.choppiness = folds.most_choppiness * 0.9;
        const PosePtr pose = pose_of(make_water(w, {24, 1}), 0);
        double high = 0, low = 0;
        int n_high = 0, n_low = 0;
        for (std::size_t i = 0; i + 1 < pose->points.size(); ++i) {
            const float across = pose->points[i + 1].x - pose->points[i].x;
            if (across < 0 || across > 1) continue; // the row's end
            if (pose->points[i].y > 0.2f) high += across, ++n_high;
            if (pose->points[i].y < -0.2f) low += across, ++n_low;
        }
        QVERIFY(n_high > 50 && n_low > 50);
        QVERIFY(high / n_high < low / n_low);
    }
    void layers_do_not_repeat_together() {
        WaterSpec w = calm();
        w.patch = 10; // shown twice along each side
        auto gap = [&](int layers) {
            w.layers = layers;
            const PosePtr p = pose_of(make_water(w, {24, 1}), 5);
            const int side = 129;
            double most = 0;
            for (int z = 0; z < 64; ++z)
                most = std::max<double>(most, std::abs(p->points[static_cast<std::size_t>(z * side)].y -
                                                       p->points[static_cast<std::size_t>(z * side + 64)].y));
            return most;
        };
        QVERIFY(gap(1) < 1e-6);
        QVERIFY(gap(2) > 0.01);
    }
    // Against FFTW (M. Frigo and S. Johnson, 2005), an independent library.
    void the_transform_is_a_librarys() {
        for (int side : {64, 128, 256, 512}) {
            const auto n = static_cast<std::size_t>(side), half = n / 2, lanes = WaterTransform::lanes;
            const WaterTransform transform(side);
            WaterTransform::Half halves[2];
            std::vector<float> wanted[2];
            for (std::uint64_t which = 0; which < 2; ++which) {
                std::vector<float> re(n * half), im(n * half);
                for (std::size_t i = 0; i < n * half; ++i)
                    re[i] = static_cast<float>(chance(7, which, i) - 0.5),
                    im[i] = static_cast<float>(chance(8, which, i) - 0.5);
                for (std::size_t i = 0; i < n; ++i) { // column 0 holds each wave and its mirror
                    const std::size_t at = i * half, mirror = (n - i) % n * half;
                    if (i == 0 || i == n / 2) im[at] = 0;
                    re[mirror] = re[at], im[mirror] = -im[at];
                }
                auto* in = fftwf_alloc_complex(n * (half + 1));
                wanted[which].resize(n * n);
                fftwf_plan plan = fftwf_plan_dft_c2r_2d(side, side, in, wanted[which].data(), FFTW_ESTIMATE);
                for (std::size_t i = 0; i < n; ++i) {
                    for (std::size_t j = 0; j <= half; ++j) {
                        in[i * (half + 1) + j][0] = j < half ? re[i * half + j] : 0;
                        in[i * (half + 1) + j][1] = j < half ? im[i * half + j] : 0;
                    }
                }
                fftwf_execute(plan);
                fftwf_destroy_plan(plan);
                fftwf_free(in);
                halves[which].re.resize(n * half), halves[which].im.resize(n * half);
                for (std::size_t first = 0; first < half; first += lanes) {
                    std::vector<float> block_re(n * lanes), block_im(n * lanes);
                    for (std::size_t i = 0; i < n; ++i) {
                        for (std::size_t b = 0; b < lanes; ++b)
                            block_re[i * lanes + b] = re[i * half + first + b],
                                                 block_im[i * lanes + b] = im[i * half + first + b];
                    }
                    transform.columns(first, block_re, block_im, halves[which]);
                }
            }
            std::vector<float> made[2] = {std::vector<float>(n * n), std::vector<float>(n * n)}, alone(n * n);
            transform.rows(halves[0], &halves[1], made[0], made[1]);
            transform.rows(halves[1], nullptr, alone, alone);
            double worst = 0, largest = 0;
            for (std::size_t i = 0; i < n * n; ++i) {
                for (int which = 0; which < 2; ++which)
                    worst = std::max<double>(worst, std::abs(made[which][i] - wanted[which][i]));
                worst = std::max<double>(worst, std::abs(alone[i] - wanted[1][i]));
                largest = std::max<double>(largest, std::abs(wanted[0][i]));
            }
            QVERIFY2(worst < largest * 2e-6, qPrintable(QString("%1: %2 of %3").arg(side).arg(worst).arg(largest)));
        }
    }
    void sines_are_right() {
        const double turns[] = {0, 0.125, 0.25, 1.5, 7.75, 123.456, -2.3, 0.499999, 1e5 + 0.1};
        float c[9], s[9];
        for (double moment : {0.0, 1.0, 0.37, 55.5}) {
            turn_waves(turns, moment, c, s, 9);
            for (int i = 0; i < 9; ++i) {
                const double a = 2 * std::numbers::pi * turns[i] * moment;
                QVERIFY(std::abs(c[i] - std::cos(a)) < 3e-6 && std::abs(s[i] - std::sin(a)) < 3e-6);
            }
        }
    }
    void bad_water_is_refused() {
        auto refused = [](auto change) {
            WaterSpec w;
            change(w);
            return !validate(w);
        };
        QVERIFY(validate(WaterSpec{}));
        QVERIFY(refused([](WaterSpec& w) { w.wind = 0; }));
        QVERIFY(refused([](WaterSpec& w) { w.height = std::nan(""); }));
        QVERIFY(refused([](WaterSpec& w) { w.resolution = 100; }));
        QVERIFY(refused([](WaterSpec& w) { w.layers = 9; }));
        QVERIFY(refused([](WaterSpec& w) { w.patch = -1; }));
        QVERIFY(refused([](WaterSpec& w) { w.against = 1.5; }));
        QVERIFY(refused([](WaterSpec& w) { w.loop = -4; }));
    }
};
GARLAND_TEST_CASE(WaterTest)
#include "water_test.moc"
