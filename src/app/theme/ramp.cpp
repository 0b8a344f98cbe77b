#include "app/theme/ramp.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {
QColor colour(const Rgb& c) {
    return QColor::fromRgbF(static_cast<float>(c.r), static_cast<float>(c.g), static_cast<float>(c.b));
}
} // namespace

Oklab to_oklab(const QColor& srgb) {
    return to_oklab(
        Rgb{static_cast<double>(srgb.redF()), static_cast<double>(srgb.greenF()), static_cast<double>(srgb.blueF())});
}

QColor from_oklab(const Oklab& lab) {
    return colour(srgb_from_oklab(lab));
}

Ramp::Ramp(RampKind kind) : kind_(kind) {
    const auto& steps = ramp_steps(kind);
    for (std::size_t i = 0; i < steps_.size(); ++i) steps_[i] = colour(steps[i]).rgb();
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
    return colour(golden_colour(index, dark ? 0.75 : 0.60, 0.14));
}

} // namespace garland
