#include "core/base/noise.h"

#include "core/base/chance.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

struct Ease {
    double value, slope;
};
Ease eased(double x) {
    return {x * x * x * (10 + x * (6 * x - 15)), 30 * x * x * (1 - x) * (1 - x)};
}

std::uint64_t bits(double whole) {
    return static_cast<std::uint64_t>(static_cast<std::int64_t>(whole));
}

NoiseSample octave(std::uint64_t seed, std::uint64_t rule, const double* at) {
    double low[3];
    Ease f[3];
    for (int k = 0; k < 3; ++k) {
        low[k] = std::floor(at[k]);
        f[k] = eased(at[k] - low[k]);
    }
    double corner[2][2][2];
    for (int i = 0; i < 2; ++i) {
        const std::uint64_t row = chance_bits(seed, rule, bits(low[0] + i));
        for (int j = 0; j < 2; ++j) {
            for (int k = 0; k < 2; ++k) corner[i][j][k] = chance(row, bits(low[1] + j), bits(low[2] + k));
        }
    }
    auto mix = [](double a, double b, double w) { return a + (b - a) * w; };
    double along_z[2][2], step_z[2][2];
    for (int i = 0; i < 2; ++i) {
        for (int j = 0; j < 2; ++j) {
            along_z[i][j] = mix(corner[i][j][0], corner[i][j][1], f[2].value);
            step_z[i][j] = (corner[i][j][1] - corner[i][j][0]) * f[2].slope;
        }
    }
    const double low_x = mix(along_z[0][0], along_z[0][1], f[1].value),
                 high_x = mix(along_z[1][0], along_z[1][1], f[1].value);
    NoiseSample out;
    out.value = mix(low_x, high_x, f[0].value);
    out.slope[0] = (high_x - low_x) * f[0].slope;
    out.slope[1] = mix(along_z[0][1] - along_z[0][0], along_z[1][1] - along_z[1][0], f[0].value) * f[1].slope;
    out.slope[2] =
        mix(mix(step_z[0][0], step_z[0][1], f[1].value), mix(step_z[1][0], step_z[1][1], f[1].value), f[0].value);
    return out;
}

} // namespace

NoiseSample noise_at(const NoiseRule& rule, double x, double y, double z) {
    double at[3] = {x, y, z};
    for (double& v : at) v = std::abs(v) < 1e15 ? v : 0;
    const int octaves = std::clamp(rule.detail, 1, 8);
    NoiseSample out{0, {0, 0, 0}};
    double weight = 1, sum = 0, finer = 1;
    for (int o = 0; o < octaves; ++o) {
        const double place[3] = {at[0] * finer, at[1] * finer, at[2] * finer};
        const NoiseSample one =
            octave(rule.seed + static_cast<std::uint64_t>(o) * 0x9e3779b97f4a7c15u, rule.rule, place);
        out.value += one.value * weight;
        for (std::size_t k = 0; k < 3; ++k) out.slope[k] += one.slope[k] * weight * finer;
        sum += weight;
        weight /= 2;
        finer *= 2;
    }
    out.value = std::clamp(out.value / sum, 0.0, 1.0);
    for (double& s : out.slope) s /= sum;
    return out;
}

} // namespace garland
