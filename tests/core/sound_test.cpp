// Levels of a sound: published formulas and frequencies, and what they make of copies.
#include "support/case.h"
#include "support/notation.h"

#include "core/copies/copy_playing.h"
#include "core/drivers/sound.h"

#include <random>

using namespace garland;
using namespace garland::testing;

class SoundTest : public QObject {
    Q_OBJECT
    static SoundSamples sine(double hertz, double amplitude, double seconds = 2, double rate = 48000) {
        SoundSamples out;
        out.rate = rate;
        for (double k = 0; k < seconds * rate; ++k)
            out.values.push_back(static_cast<float>(amplitude * std::sin(2 * M_PI * hertz * k / rate)));
        return out;
    }
    static SoundSpec spec(int bands = 8) {
        SoundSpec s;
        s.id = SoundId(5);
        s.name = "tune";
        s.bands.count = bands;
        s.bands.low = 62.5, s.bands.high = 16000; // octaves about 88.4, 176.8 … Hz
        s.bands.release = 0;
        return s;
    }
    static constexpr Rate rate_{24, 1};

  private slots:
    void a_full_scale_sine_reads_0_dB_in_its_band() {
        for (const double sampling : {44100.0, 48000.0, 96000.0, 192000.0}) {
            for (const double hertz : {177.0, 707.0, 2828.0}) {
                const SoundLevelsPtr levels = *SoundLevels::make(sine(hertz, 1, 1, sampling), spec(), rate_);
                const SoundLevelsPtr half = *SoundLevels::make(sine(hertz, 0.5, 1, sampling), spec(), rate_);
                const std::size_t middle = levels->columns() / 3;
                for (std::size_t b = 0; b < levels->bands(); ++b) {
                    const double dB = levels->decibels(b, middle);
                    const bool own = hertz >= levels->band(b).low && hertz < levels->band(b).high;
                    const double away = std::abs(std::log2(hertz / levels->band(b).middle));
                    if (own) {
                        QVERIFY2(std::abs(dB) < 0.05, qPrintable(QString::number(dB)));
                        QVERIFY(close(half->decibels(b, middle) - dB, -6.0206, 0.001)); // 20·log10(1/2)
                    }
                    if (away > 2)
                        QVERIFY2(dB < -40, qPrintable(QString("%1 Hz in band %2: %3").arg(hertz).arg(b).arg(dB)));
                }
            }
        }
    }
    // Parseval: what all bands hold together is the windowed mean square of the samples.
    void bands_together_hold_all_the_energy() {
        std::mt19937 random(4);
        SoundSamples noise;
        for (int k = 0; k < 48000; ++k) noise.values.push_back(std::uniform_real_distribution<float>(-1, 1)(random));
        SoundSpec all = spec(16);
        all.bands.low = 1e-3, all.bands.high = 24000 + 24;
        const SoundLevelsPtr levels = *SoundLevels::make(noise, all, rate_);
        const double frame = 1 + 12; // its window lies inside
        const auto column = static_cast<std::size_t>((frame - levels->first()) * sound_columns);
        double power = 0;
        for (std::size_t b = 0; b < levels->bands(); ++b) power += std::pow(10, levels->decibels(b, column) / 10);
        const auto middle = static_cast<int>(12.0 / 24 * 48000);
        double sum = 0, windows = 0;
        for (int k = 0; k < 2048; ++k) {
            const double w = 0.5 - 0.5 * std::cos(2 * M_PI * k / 2048),
                         v = static_cast<double>(noise.values[static_cast<std::size_t>(middle - 1024 + k)]);
            sum += v * v * w * w, windows += w * w;
        }
        QVERIFY2(close(power, 2 * sum / windows, 2e-3), qPrintable(QString("%1 %2").arg(power).arg(2 * sum / windows)));
    }
    // IEC 61260-1:2014, base ten: mid-band frequencies 1000·10^(k/10); edges a factor 10^(1/20) apart from them.
    void one_third_octaves_are_those_of_the_standard() {
        SoundBands b;
        b.third_octaves = true;
        b.low = 100, b.high = 10000;
        const std::vector<Band> bands = bands_of(b);
        const double expected[] = {100,    125.89, 158.49, 199.53, 251.19, 316.23, 398.11, 501.19, 630.96, 794.33, 1000,
                                   1258.9, 1584.9, 1995.3, 2511.9, 3162.3, 3981.1, 5011.9, 6309.6, 7943.3, 10000};
        QCOMPARE(bands.size(), std::size(expected));
        for (std::size_t k = 0; k < bands.size(); ++k) {
            QVERIFY(std::abs(bands[k].middle / expected[k] - 1) < 5e-5);
            QVERIFY(std::abs(bands[k].high / bands[k].middle - 1.122018454) < 1e-8);
            if (k > 0) QVERIFY(std::abs(bands[k].low / bands[k - 1].high - 1) < 1e-12);
        }
    }
    void attack_and_release_are_of_first_order() {
        // half a second of sine, then silence: after `release` frames 37 % of the level are left
        SoundSamples s = sine(1000, 1, 0.5);
        s.values.resize(48000 * 2, 0);
        SoundSpec slow = spec(1);
        slow.bands.floor = -60, slow.bands.ceiling = 0, slow.bands.release = 8, slow.bands.attack = 4;
        const SoundLevelsPtr levels = *SoundLevels::make(s, slow, rate_);
        const double end = 1 + 12 + 1; // half a window after the last sound
        const double at_end = levels->at(0, end).value, later = levels->at(0, end + 8).value;
        QVERIFY2(std::abs(later / at_end - std::exp(-1)) < 0.01, qPrintable(QString::number(later / at_end)));
        const double risen = levels->at(0, 1 + 4).value;
        QVERIFY(risen > 0.55 && risen < 0.75);
        QCOMPARE(levels->at(0, -50).value, 0.0); // silence before and after
        QCOMPARE(levels->at(0, 1e6).value, 0.0);
        // between its columns it is straight, and says how it changes
        const auto a = levels->at(0, 3.0), b = levels->at(0, 3.25), m = levels->at(0, 3.125);
        QVERIFY(close(m.value, (a.value + b.value) / 2, 1e-12));
        QVERIFY(close(m.rate, (b.value - a.value) * 4, 1e-12));
    }
    void bands_are_dealt_by_order_and_axis() {
        Arrangement a;
        a.layout.count = 10;
        const CopySet set = make_copies(a, {});
        Hearing h;
        QCOMPARE(dealt_bands(h, 4, set), (std::vector<std::uint16_t>{0, 0, 0, 1, 1, 2, 2, 2, 3, 3})); // ⌊k·4/10⌋
        h.deal = SoundDeal::axis;
        h.axis = V3d(-1, 0, 0);
        QCOMPARE(dealt_bands(h, 4, set), (std::vector<std::uint16_t>{3, 3, 3, 2, 2, 1, 1, 0, 0, 0}));
        h.deal = SoundDeal::together;
        QVERIFY(dealt_bands(h, 4, set).empty());
    }
    void copies_start_with_what_they_hear() {
        // two tones one after the other: a low one in the first second, a high one in the second
        SoundSamples s = sine(100, 0.8, 1);
        const SoundSamples high = sine(5000, 0.8, 1);
        s.values.insert(s.values.end(), high.values.begin(), high.values.end());
        SoundSpec two = spec(2);
        const SoundLevelsPtr levels = *SoundLevels::make(s, two, rate_);
        Arrangement a;
        a.layout.count = 2;
        a.play.by = PlayBy::starts;
        a.play.threshold = 0.5;
        a.play.level.kind = LevelKind::sound;
        a.play.level.hearing.sound = two.id;
        const CopySet set = make_copies(a, {});
        const TimingPlan plan(timing_of("1:0 101:100"));
        const CopyClocks clocks(set, plan, {}, rate_, {1, 100});
        LevelGround ground;
        ground.range = {1, 100};
        ground.sounds[two.id] = levels;
        const auto playing = *CopyPlaying::make(a.play, CopyLevels(a.play.level, ground, {set.places, nullptr}, set),
                                                {1, 100, 0}, clocks.own_rate(), clocks.starts(plan));
        QVERIFY(std::abs(playing->visits(0)[0].from - 1) < 1);  // begins at frame 1
        QVERIFY(std::abs(playing->visits(1)[0].from - 25) < 1); // a second, 24 frames, later
        QVERIFY(close(playing->at(1, 60).run, 60 - playing->visits(1)[0].from, 1e-9));
        QCOMPARE(playing->levels().band_of(1), std::optional<std::size_t>(1));
    }
    void five_minutes_and_bad_values() {
        SoundSpec s = spec();
        s.bands.low = 500, s.bands.high = 100;
        QVERIFY(!validate(s));
        QVERIFY(describe(validate(s).error()).find("its bands go from 500 to 100 Hz") != std::string::npos);
        s = spec(0);
        QVERIFY(!validate(s));
        s = spec();
        s.bands.floor = 0, s.bands.ceiling = -3;
        QVERIFY(!validate(s));
        s = spec();
        QVERIFY(validate(s));
        const SoundLevelsPtr none = *SoundLevels::make(SoundSamples{48000, {0.f}}, s, rate_);
        QCOMPARE(none->at(0, 1).value, 0.0);
    }
};
GARLAND_TEST_CASE(SoundTest)
#include "sound_test.moc"
