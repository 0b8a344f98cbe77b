#include "render/picture.h"

#include "core/base/colour.h"
#include "core/base/parallel.h"
#include "core/base/portable_math.h"
#include "render/look.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace garland {

namespace {

// sRGB's curve by a table that is finer than 16 bits where the curve bends most.
class Curve {
  public:
    static const Curve& get() {
        static const Curve curve;
        return curve;
    }
    double at(double linear) const {
        const double v = std::clamp(linear, 0.0, 1.0);
        if (v <= 0.0031308) return 12.92 * v;
        const double x = std::sqrt(v) * last; // even steps of the root
        const auto i = std::min(static_cast<std::size_t>(x), steps_.size() - 2);
        return steps_[i] + (steps_[i + 1] - steps_[i]) * (x - static_cast<double>(i));
    }

  private:
    static constexpr double last = 4096;
    Curve() {
        for (std::size_t i = 0; i < steps_.size(); ++i) {
            const double root = static_cast<double>(i) / last;
            steps_[i] = srgb_encoded(root * root);
        }
    }
    std::array<double, 4097> steps_{};
};

template <class T>
std::vector<T> shown(const Picture& p, double exposure, double most) {
    std::vector<T> out(p.rgba.size());
    const double gain = portable::exp(exposure * std::numbers::ln2);
    const Curve& curve = Curve::get();
    parallel_for(p.pixels(), 16384, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const float* in = &p.rgba[i * 4];
            const double alpha = std::clamp(static_cast<double>(in[3]), 0.0, 1.0);
            double c[3] = {0, 0, 0};
            if (alpha > 0) {
                for (int k = 0; k < 3; ++k) c[k] = std::max(0.0, static_cast<double>(in[k]) / alpha * gain);
            }
            const double luminance = 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
            const double scale = (1 + luminance / 16) / (1 + luminance);
            for (int k = 0; k < 3; ++k)
                out[i * 4 + static_cast<std::size_t>(k)] = static_cast<T>(std::lround(curve.at(c[k] * scale) * most));
            out[i * 4 + 3] = static_cast<T>(std::lround(alpha * most));
        }
    });
    return out;
}

} // namespace

std::vector<std::uint8_t> shown_8(const Picture& picture, double exposure) {
    return shown<std::uint8_t>(picture, exposure, 255);
}
std::vector<std::uint16_t> shown_16(const Picture& picture, double exposure) {
    return shown<std::uint16_t>(picture, exposure, 65535);
}

bool PreviewLook::operator==(const PreviewLook& o) const {
    auto same = [](const PreviewLight& a, const PreviewLight& b) {
        return a.key_azimuth == b.key_azimuth && a.key_elevation == b.key_elevation && a.key_width == b.key_width &&
               a.key == b.key && a.zenith == b.zenith && a.horizon == b.horizon && a.below == b.below;
    };
    return width == o.width && height == o.height && samples == o.samples && shutter == o.shutter &&
           motion_steps == o.motion_steps && transparent == o.transparent && ground == o.ground && colour == o.colour &&
           spread == o.spread && floor == o.floor && exposure == o.exposure && thickness == o.thickness &&
           marked == o.marked && passes == o.passes && same(light, o.light);
}

Result<void> validate(const PreviewLook& l) {
    auto wrong = [](std::string message, std::string advice) {
        return fail(Error{ErrorCode::invalid, std::move(message)}.advise(std::move(advice)));
    };
    if (l.width < 1 || l.height < 1 || l.width > 16384 || l.height > 16384)
        return wrong(fmt::format("a picture of {} × {} pixels cannot be made", l.width, l.height),
                     "use 1 to 16384 pixels each way");
    if (l.samples < 1 || l.samples > 4096)
        return wrong(fmt::format("{} samples a pixel cannot be taken", l.samples), "use 1 to 4096");
    if (!std::isfinite(l.shutter) || l.shutter < 0 || l.shutter > 360)
        return wrong("the shutter is out of range", "use 0° (no blur) to 360° (the whole frame)");
    if (l.motion_steps < 3 || l.motion_steps > 15 || l.motion_steps % 2 == 0)
        return wrong("the moments of motion are out of range", "use 3, 5, 7 … 15");
    if (!std::isfinite(l.exposure) || std::abs(l.exposure) > 20)
        return wrong("the exposure is out of range", "use −20 to 20 stops");
    if (!std::isfinite(l.thickness) || l.thickness < 0 || l.thickness > 1e6)
        return wrong("the thickness of volumes is out of range", "use 0 to 1 000 000");
    return {};
}

const char* to_text(PreviewGround ground) {
    switch (ground) {
    case PreviewGround::shown: return "shown";
    case PreviewGround::shadow: return "shadow";
    case PreviewGround::none: return "none";
    }
    return "shown";
}

const char* to_text(PreviewColour colour) {
    switch (colour) {
    case PreviewColour::look: return "materials";
    case PreviewColour::source_frame: return "source frame";
    case PreviewColour::delay: return "delay";
    case PreviewColour::speed: return "speed";
    case PreviewColour::level: return "level";
    case PreviewColour::copy: return "copy";
    case PreviewColour::twins: return "twins";
    case PreviewColour::spread: return "spread";
    }
    return "materials";
}

} // namespace garland
