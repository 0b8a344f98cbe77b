#include "app/theme/ramp.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace garland {

namespace {
double linear(double c) {
    return c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
}
double encoded(double c) {
    return c <= 0.0031308 ? 12.92 * c : 1.055 * std::pow(c, 1 / 2.4) - 0.055;
}

struct Rgb {
    double r, g, b;
    bool inside() const {
        auto ok = [](double v) { return v >= -1e-6 && v <= 1 + 1e-6; };
        return ok(r) && ok(g) && ok(b);
    }
};
Rgb to_linear_rgb(const Oklab& c) {
    const double l = std::pow(c.L + 0.3963377774 * c.a + 0.2158037573 * c.b, 3);
    const double m = std::pow(c.L - 0.1055613458 * c.a - 0.0638541728 * c.b, 3);
    const double s = std::pow(c.L - 0.0894841775 * c.a - 1.2914855480 * c.b, 3);
    return {4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s,
            -1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s,
            -0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s};
}
Oklab polar(double L, double chroma, double degrees) {
    const double h = degrees * std::numbers::pi / 180;
    return {L, chroma * std::cos(h), chroma * std::sin(h)};
}
} // namespace

Oklab to_oklab(const QColor& srgb) {
    const double r = linear(srgb.redF()), g = linear(srgb.greenF()), b = linear(srgb.blueF());
    const double l = std::cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
    const double m = std::cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
    const double s = std::cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
    return {0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
            1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
            0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s};
}

QColor from_oklab(const Oklab& lab) {
    Rgb rgb = to_linear_rgb(lab);
    double low = 0, high = 1;
    if (!rgb.inside()) {
        for (int i = 0; i < 20; ++i) {
            const double mid = (low + high) / 2;
            const Rgb tried = to_linear_rgb({lab.L, lab.a * mid, lab.b * mid});
            (tried.inside() ? low : high) = mid;
        }
        rgb = to_linear_rgb({lab.L, lab.a * low, lab.b * low});
    }
    auto part = [](double v) { return std::clamp(encoded(std::clamp(v, 0.0, 1.0)), 0.0, 1.0); };
    return QColor::fromRgbF(static_cast<float>(part(rgb.r)), static_cast<float>(part(rgb.g)),
                            static_cast<float>(part(rgb.b)));
}

Ramp::Ramp(RampKind kind) : kind_(kind) {
    for (std::size_t i = 0; i < steps_.size(); ++i) {
        if (kind == RampKind::cyclic) {
            const double x = static_cast<double>(i) / 256;
            const double L =
                0.72 + 0.07 * std::cos(2 * std::numbers::pi * x); // a little, so that half turns differ in grey
            steps_[i] = from_oklab(polar(L, 0.13, 70 + 360 * x)).rgb();
        } else {
            const double x = static_cast<double>(i) / 255;
            steps_[i] =
                from_oklab(polar(0.40 + 0.50 * x, 0.115 + 0.03 * std::sin(std::numbers::pi * x), 268 - 178 * x)).rgb();
        }
    }
}

const Ramp& Ramp::get(RampKind kind) {
    static const Ramp sequential(RampKind::sequential), cyclic(RampKind::cyclic);
    return kind == RampKind::cyclic ? cyclic : sequential;
}

QRgb Ramp::at(double share) const {
    if (!std::isfinite(share)) share = 0;
    if (kind_ == RampKind::cyclic) {
        const double x = share - std::floor(share);
        return steps_[std::min<std::size_t>(static_cast<std::size_t>(x * 256), 255)];
    }
    return steps_[static_cast<std::size_t>(std::lround(std::clamp(share, 0.0, 1.0) * 255))];
}

QColor distinct_colour(int index, bool dark) {
    return from_oklab(polar(dark ? 0.75 : 0.60, 0.14, 20 + 137.508 * index));
}

} // namespace garland
