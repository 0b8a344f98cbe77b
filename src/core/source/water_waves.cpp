#include "core/source/water_waves.h"

#include "core/base/chance.h"
#include "core/base/levels.h"
#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>
#include <fftw3.h>
#include <map>
#include <mutex>
#include <numbers>

namespace garland {

namespace {

// Two independent normal numbers for a wave, by its place in the spectrum (G. Box and M. Muller, 1958).
std::pair<double, double> normals(std::uint64_t seed, int i, int j) {
    const std::uint64_t wave = (static_cast<std::uint64_t>(static_cast<std::uint32_t>(i)) << 32) | static_cast<std::uint32_t>(j);
    const double u = 1 - chance(seed, 1, wave), v = chance(seed, 2, wave);
    const double r = std::sqrt(-2 * std::log(u));
    return {r * std::cos(2 * std::numbers::pi * v), r * std::sin(2 * std::numbers::pi * v)};
}

// A plan for N·N real fields from half spectra. Made by estimate and without vector instructions: the library would
// choose by the machine, and results must be the same bytes everywhere.
fftwf_plan plan_for(int n) {
    static std::mutex mutex;
    static std::map<int, fftwf_plan> plans;
    std::lock_guard lock(mutex);
    fftwf_plan& plan = plans[n];
    if (!plan) {
        auto* in = fftwf_alloc_complex(static_cast<std::size_t>(n) * static_cast<std::size_t>(n / 2 + 1));
        auto* out = fftwf_alloc_real(static_cast<std::size_t>(n) * static_cast<std::size_t>(n));
        plan = fftwf_plan_dft_c2r_2d(n, n, in, out, FFTW_ESTIMATE | FFTW_NO_SIMD | FFTW_UNALIGNED);
        fftwf_free(in);
        fftwf_free(out);
    }
    return plan;
}

} // namespace

double phillips(double kx, double kz, const WaterSpec& w) {
    const double k2 = kx * kx + kz * kz;
    if (k2 <= 0) return 0;
    const double longest = w.wind * w.wind / water_gravity, angle = w.direction * std::numbers::pi / 180;
    const double along = (kx * std::cos(angle) - kz * std::sin(angle)) / std::sqrt(k2);
    const double l = w.smallest / (2 * std::numbers::pi);
    const double back = along < 0 ? (1 - w.against) * (1 - w.against) : 1;
    return std::exp(-1 / (k2 * longest * longest)) / (k2 * k2) * along * along * std::exp(-k2 * l * l) * back;
}

WaterPatch::WaterPatch(const WaterSpec& water, double patch, double share, std::uint64_t seed, double seconds_a_loop)
    : n_(water.resolution), patch_(patch), loops_(seconds_a_loop > 0) {
    const int half = n_ / 2 + 1;
    const auto count = static_cast<std::size_t>(n_) * static_cast<std::size_t>(half);
    for (auto* list : {&forward_re_, &forward_im_, &back_re_, &back_im_, &kx_, &kz_, &one_over_k_, &omega_}) list->resize(count);
    turns_.resize(count);
    const double step = 2 * std::numbers::pi / patch;
    auto wave = [&](int i) { return i <= n_ / 2 ? i : i - n_; }; // the row's signed wave number
    auto usable = [&](int i, int j) { return std::abs(i) < n_ / 2 && std::abs(j) < n_ / 2 && (i != 0 || j != 0); };
    double energy = 0;
    for (int i = -n_ / 2 + 1; i < n_ / 2; ++i) {
        for (int j = -n_ / 2 + 1; j < n_ / 2; ++j) energy += 2 * phillips(j * step, i * step, water);
    }
    const double wanted = water.height * water.height / 16 * share; // m₀ = (H/4)²
    const double constant = energy > 0 ? wanted / energy : 0;
    variance_ = energy > 0 ? wanted : 0;
    for (int row = 0; row < n_; ++row) {
        for (int j = 0; j < half; ++j) {
            const int i = wave(row);
            const auto at = static_cast<std::size_t>(row) * static_cast<std::size_t>(half) + static_cast<std::size_t>(j);
            if (!usable(i, j)) continue;
            const double x = j * step, z = i * step, k = std::hypot(x, z), omega = std::sqrt(water_gravity * k);
            const auto [a, b] = normals(seed, i, j);
            const auto [c, d] = normals(seed, -i, -j);
            const double there = std::sqrt(constant * phillips(x, z, water) / 2), back = std::sqrt(constant * phillips(-x, -z, water) / 2);
            forward_re_[at] = static_cast<float>(a * there), forward_im_[at] = static_cast<float>(b * there);
            back_re_[at] = static_cast<float>(c * back), back_im_[at] = static_cast<float>(-d * back);
            kx_[at] = static_cast<float>(x), kz_[at] = static_cast<float>(z), one_over_k_[at] = static_cast<float>(1 / k);
            const double turns = omega / (2 * std::numbers::pi);
            turns_[at] = loops_ ? std::max(1.0, std::round(turns * seconds_a_loop)) : turns;
            omega_[at] = static_cast<float>(2 * std::numbers::pi * turns_[at] / (loops_ ? seconds_a_loop : 1));
        }
    }
}

void WaterPatch::fields(double moment, bool rates, WaterFields& out) const {
    const FlushDenormals flush;
    const std::size_t count = turns_.size(), points = static_cast<std::size_t>(n_) * static_cast<std::size_t>(n_);
    // Kept from call to call: fresh memory costs as much as the transforms.
    thread_local std::vector<float> cosines, sines, re, im, rate_re, rate_im;
    thread_local std::vector<fftwf_complex> spectrum;
    for (auto* list : {&cosines, &sines, &re, &im}) list->resize(count);
    if (spectrum.size() < count) spectrum = std::vector<fftwf_complex>(count);
    turn_waves(turns_.data(), moment, cosines.data(), sines.data(), count);
    for (std::size_t i = 0; i < count; ++i) { // h = h₀·e^{−iωt} + conj h₀(−k)·e^{iωt}: waves run along their k
        const float c = cosines[i], s = sines[i];
        re[i] = forward_re_[i] * c + forward_im_[i] * s + back_re_[i] * c - back_im_[i] * s;
        im[i] = forward_im_[i] * c - forward_re_[i] * s + back_im_[i] * c + back_re_[i] * s;
    }
    if (rates) {
        rate_re.resize(count), rate_im.resize(count);
        for (std::size_t i = 0; i < count; ++i) { // dh/dt = iω(back − forward)
            const float c = cosines[i], s = sines[i];
            const float fr = forward_re_[i] * c + forward_im_[i] * s, fi = forward_im_[i] * c - forward_re_[i] * s;
            const float br = back_re_[i] * c - back_im_[i] * s, bi = back_im_[i] * c + back_re_[i] * s;
            rate_re[i] = -omega_[i] * (bi - fi), rate_im[i] = omega_[i] * (br - fr);
        }
    }
    fftwf_plan plan = plan_for(n_);
    auto upright = [&](const std::vector<float>& r, const std::vector<float>& i, std::vector<float>& to) {
        to.resize(points);
        for (std::size_t k = 0; k < count; ++k) spectrum[k][0] = r[k], spectrum[k][1] = i[k];
        fftwf_execute_dft_c2r(plan, spectrum.data(), to.data());
    };
    // Points are drawn toward the crests: i·k̂·h.
    auto aside = [&](const std::vector<float>& r, const std::vector<float>& i, const std::vector<float>& along, std::vector<float>& to) {
        to.resize(points);
        for (std::size_t k = 0; k < count; ++k) {
            const float d = along[k] * one_over_k_[k];
            spectrum[k][0] = -i[k] * d, spectrum[k][1] = r[k] * d;
        }
        fftwf_execute_dft_c2r(plan, spectrum.data(), to.data());
    };
    upright(re, im, out.height);
    aside(re, im, kx_, out.aside_x);
    aside(re, im, kz_, out.aside_z);
    if (rates) {
        upright(rate_re, rate_im, out.height_rate);
        aside(rate_re, rate_im, kx_, out.aside_x_rate);
        aside(rate_re, rate_im, kz_, out.aside_z_rate);
    }
}

} // namespace garland
