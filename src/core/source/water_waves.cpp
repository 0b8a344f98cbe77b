#include "core/source/water_waves.h"

#include "core/base/chance.h"
#include "core/base/parallel.h"
#include "core/base/portable_math.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace garland {

namespace {

// Two independent normal numbers for a wave, by its place in the spectrum (G. Box and M. Muller, 1958).
std::pair<double, double> normals(std::uint64_t seed, int i, int j) {
    const std::uint64_t wave =
        (static_cast<std::uint64_t>(static_cast<std::uint32_t>(i)) << 32) | static_cast<std::uint32_t>(j);
    const double u = 1 - chance(seed, 1, wave), v = chance(seed, 2, wave);
    const double r = std::sqrt(-2 * portable::log(u));
    return {r * portable::cos(2 * std::numbers::pi * v), r * portable::sin(2 * std::numbers::pi * v)};
}

} // namespace

double phillips(double kx, double kz, const WaterSpec& w) {
    const double k2 = kx * kx + kz * kz;
    if (k2 <= 0) return 0;
    const double longest = w.wind * w.wind / water_gravity, angle = w.direction * std::numbers::pi / 180;
    const double along = (kx * portable::cos(angle) - kz * portable::sin(angle)) / std::sqrt(k2);
    const double l = w.smallest / (2 * std::numbers::pi);
    const double back = along < 0 ? (1 - w.against) * (1 - w.against) : 1;
    return portable::exp(-1 / (k2 * longest * longest)) / (k2 * k2) * along * along * portable::exp(-k2 * l * l) * back;
}

WaterPatch::WaterPatch(const WaterSpec& water, double patch, double share, std::uint64_t seed, double seconds_a_loop)
    : n_(water.resolution), patch_(patch), transform_(water.resolution), loops_(seconds_a_loop > 0) {
    const int half = n_ / 2; // waves of half a sample's length are left out
    const auto count = static_cast<std::size_t>(n_) * static_cast<std::size_t>(half);
    for (auto* list : {&forward_re_, &forward_im_, &back_re_, &back_im_, &kx_, &kz_, &one_over_k_, &omega_})
        list->resize(count);
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
            const auto at =
                static_cast<std::size_t>(row) * static_cast<std::size_t>(half) + static_cast<std::size_t>(j);
            if (!usable(i, j)) continue;
            const double x = j * step, z = i * step, k = std::sqrt(x * x + z * z), omega = std::sqrt(water_gravity * k);
            const auto [a, b] = normals(seed, i, j);
            const auto [c, d] = normals(seed, -i, -j);
            const double there = std::sqrt(constant * phillips(x, z, water) / 2),
                         back = std::sqrt(constant * phillips(-x, -z, water) / 2);
            forward_re_[at] = static_cast<float>(a * there), forward_im_[at] = static_cast<float>(b * there);
            back_re_[at] = static_cast<float>(c * back), back_im_[at] = static_cast<float>(-d * back);
            kx_[at] = static_cast<float>(x), kz_[at] = static_cast<float>(z),
            one_over_k_[at] = static_cast<float>(1 / k);
            const double turns = omega / (2 * std::numbers::pi);
            turns_[at] = loops_ ? std::max(1.0, std::round(turns * seconds_a_loop)) : turns;
            omega_[at] = static_cast<float>(2 * std::numbers::pi * turns_[at] / (loops_ ? seconds_a_loop : 1));
        }
    }
}

void WaterPatch::fields(double moment, bool rates, WaterFields& out) const {
    const FlushDenormals flush;
    constexpr std::size_t lanes = WaterTransform::lanes;
    const auto n = static_cast<std::size_t>(n_), half = n / 2;
    std::vector<float>* fields[6] = {&out.height,      &out.aside_x,      &out.aside_z,
                                     &out.height_rate, &out.aside_x_rate, &out.aside_z_rate};
    const std::size_t made = rates ? 6 : 3;
    WaterTransform::Half
        halves[6]; // not kept for the thread: while it waits below it may be given another frame to make
    for (std::size_t k = 0; k < made; ++k) {
        fields[k]->resize(n * n);
        halves[k].re.resize(n * half), halves[k].im.resize(n * half);
    }
    parallel_for(half / lanes, 1, [&](std::size_t from, std::size_t until) {
        thread_local WaveBlock block;
        thread_local std::vector<float> re, im;
        for (std::size_t b = from; b < until; ++b) {
            const std::size_t first = b * lanes;
            waves_at({forward_re_.data(), forward_im_.data(), back_re_.data(), back_im_.data(), omega_.data(),
                      turns_.data()},
                     n, half, first, moment, rates, block);
            for (std::size_t k = 0; k < made; ++k) {
                const std::vector<float>&hr = k < 3 ? block.re : block.rate_re, &hi = k < 3 ? block.im : block.rate_im;
                if (k % 3 == 0) {
                    re = hr, im = hi;
                } else {
                    turn_aside(hr, hi, (k % 3 == 1 ? kx_ : kz_).data(), one_over_k_.data(), n, half, first, re, im);
                }
                transform_.columns(first, re, im, halves[k]);
            }
        }
    });
    for (std::size_t k = 0; k < made; k += 2) {
        const bool pair = k + 1 < made;
        transform_.rows(halves[k], pair ? &halves[k + 1] : nullptr, *fields[k], pair ? *fields[k + 1] : *fields[k]);
    }
}

} // namespace garland
