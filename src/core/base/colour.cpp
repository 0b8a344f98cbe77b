#include "core/base/colour.h"

#include "core/base/portable_math.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace garland {

namespace {

double power(double base, double exponent) {
    return base <= 0 ? 0 : portable::exp(exponent * portable::log(base));
}
double cube(double v) {
    return v * v * v;
}

bool inside(const Rgb& c) {
    auto ok = [](double v) { return v >= -1e-6 && v <= 1 + 1e-6; };
    return ok(c.r) && ok(c.g) && ok(c.b);
}
Rgb to_linear(const Oklab& c) {
    const double l = cube(c.L + 0.3963377774 * c.a + 0.2158037573 * c.b);
    const double m = cube(c.L - 0.1055613458 * c.a - 0.0638541728 * c.b);
    const double s = cube(c.L - 0.0894841775 * c.a - 1.2914855480 * c.b);
    return {4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s,
            -1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s,
            -0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s};
}
Oklab polar(double L, double chroma, double degrees) {
    const double h = degrees * std::numbers::pi / 180;
    return {L, chroma * portable::cos(h), chroma * portable::sin(h)};
}

std::array<Rgb, 256> steps_of(RampKind kind) {
    std::array<Rgb, 256> steps;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (kind == RampKind::cyclic) {
            const double x = static_cast<double>(i) / 256;
            const double L =
                0.72 + 0.07 * portable::cos(2 * std::numbers::pi * x); // a little, so that half turns differ in grey
            steps[i] = srgb_from_oklab(polar(L, 0.13, 70 + 360 * x));
        } else {
            const double x = static_cast<double>(i) / 255;
            steps[i] = srgb_from_oklab(
                polar(0.40 + 0.50 * x, 0.115 + 0.03 * portable::sin(std::numbers::pi * x), 268 - 178 * x));
        }
    }
    return steps;
}

} // namespace

double srgb_linear(double c) {
    return c <= 0.04045 ? c / 12.92 : power((c + 0.055) / 1.055, 2.4);
}
double srgb_encoded(double c) {
    return c <= 0.0031308 ? 12.92 * c : 1.055 * power(c, 1 / 2.4) - 0.055;
}

Oklab to_oklab(const Rgb& srgb) {
    const double r = srgb_linear(srgb.r), g = srgb_linear(srgb.g), b = srgb_linear(srgb.b);
    const double l = portable::cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
    const double m = portable::cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
    const double s = portable::cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
    return {0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
            1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
            0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s};
}

Rgb srgb_from_oklab(const Oklab& lab) {
    Rgb rgb = to_linear(lab);
    if (!inside(rgb)) {
        double low = 0, high = 1;
        for (int i = 0; i < 20; ++i) {
            const double mid = (low + high) / 2;
            (inside(to_linear({lab.L, lab.a * mid, lab.b * mid})) ? low : high) = mid;
        }
        rgb = to_linear({lab.L, lab.a * low, lab.b * low});
    }
    auto part = [](double v) { return std::clamp(srgb_encoded(std::clamp(v, 0.0, 1.0)), 0.0, 1.0); };
    return {part(rgb.r), part(rgb.g), part(rgb.b)};
}

const std::array<Rgb, 256>& ramp_steps(RampKind kind) {
    static const std::array<Rgb, 256> sequential = steps_of(RampKind::sequential), cyclic = steps_of(RampKind::cyclic);
    return kind == RampKind::cyclic ? cyclic : sequential;
}

Rgb ramp_colour(RampKind kind, double share) {
    if (!std::isfinite(share)) share = 0;
    const auto& steps = ramp_steps(kind);
    if (kind == RampKind::cyclic) {
        const double x = share - std::floor(share);
        return steps[std::min<std::size_t>(static_cast<std::size_t>(x * 256), 255)];
    }
    return steps[static_cast<std::size_t>(std::lround(std::clamp(share, 0.0, 1.0) * 255))];
}

Rgb golden_colour(int index, double lightness, double chroma) {
    return srgb_from_oklab(polar(lightness, chroma, 20 + 137.508 * index));
}

} // namespace garland
