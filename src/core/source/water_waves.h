// One periodic patch of water as a spectrum, and its fields at a moment.
#pragma once

#include "core/source/water.h"
#include "core/source/water_transform.h"

#include <span>

namespace garland {

inline constexpr double water_gravity = 9.81; // m/s²

// Tessendorf's P(k) without its constant: exp(−1/(kL)²)/k⁴ · (k̂·ŵ)² · exp(−(k·l)²) with L = V²/g; waves that run
// against the wind times (1 − against)². `smallest` is the wavelength whose energy the last factor takes by e: l =
// smallest/2π.
double phillips(double kx, double kz, const WaterSpec& water);

struct WaterFields {
    std::vector<float> height, aside_x, aside_z; // N·N each, row by row (z), metres; aside is the sideways move
    std::vector<float> height_rate, aside_x_rate, aside_z_rate; // metres a second; empty unless asked for
};

class WaterPatch {
  public:
    // share: of the whole height's energy. seconds_a_loop: 0 is no loop; otherwise every wave's frequency becomes the
    // nearest multiple of one turn a loop, at least one.
    WaterPatch(const WaterSpec& water, double patch, double share, std::uint64_t seed, double seconds_a_loop);

    // turn: for loops, the part of the loop that is over, in [0, 1); otherwise seconds.
    void fields(double moment, bool rates, WaterFields& out) const;

    int samples() const { return n_; }
    double patch() const { return patch_; }
    double expected_variance() const { return variance_; }
    // Turns a second (or a loop) of each wave of the half spectrum, rows of samples()/2.
    std::span<const double> turns() const { return turns_; }

  private:
    int n_;
    double patch_, variance_ = 0;
    WaterTransform transform_;
    bool loops_;
    std::vector<float> forward_re_, forward_im_, back_re_, back_im_; // h₀(k), conj h₀(−k)
    std::vector<double> turns_;
    std::vector<float> kx_, kz_, one_over_k_, omega_;
};

// What the waves of a patch are at a moment, for a block of columns: [row·lanes + column].
struct WaveBlock {
    std::vector<float> re, im, rate_re, rate_im; // of h(k), and of its change a second
};
struct WaveLists { // a patch's lists, rows of n/2
    const float *forward_re, *forward_im, *back_re, *back_im, *omega;
    const double* turns;
};
void waves_at(const WaveLists& waves, std::size_t n, std::size_t half, std::size_t first, double moment, bool rates,
              WaveBlock& out);
// Points are drawn toward the crests: i·k̂·h, of a block of columns.
void turn_aside(const std::vector<float>& re, const std::vector<float>& im, const float* along, const float* one_over_k,
                std::size_t n, std::size_t half, std::size_t first, std::vector<float>& to_re,
                std::vector<float>& to_im);

// cos and sin of 2π·turns, to about 1e-7.
void turn_waves(const double* turns, double moment, float* cosines, float* sines, std::size_t count);

} // namespace garland
