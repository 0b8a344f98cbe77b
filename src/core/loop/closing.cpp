#include "core/loop/closing.h"

#include "core/base/portable_math.h"

#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace garland {

namespace {

struct Fade {
    double value, slope; // slope: for one unit of w
};

Fade fade(double w, FadeCurve curve) {
    if (curve == FadeCurve::straight) return {w, 1};
    return {w * w * (3 - 2 * w), 6 * w * (1 - w)};
}

// Weights of both layers where b has the share `f` of a fade whose w moves by `step` a frame.
void weigh(Layers& out, const Fade& f, double step, LayerMix mix) {
    const double slope = f.slope * step;
    if (mix != LayerMix::add) {
        out.weight_a = 1 - f.value, out.weight_b = f.value;
        out.slope_a = -slope, out.slope_b = slope;
        return;
    }
    const double angle = f.value * std::numbers::pi / 2, turn = slope * std::numbers::pi / 2;
    out.weight_a = portable::cos(angle), out.weight_b = portable::sin(angle);
    out.slope_a = -portable::sin(angle) * turn, out.slope_b = portable::cos(angle) * turn;
}

} // namespace

FileSpan needed(const Closing& c) {
    return {c.way == ClosingWay::end_fade ? c.start - c.overlap : c.start, c.way == ClosingWay::spread_gap ? c.start + c.length : c.start + c.length - 1};
}

Result<void> validate(const Closing& c, std::int64_t first, std::int64_t last) {
    auto refuse = [](std::string what, std::string advice) { return fail(Error{ErrorCode::invalid, std::move(what)}.advise(std::move(advice))); };
    if (c.length < 1 || c.length > 10'000'000) return refuse(fmt::format("a loop of {} frames cannot be", c.length), "make it 1 frame or longer");
    if (c.way == ClosingWay::end_fade && (c.overlap < 1 || c.overlap > c.length)) {
        return refuse(fmt::format("an overlap of {} frames does not fit a loop of {}", c.overlap, c.length), fmt::format("make it 1 to {} frames", c.length));
    }
    const FileSpan span = needed(c);
    if (span.first >= first && span.last <= last) return {};
    const std::string why = c.way == ClosingWay::end_fade ? " (the fade reaches back over its overlap)" : "";
    return refuse(fmt::format("the loop needs the source's frames {} to {}{}, but it has {} to {}", span.first, span.last, why, first, last),
                  span.first < first ? fmt::format("start {} frames later, or overlap less", first - span.first) : fmt::format("make it {} frames shorter, or start earlier", span.last - last));
}

Layers layers_at(const Closing& c, double k) {
    const auto length = static_cast<double>(c.length), start = static_cast<double>(c.start);
    k -= std::floor(k / length) * length;
    if (!(k >= 0) || k >= length) k = 0; // what rounding leaves over, and no number
    Layers out;
    out.a = start + k;
    switch (c.way) {
    case ClosingWay::cut: // from the last frame straight to the first
        if (k > length - 1) {
            out.a = start + length - 1, out.b = start;
            out.weight_b = k - (length - 1), out.weight_a = 1 - out.weight_b;
            out.slope_b = 1, out.slope_a = -1;
        }
        break;
    case ClosingWay::end_fade: {
        const auto overlap = static_cast<double>(c.overlap);
        const double into = k - (length - overlap);
        if (into <= 0) break;
        out.b = start + k - length;
        weigh(out, fade(into / overlap, c.curve), 1 / overlap, c.mix);
        break;
    }
    case ClosingWay::half_shift: {
        // The layer that begins with the loop is unseen at both its ends; the other, half a loop on, in the middle.
        const double half = length / 2;
        out.b = start + (k < half ? k + half : k - half);
        const double rise = k < half ? k / half : 2 - k / half;
        const Fade f = fade(rise, c.curve);
        weigh(out, {1 - f.value, -f.slope}, k < half ? 1 / half : -1 / half, c.mix); // b's share
        break;
    }
    case ClosingWay::spread_gap: {
        const Fade f = fade(k / length, c.curve);
        out.gap = f.value, out.gap_slope = f.slope / length;
        break;
    }
    }
    return out;
}

const char* to_text(ClosingWay way) {
    switch (way) {
    case ClosingWay::cut: return "cut";
    case ClosingWay::end_fade: return "end fade";
    case ClosingWay::half_shift: return "half-shifted layers";
    case ClosingWay::spread_gap: return "spread gap";
    }
    return "cut";
}

const char* to_text(LayerMix mix) {
    switch (mix) {
    case LayerMix::mix: return "mix";
    case LayerMix::add: return "add";
    case LayerMix::maximum: return "maximum";
    }
    return "mix";
}

} // namespace garland
