// The loops over a patch's waves: a kernel (see cmake/rooms.cmake).
#include "core/base/levels.h"
#include "core/source/water_waves.h"

#include <cmath>

namespace garland {

GARLAND_LEVELS static void turn_all(const double* turns, double moment, float* cosines, float* sines,
                                    std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        const double phase = turns[i] * moment;
        const double part = phase - std::floor(phase); // [0, 1]
        const double quarter = std::floor(part * 4 + 0.5);
        const auto x = static_cast<float>((part - quarter * 0.25) * 6.283185307179586); // −π/4 … π/4
        const float x2 = x * x;
        // Taylor, to x⁹ and x⁸: below 1e-8 here.
        const float s = x * (1 + x2 * (-1.0f / 6 + x2 * (1.0f / 120 + x2 * (-1.0f / 5040 + x2 * (1.0f / 362880)))));
        const float c = 1 + x2 * (-0.5f + x2 * (1.0f / 24 + x2 * (-1.0f / 720 + x2 * (1.0f / 40320))));
        const double q = quarter - 4 * std::floor(quarter * 0.25); // 0 … 3
        const bool swap = q == 1 || q == 3;
        const float a = swap ? s : c, b = swap ? c : s;
        cosines[i] = q == 1 || q == 2 ? -a : a;
        sines[i] = q >= 2 ? -b : b;
    }
}

void turn_waves(const double* turns, double moment, float* cosines, float* sines, std::size_t count) {
    turn_all(turns, moment, cosines, sines, count);
}

constexpr std::size_t lanes = WaterTransform::lanes;

// h = h₀·e^{−iωt} + conj h₀(−k)·e^{iωt}: waves run along their k. dh/dt = iω(back − forward).
GARLAND_LEVELS static void waves_of_row(const WaveLists& w, std::size_t at, const float* cosines, const float* sines,
                                        bool rates, float* __restrict re, float* __restrict im,
                                        float* __restrict rate_re, float* __restrict rate_im) {
    for (std::size_t b = 0; b < lanes; ++b) {
        const float c = cosines[b], s = sines[b];
        const float fr = w.forward_re[at + b] * c + w.forward_im[at + b] * s,
                    fi = w.forward_im[at + b] * c - w.forward_re[at + b] * s;
        const float br = w.back_re[at + b] * c - w.back_im[at + b] * s,
                    bi = w.back_im[at + b] * c + w.back_re[at + b] * s;
        re[b] = fr + br, im[b] = fi + bi;
        if (rates) rate_re[b] = -w.omega[at + b] * (bi - fi), rate_im[b] = w.omega[at + b] * (br - fr);
    }
}

void waves_at(const WaveLists& w, std::size_t n, std::size_t half, std::size_t first, double moment, bool rates,
              WaveBlock& out) {
    for (auto* list : {&out.re, &out.im, &out.rate_re, &out.rate_im}) list->resize(n * lanes);
    float cosines[lanes], sines[lanes];
    for (std::size_t row = 0; row < n; ++row) {
        const std::size_t from = row * half + first, to = row * lanes;
        turn_all(w.turns + from, moment, cosines, sines, lanes);
        waves_of_row(w, from, cosines, sines, rates, &out.re[to], &out.im[to], &out.rate_re[to], &out.rate_im[to]);
    }
}

GARLAND_LEVELS static void aside_all(const float* re, const float* im, const float* along, const float* one_over_k,
                                     std::size_t n, std::size_t half, std::size_t first, float* __restrict to_re,
                                     float* __restrict to_im) {
    for (std::size_t row = 0; row < n; ++row) {
        const std::size_t from = row * half + first, to = row * lanes;
        for (std::size_t b = 0; b < lanes; ++b) {
            const float d = along[from + b] * one_over_k[from + b];
            to_re[to + b] = -im[to + b] * d;
            to_im[to + b] = re[to + b] * d;
        }
    }
}

void turn_aside(const std::vector<float>& re, const std::vector<float>& im, const float* along, const float* one_over_k,
                std::size_t n, std::size_t half, std::size_t first, std::vector<float>& to_re,
                std::vector<float>& to_im) {
    to_re.resize(n * lanes), to_im.resize(n * lanes);
    aside_all(re.data(), im.data(), along, one_over_k, n, half, first, to_re.data(), to_im.data());
}

} // namespace garland
