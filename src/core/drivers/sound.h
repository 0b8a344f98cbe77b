// A sound as the project knows it, and its levels by band over output frames.
#pragma once

#include "core/base/ids.h"
#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/time/frames.h"
#include "core/time/rate.h"

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace garland {

struct SoundBands {
    bool third_octaves = false;        // the bands of IEC 61260-1; else `count` bands even in octaves
    int count = 8;                     // 1 … 64
    double low = 60, high = 8000;      // Hz
    double floor = -60, ceiling = -12; // dB re full scale: level 0 and level 1
    double attack = 0, release = 6;    // output frames after which 63 % of a rise, or of a fall, has come
    bool operator==(const SoundBands&) const = default;
};

struct SoundSpec {
    SoundId id{};
    std::string name{};
    std::string path{};
    int channel = 0;      // 0: all channels averaged; 1 … n: that one
    OutputFrame start{1}; // at which output frame it begins; may be negative or fractional
    SoundBands bands{};
    std::string extra{};
    bool operator==(const SoundSpec&) const = default;
};

// Errors: invalid, naming the sound and the field.
Result<void> validate(const SoundSpec& sound);

// Samples of one channel, −1 … 1.
struct SoundSamples {
    double rate = 48000; // samples per second
    std::vector<float> values;
    double seconds() const { return static_cast<double>(values.size()) / rate; }
};
using SoundSamplesPtr = std::shared_ptr<const SoundSamples>;

// A sound on the output clock, to be listened to: it begins at the output frame `start`.
struct HeardSound {
    SoundSamplesPtr samples;
    double start = 1;
};
// What is heard at an output frame: all sounds added, straight between samples; −1 … 1.
float heard_at(std::span<const HeardSound> sounds, double frame, double frames_per_second);

struct Band {
    double low = 0, middle = 0, high = 0; // Hz
};
// Even in octaves from low to high; or the one-third-octave bands whose mid-band frequencies 1000 · 10^(k/10) Hz lie
// from low to high, with edges at ± 10^(1/20) (IEC 61260-1:2014, base ten).
std::vector<Band> bands_of(const SoundBands& bands);

inline constexpr double sound_columns = 4; // per output frame

// The level of every band over time: 0 … 1, straight between columns of a quarter of an output frame, 0 before and
// after the sound (once its release has died away). Pure: any output frame in any order.
class SoundLevels {
  public:
    // A Hann window of 2048 samples at 48 kHz (scaled with the rate) about every column, its energy summed by band and
    // expressed in dB re a full-scale sine; floor … ceiling to 0 … 1; then attack and release of first order for the
    // whole sound at once. Errors: too_large above an hour at 64 bands; cancelled.
    static Result<std::shared_ptr<const SoundLevels>> make(const SoundSamples& samples, const SoundSpec& spec,
                                                           Rate rate, Progress& progress = Progress::none());
    struct Level {
        double value = 0, rate = 0; // 0 … 1; per output frame
    };
    Level at(std::size_t band, double t) const;
    std::size_t bands() const { return bands_.size(); }
    const Band& band(std::size_t i) const { return bands_[i]; }
    double first() const { return first_; } // output frame of the first column
    double last() const { return first_ + (static_cast<double>(columns_) - 1) / sound_columns; }
    // Output frames between from and to of its columns, and where band `band` is one of `levels`; appended.
    void cuts(std::size_t band, double from, double to, std::span<const double> levels, std::vector<double>& out) const;
    // dB re full scale of one band in one column, before floor and ceiling; −∞ in silence.
    double decibels(std::size_t band, std::size_t column) const;
    std::size_t columns() const { return columns_; }

  private:
    std::vector<Band> bands_;
    double first_ = 0;
    std::size_t columns_ = 0;
    std::vector<float> levels_, power_; // band after band
};
using SoundLevelsPtr = std::shared_ptr<const SoundLevels>;

} // namespace garland
