#include "core/loop/closing.h"

#include "core/base/cubic.h"
#include "core/base/numbers.h"
#include "core/base/portable_math.h"

#include <cmath>
#include <fmt/format.h>
#include <numbers>
#include <utility>

namespace garland {

namespace {

struct Fade {
    double value, slope; // slope: for one unit of w
};

Fade fade(double w, FadeCurve curve) {
    if (curve == FadeCurve::straight) return {w, 1};
    return {ease(w), ease_slope(w)};
}

struct Weights { // of the layer that comes in and of the one that goes, with their slopes a frame
    double in, in_slope, out, out_slope;
};

// w: how far the fade is, 0 … 1; step: how far it moves a frame.
Weights weights_at(const Closing& c, double w, double step) {
    Fade in = fade(w, c.curve);
    if (!c.drawn_in.empty()) {
        const CurvePlan drawn(c.drawn_in, 0);
        in = {drawn.at(w), drawn.slope(w)};
    }
    in.slope *= step;
    if (c.drawn_out.empty()) {
        if (c.mix != LayerMix::add) return {in.value, in.slope, 1 - in.value, -in.slope};
        const double angle = in.value * std::numbers::pi / 2, turn = in.slope * std::numbers::pi / 2;
        return {portable::sin(angle), portable::cos(angle) * turn, portable::cos(angle), -portable::sin(angle) * turn};
    }
    const CurvePlan drawn(c.drawn_out, 1);
    const Fade out{drawn.at(w), drawn.slope(w) * step};
    const bool squares = c.mix == LayerMix::add;
    const double all = squares ? std::sqrt(in.value * in.value + out.value * out.value) : in.value + out.value;
    const double all_slope = squares ? (in.value * in.slope + out.value * out.slope) / all : in.slope + out.slope;
    const auto part = [&](const Fade& f) {
        return std::pair(f.value / all, (f.slope - f.value / all * all_slope) / all);
    };
    const auto [a, a_slope] = part(in);
    const auto [b, b_slope] = part(out);
    return {a, a_slope, b, b_slope};
}

Result<void> check_drawn(const KeyedCurve& keys, const char* what, double first, double last) {
    if (keys.empty()) return {};
    GARLAND_CHECK(validate(keys, what, {0, 1, 0, 1}));
    if (keys.front().at == 0 && keys.back().at == 1 && keys.front().value == first && keys.back().value == last)
        return {};
    return fail(Error{ErrorCode::invalid, fmt::format("{} leads from {} at {} to {} at {}", what, keys.front().value,
                                                      keys.front().at, keys.back().value, keys.back().at)}
                    .advise(fmt::format("let it lead from {} at 0 to {} at 1, or the loop would jump", first, last)));
}

} // namespace

FileSpan needed(const Closing& c) {
    return {c.way == ClosingWay::end_fade ? c.start - c.overlap : c.start,
            c.way == ClosingWay::spread_gap ? c.start + c.length : c.start + c.length - 1};
}

Result<void> validate(const Closing& c, std::int64_t first, std::int64_t last) {
    auto refuse = [](std::string what, std::string advice) {
        return fail(Error{ErrorCode::invalid, std::move(what)}.advise(std::move(advice)));
    };
    if (c.length < 1 || c.length > 10'000'000)
        return refuse(fmt::format("a loop of {} frames cannot be", c.length), "make it 1 frame or longer");
    if (c.way == ClosingWay::end_fade && (c.overlap < 1 || c.overlap > c.length)) {
        return refuse(fmt::format("an overlap of {} frames does not fit a loop of {}", c.overlap, c.length),
                      fmt::format("make it 1 to {} frames", c.length));
    }
    GARLAND_CHECK(check_drawn(c.drawn_in, "the drawn fade of the layer that comes in", 0, 1));
    GARLAND_CHECK(check_drawn(c.drawn_out, "the drawn fade of the layer that goes", 1, 0));
    if (!c.drawn_out.empty()) {
        const CurvePlan in(c.drawn_in, 0), out(c.drawn_out, 1);
        for (int k = 0; k <= 1000; ++k) {
            const double w = k / 1000.0, sum = (c.drawn_in.empty() ? fade(w, c.curve).value : in.at(w)) + out.at(w);
            if (sum < 1e-3)
                return refuse(
                    fmt::format("both drawn fades are 0 at {} of the way, so nothing would be there", short_number(w)),
                    "let one of them stay until the other has come");
        }
    }
    const FileSpan span = needed(c);
    if (span.first >= first && span.last <= last) return {};
    const std::string why = c.way == ClosingWay::end_fade ? " (the fade reaches back over its overlap)" : "";
    return refuse(fmt::format("the loop needs the source's frames {} to {}{}, but it has {} to {}", span.first,
                              span.last, why, first, last),
                  span.first < first ? fmt::format("start {} frames later, or overlap less", first - span.first)
                                     : fmt::format("make it {} frames shorter, or start earlier", span.last - last));
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
        const Weights w = weights_at(c, into / overlap, 1 / overlap);
        out.weight_b = w.in, out.slope_b = w.in_slope, out.weight_a = w.out, out.slope_a = w.out_slope;
        break;
    }
    case ClosingWay::half_shift: {
        // The layer that begins with the loop is unseen at both its ends; the other, half a loop on, in the middle.
        const double half = length / 2;
        out.b = start + (k < half ? k + half : k - half);
        const double rise = k < half ? k / half : 2 - k / half;
        const Weights w = weights_at(c, rise, k < half ? 1 / half : -1 / half);
        out.weight_a = w.in, out.slope_a = w.in_slope, out.weight_b = w.out, out.slope_b = w.out_slope;
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

bool contrast_counts(const Closing& c, SourceKind kind) {
    const bool layers = c.way == ClosingWay::end_fade || c.way == ClosingWay::half_shift;
    return layers && (kind == SourceKind::mesh_cache || kind == SourceKind::mesh_sequence);
}

const char* to_text(ClosingWay way) {
    return word_of(closing_words, way);
}

const char* to_text(LayerMix mix) {
    return word_of(layer_mix_words, mix);
}

} // namespace garland
