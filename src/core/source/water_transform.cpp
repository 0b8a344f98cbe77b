// A kernel (see cmake/rooms.cmake).
#include "core/source/water_transform.h"

#include "core/base/levels.h"
#include "core/base/parallel.h"
#include "core/base/portable_math.h"

#include <cmath>
#include <numbers>
#include <utility>

namespace garland {

namespace {

constexpr std::size_t lanes = WaterTransform::lanes;

// Eight numbers that are worked on together, wherever they lie; processors with shorter vectors take them in parts.
using Eight = float __attribute__((vector_size(32), aligned(4), may_alias));
constexpr std::size_t eight = 8;

inline const Eight& at(const float* p) {
    return *reinterpret_cast<const Eight*>(p);
}
inline Eight& at(float* p) {
    return *reinterpret_cast<Eight*>(p);
}

struct Planes {
    float *re, *im;
};

// One pass of the transform by four: `parts` transforms of 4·quarter numbers, interleaved by `apart`.
GARLAND_LEVELS static void by_four(const float* __restrict re, const float* __restrict im, float* __restrict to_re,
                                   float* __restrict to_im, std::size_t quarter, std::size_t apart,
                                   const float* cosines, const float* sines, std::size_t step) {
    for (std::size_t p = 0; p < quarter; ++p) {
        const float c1 = cosines[p * step], s1 = sines[p * step];
        const float c2 = cosines[2 * p * step], s2 = sines[2 * p * step];
        const float c3 = cosines[3 * p * step], s3 = sines[3 * p * step];
        for (std::size_t q = 0; q < apart; ++q) {
            const std::size_t i0 = (q + apart * p) * lanes, jump = apart * quarter * lanes;
            const std::size_t o0 = (q + apart * 4 * p) * lanes, out = apart * lanes;
            for (std::size_t b = 0; b < lanes; b += eight) {
                const Eight ar = at(re + i0 + b), ai = at(im + i0 + b), br = at(re + i0 + jump + b),
                            bi = at(im + i0 + jump + b);
                const Eight cr = at(re + i0 + 2 * jump + b), ci = at(im + i0 + 2 * jump + b),
                            dr = at(re + i0 + 3 * jump + b), di = at(im + i0 + 3 * jump + b);
                const Eight acr = ar + cr, aci = ai + ci, xr = ar - cr, xi = ai - ci;
                const Eight bdr = br + dr, bdi = bi + di, yr = di - bi,
                            yi = br - dr; // i·(b − d): the inverse turns forward
                const Eight ur = xr + yr, ui = xi + yi, vr = acr - bdr, vi = aci - bdi, wr = xr - yr, wi = xi - yi;
                at(to_re + o0 + b) = acr + bdr;
                at(to_im + o0 + b) = aci + bdi;
                at(to_re + o0 + out + b) = ur * c1 - ui * s1;
                at(to_im + o0 + out + b) = ur * s1 + ui * c1;
                at(to_re + o0 + 2 * out + b) = vr * c2 - vi * s2;
                at(to_im + o0 + 2 * out + b) = vr * s2 + vi * c2;
                at(to_re + o0 + 3 * out + b) = wr * c3 - wi * s3;
                at(to_im + o0 + 3 * out + b) = wr * s3 + wi * c3;
            }
        }
    }
}

// The last pass where the side is no power of four: pairs that lie `apart`.
GARLAND_LEVELS static void by_two(const float* __restrict re, const float* __restrict im, float* __restrict to_re,
                                  float* __restrict to_im, std::size_t apart) {
    const std::size_t count = apart * lanes;
    for (std::size_t i = 0; i < count; ++i) {
        const float ar = re[i], ai = im[i], br = re[i + count], bi = im[i + count];
        to_re[i] = ar + br, to_im[i] = ai + bi;
        to_re[i + count] = ar - br, to_im[i + count] = ai - bi;
    }
}

// Rows' half spectra of two real fields as one full complex one: a + i·b, mirrored beyond the middle.
GARLAND_LEVELS static void join(const float* ar, const float* ai, const float* br, const float* bi, std::size_t n,
                                std::size_t row, float* re, float* im) {
    const std::size_t half = n / 2;
    for (std::size_t j = 0; j < half; ++j) {
        const std::size_t from = j * n + row, back = (n - j) * lanes;
        for (std::size_t b = 0; b < lanes; ++b) {
            re[j * lanes + b] = ar[from + b] - bi[from + b];
            im[j * lanes + b] = ai[from + b] + br[from + b];
        }
        if (j == 0) continue;
        for (std::size_t b = 0; b < lanes; ++b) {
            re[back + b] = ar[from + b] + bi[from + b];
            im[back + b] = br[from + b] - ai[from + b];
        }
    }
    for (std::size_t b = 0; b < lanes; ++b) re[half * lanes + b] = im[half * lanes + b] = 0;
}

struct Scratch {
    std::vector<float> re, im, spare_re, spare_im, none;
    void fit(std::size_t count) {
        if (re.size() >= count) return;
        for (auto* list : {&re, &im, &spare_re, &spare_im}) list->resize(count);
    }
};
thread_local Scratch scratch; // kept from call to call: fresh memory costs as much as the transforms

} // namespace

WaterTransform::WaterTransform(int side) : n_(static_cast<std::size_t>(side)) {
    for (std::size_t k = 0; k < n_; ++k) {
        const double angle = 2 * std::numbers::pi * static_cast<double>(k) / static_cast<double>(n_);
        cosines_.push_back(static_cast<float>(portable::cos(angle)));
        sines_.push_back(static_cast<float>(portable::sin(angle)));
    }
}

void WaterTransform::transform(float* re, float* im, float* spare_re, float* spare_im) const {
    Planes from{re, im}, to{spare_re, spare_im};
    std::size_t left = n_, apart = 1;
    for (; left >= 4; left /= 4, apart *= 4) {
        by_four(from.re, from.im, to.re, to.im, left / 4, apart, cosines_.data(), sines_.data(), n_ / left);
        std::swap(from, to);
    }
    if (left == 2) {
        by_two(from.re, from.im, to.re, to.im, apart);
        std::swap(from, to);
    }
    if (from.re == re) return;
    std::copy(from.re, from.re + n_ * lanes, re);
    std::copy(from.im, from.im + n_ * lanes, im);
}

void WaterTransform::columns(std::size_t first, std::vector<float>& re, std::vector<float>& im, Half& out) const {
    scratch.fit(n_ * lanes);
    transform(re.data(), im.data(), scratch.spare_re.data(), scratch.spare_im.data());
    for (std::size_t b = 0; b < lanes; ++b) {
        float *to_re = out.re.data() + (first + b) * n_, *to_im = out.im.data() + (first + b) * n_;
        for (std::size_t z = 0; z < n_; ++z) to_re[z] = re[z * lanes + b], to_im[z] = im[z * lanes + b];
    }
}

void WaterTransform::rows(const Half& a, const Half* b, std::vector<float>& out_a, std::vector<float>& out_b) const {
    parallel_for(n_ / lanes, 4, [&](std::size_t from, std::size_t until) {
        Scratch& s = scratch;
        s.fit(n_ * lanes);
        if (!b && s.none.size() < n_ * n_ / 2) s.none.assign(n_ * n_ / 2, 0.0f);
        for (std::size_t block = from; block < until; ++block) {
            const std::size_t row = block * lanes;
            join(a.re.data(), a.im.data(), b ? b->re.data() : s.none.data(), b ? b->im.data() : s.none.data(), n_, row,
                 s.re.data(), s.im.data());
            transform(s.re.data(), s.im.data(), s.spare_re.data(), s.spare_im.data());
            for (std::size_t r = 0; r < lanes; ++r) {
                float* to = out_a.data() + (row + r) * n_;
                for (std::size_t x = 0; x < n_; ++x) to[x] = s.re[x * lanes + r];
                if (!b) continue;
                to = out_b.data() + (row + r) * n_;
                for (std::size_t x = 0; x < n_; ++x) to[x] = s.im[x * lanes + r];
            }
        }
    });
}

} // namespace garland
