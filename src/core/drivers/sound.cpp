#include "core/drivers/sound.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/base/portable_math.h"

#include <algorithm>
#include <cmath>
#include <fftw3.h>
#include <fmt/format.h>
#include <mutex>
#include <numbers>

namespace garland {

namespace {

constexpr double values_limit = 64 * 3600 * 60 * sound_columns; // an hour at 60 frames per second and 64 bands

double ten_to(double x) {
    return portable::exp(x * std::numbers::ln10);
}
double decibels_of(double power) {
    return power > 0 ? 10 * portable::log(power) / std::numbers::ln10 : -std::numeric_limits<double>::infinity();
}

// One window's spectrum. The planner takes the same steps on every processor, so levels have the same last bit.
class Spectrum {
  public:
    explicit Spectrum(int size) : size_(size) {
        window_.resize(static_cast<std::size_t>(size));
        for (int i = 0; i < size; ++i)
            window_[static_cast<std::size_t>(i)] = 0.5 - 0.5 * portable::cos(2 * std::numbers::pi * i / size); // Hann
        for (double w : window_) energy_ += w * w;
        std::vector<double> in(static_cast<std::size_t>(size));
        std::vector<fftw_complex> out(bins());
        constexpr unsigned no_vectors = 1u << 17; // FFTW_NO_SIMD
        plan_ = fftw_plan_dft_r2c_1d(size, in.data(), out.data(), FFTW_ESTIMATE | FFTW_UNALIGNED | no_vectors);
    }
    ~Spectrum() { fftw_destroy_plan(plan_); }
    Spectrum(const Spectrum&) = delete;
    Spectrum& operator=(const Spectrum&) = delete;
    std::size_t bins() const { return static_cast<std::size_t>(size_ / 2 + 1); }
    // The mean square of every bin of the samples about `middle`, silence beyond their ends (Parseval: their sum is the
    // windowed mean square).
    void power(std::span<const float> samples, double middle, std::vector<double>& in, std::vector<fftw_complex>& out,
               std::vector<double>& power) const {
        const auto from = static_cast<std::int64_t>(std::floor(middle)) - size_ / 2;
        for (int i = 0; i < size_; ++i) {
            const std::int64_t k = from + i;
            const bool there = k >= 0 && k < static_cast<std::int64_t>(samples.size());
            in[static_cast<std::size_t>(i)] =
                there ? static_cast<double>(samples[static_cast<std::size_t>(k)]) * window_[static_cast<std::size_t>(i)]
                      : 0;
        }
        fftw_execute_dft_r2c(plan_, in.data(), out.data());
        for (std::size_t k = 0; k < power.size(); ++k) {
            const bool twice = k > 0 && k + 1 < power.size();
            power[k] = (out[k][0] * out[k][0] + out[k][1] * out[k][1]) * (twice ? 2 : 1) / (size_ * energy_);
        }
    }

  private:
    int size_;
    double energy_ = 0;
    std::vector<double> window_;
    fftw_plan plan_;
};

} // namespace

float heard_at(std::span<const HeardSound> sounds, double frame, double frames_per_second) {
    double sum = 0;
    for (const HeardSound& sound : sounds) {
        const auto& values = sound.samples->values;
        const double at = (frame - sound.start) / frames_per_second * sound.samples->rate;
        if (at < 0 || at >= static_cast<double>(values.size())) continue;
        const auto i = static_cast<std::size_t>(at);
        const double share = at - static_cast<double>(i);
        const double next = i + 1 < values.size() ? static_cast<double>(values[i + 1]) : 0;
        sum += static_cast<double>(values[i]) * (1 - share) + next * share;
    }
    return static_cast<float>(std::clamp(sum, -1.0, 1.0));
}

Result<void> validate(const SoundSpec& s) {
    auto wrong = [&](std::string field, std::string advice) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("sound \"{}\": {}", s.name, field)}.advise(std::move(advice)));
    };
    const SoundBands& b = s.bands;
    if (s.channel < 0 || s.channel > 1024)
        return wrong(fmt::format("its channel is {}", s.channel), "use 0 (all averaged) or a channel from 1");
    if (!std::isfinite(s.start.value) || std::abs(s.start.value) > frame_limit)
        return wrong("its first output frame is not a number", "use an output frame");
    if (b.count < 1 || b.count > 64) return wrong(fmt::format("it has {} bands", b.count), "use 1 to 64 bands");
    if (!std::isfinite(b.low) || !std::isfinite(b.high) || b.low <= 0 || b.high > 1e6 || b.low >= b.high)
        return wrong(fmt::format("its bands go from {} to {} Hz", short_number(b.low), short_number(b.high)),
                     "use a low frequency above 0 Hz and a higher one after it");
    if (b.third_octaves && bands_of(b).empty())
        return wrong(
            fmt::format("no one-third-octave band lies from {} to {} Hz", short_number(b.low), short_number(b.high)),
            "use a wider range");
    if (!std::isfinite(b.floor) || !std::isfinite(b.ceiling) || b.floor < -200 || b.ceiling > 20 ||
        b.floor >= b.ceiling)
        return wrong(fmt::format("its levels go from {} to {} dB", short_number(b.floor), short_number(b.ceiling)),
                     "use a floor below the ceiling, from −200 to 20 dB");
    for (double v : {b.attack, b.release}) {
        if (!std::isfinite(v) || v < 0 || v > 1e5)
            return wrong(fmt::format("an attack or release takes {} frames", short_number(v)),
                         "use 0 to 100 000 frames");
    }
    return {};
}

std::vector<Band> bands_of(const SoundBands& b) {
    std::vector<Band> out;
    if (b.third_octaves) {
        const double edge = ten_to(0.05);
        for (int k = -20; k <= 14; ++k) {
            const double middle = 1000 * ten_to(k / 10.0);
            if (middle >= b.low * (1 - 1e-9) && middle <= b.high * (1 + 1e-9))
                out.push_back({middle / edge, middle, middle * edge});
        }
        return out;
    }
    const double octaves = portable::log(b.high / b.low);
    auto at = [&](double k) { return b.low * portable::exp(octaves * k / b.count); };
    for (int k = 0; k < b.count; ++k) out.push_back({at(k), at(k + 0.5), at(k + 1)});
    return out;
}

Result<SoundLevelsPtr> SoundLevels::make(const SoundSamples& samples, const SoundSpec& spec, Rate rate,
                                         Progress& progress) {
    auto out = std::make_shared<SoundLevels>();
    const SoundBands& b = spec.bands;
    out->bands_ = bands_of(b);
    const double seconds = rate.start_of(1).value; // of an output frame
    const double frames = samples.seconds() / seconds, tail = 7 * b.release + 1;
    out->first_ = std::floor(spec.start.value * sound_columns) / sound_columns - 1;
    const double columns = std::ceil((frames + tail + 2) * sound_columns) + 1;
    if (columns * static_cast<double>(out->bands_.size()) > values_limit)
        return fail(Error{ErrorCode::too_large, fmt::format("the sound is {} s long in {} bands",
                                                            short_number(samples.seconds(), 0), out->bands_.size())}
                        .advise("use fewer bands or a shorter sound"));
    out->columns_ = static_cast<std::size_t>(columns);
    out->levels_.assign(out->columns_ * out->bands_.size(), 0);
    out->power_.assign(out->columns_ * out->bands_.size(), 0);

    int size = 2;
    while (size * 1.4142 < 2048 * samples.rate / 48000) size *= 2;
    const double apart = samples.rate / size; // Hz from bin to bin
    static std::mutex planning;
    std::unique_lock lock(planning);
    const Spectrum spectrum(size);
    lock.unlock();
    parallel_for(out->columns_, 256, [&](std::size_t from, std::size_t to) {
        std::vector<double> in(static_cast<std::size_t>(size)), power(spectrum.bins());
        std::vector<fftw_complex> bins(spectrum.bins());
        for (std::size_t c = from; c < to && !progress.cancelled(); ++c) {
            const double t = out->first_ + static_cast<double>(c) / sound_columns;
            spectrum.power(samples.values, (t - spec.start.value) * seconds * samples.rate, in, bins, power);
            for (std::size_t k = 0; k < out->bands_.size(); ++k) {
                // A bin counts by the share of it that lies in the band.
                const double low = out->bands_[k].low / apart + 0.5, high = out->bands_[k].high / apart + 0.5;
                double sum = 0;
                for (auto i = static_cast<std::size_t>(low); i < power.size() && static_cast<double>(i) < high; ++i) {
                    const double at = static_cast<double>(i);
                    sum += power[i] * std::max(std::min(high, at + 1) - std::max(low, at), 0.0);
                }
                out->power_[k * out->columns_ + c] =
                    static_cast<float>(2 * sum); // re the mean square of a full-scale sine
            }
        }
        progress.report(0.95, "analysing the sound");
    });
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    auto share = [](double time) { return time > 0 ? 1 - portable::exp(-1 / (sound_columns * time)) : 1.0; };
    const double up = share(b.attack), down = share(b.release);
    for (std::size_t k = 0; k < out->bands_.size(); ++k) {
        double level = 0;
        for (std::size_t c = 0; c < out->columns_; ++c) {
            const double now = std::clamp((out->decibels(k, c) - b.floor) / (b.ceiling - b.floor), 0.0, 1.0);
            level += (now - level) * (now > level ? up : down);
            if (level < 1e-3 && now == 0) level = 0; // died away
            out->levels_[k * out->columns_ + c] = static_cast<float>(level);
        }
        out->levels_[(k + 1) * out->columns_ - 1] = 0;
    }
    return SoundLevelsPtr(out);
}

double SoundLevels::decibels(std::size_t band, std::size_t column) const {
    return decibels_of(static_cast<double>(power_[band * columns_ + column]));
}

SoundLevels::Level SoundLevels::at(std::size_t band, double t) const {
    const double x = (t - first_) * sound_columns;
    if (!(x > 0) || x >= static_cast<double>(columns_) - 1 || band >= bands_.size()) return {};
    const auto i = static_cast<std::size_t>(x);
    const double a = static_cast<double>(levels_[band * columns_ + i]),
                 b = static_cast<double>(levels_[band * columns_ + i + 1]);
    return {a + (b - a) * (x - static_cast<double>(i)), (b - a) * sound_columns};
}

void SoundLevels::cuts(std::size_t band, double from, double to, std::span<const double> levels,
                       std::vector<double>& out) const {
    if (band >= bands_.size()) return;
    for (std::size_t i = 0; i < columns_; ++i) {
        const double t = first_ + static_cast<double>(i) / sound_columns;
        if (t < from || t > to) continue;
        const double a = static_cast<double>(levels_[band * columns_ + i]);
        const double b = i + 1 < columns_ ? static_cast<double>(levels_[band * columns_ + i + 1]) : 0;
        const double before = i > 0 ? static_cast<double>(levels_[band * columns_ + i - 1]) : 0;
        if (a != b || a != before) out.push_back(t);
        for (double level : levels) {
            if ((a > level) != (b > level)) out.push_back(t + (level - a) / (b - a) / sound_columns);
        }
    }
}

} // namespace garland
