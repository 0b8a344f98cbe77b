// Closing: a range of a source made into a loop without a seam. The rule, what is laid over what at each of its frames,
// and the source that it makes. Formulas: docs/time.md, "Closing a loop".
#pragma once

#include "core/base/result.h"
#include "core/base/words.h"
#include "core/source/sampler.h"
#include "core/time/keyed_curve.h"

#include <cstdint>
#include <optional>
#include <string>

namespace garland {

enum class ClosingWay {
    cut,        // nothing is mixed: the ends already meet
    end_fade,   // the end fades into what comes before the start
    half_shift, // two layers half a loop apart, each unseen where it jumps
    spread_gap, // the gap between both ends is taken off bit by bit over the whole loop: no double image
};
inline constexpr Word<ClosingWay> closing_words[] = {{"none", ClosingWay::cut},
                                                     {"fade-the-end", ClosingWay::end_fade},
                                                     {"two-layers", ClosingWay::half_shift},
                                                     {"spread-the-gap", ClosingWay::spread_gap},
                                                     // As earlier files have them.
                                                     {"cut", ClosingWay::cut},
                                                     {"end fade", ClosingWay::end_fade},
                                                     {"half-shifted layers", ClosingWay::half_shift},
                                                     {"spread gap", ClosingWay::spread_gap}};
enum class LayerMix {
    mix,     // weights come to 1
    add,     // their squares do
    maximum, // of what the weights leave of each; volumes only, others are mixed
    density, // as mix, but what is denser in the layer that goes changes over sooner; volumes only, others are mixed
};
inline constexpr Word<LayerMix> layer_mix_words[] = {
    {"mix", LayerMix::mix}, {"add", LayerMix::add}, {"maximum", LayerMix::maximum}, {"density", LayerMix::density}};
enum class FadeCurve { straight, smooth }; // w, or 3w² − 2w³
inline constexpr Word<FadeCurve> fade_words[] = {{"straight", FadeCurve::straight}, {"smooth", FadeCurve::smooth}};

struct Closing {
    std::int64_t start = 0;  // file frame of the loop's first pose
    std::int64_t length = 1; // frames after which it is there again
    ClosingWay way = ClosingWay::end_fade;
    std::int64_t overlap = 12; // end_fade: frames over which it fades, 1 … length
    LayerMix mix = LayerMix::mix;
    FadeCurve curve = FadeCurve::smooth;
    // Fades drawn by hand, over 0 … 1 of the fade: the weight of the layer that comes in, from 0 to 1 (in place of
    // `curve`), and of the one that goes, from 1 to 0 (without it: what the other leaves). Two drawn weights are
    // divided by their sum (mix) or by the root of their squares (add), so that nothing grows or dims.
    KeyedCurve drawn_in{}, drawn_out{};
    bool keep_contrast =
        false; // points are mixed about their mean over the loop, so that the middle of a fade is as lively as its ends
    bool operator==(const Closing&) const = default;
};

// Which of the source's file frames the closing needs: end_fade reaches back over its overlap.
struct FileSpan {
    std::int64_t first = 0, last = 0;
};
FileSpan needed(const Closing& closing);

// Errors: invalid, saying which number: a drawn fade that does not lead from 0 to 1 (from 1 to 0), a length below 1, an
// overlap outside 1 … length, frames that the source, which has first … last, does not have.
Result<void> validate(const Closing& closing, std::int64_t first, std::int64_t last);

// What is shown k frames after the loop's start, 0 ≤ k ≤ length (any other k is taken round the loop): the pose at file
// frame `a` times `weight_a`, and the one at `b`. Slopes: of the weights, a frame. weight_b is 0 where there is one
// layer only. For `mix`, weights come to 1; for `add`, their squares do.
struct Layers {
    double a = 0, weight_a = 1, b = 0, weight_b = 0, slope_a = 0, slope_b = 0;
    double gap = 0, gap_slope = 0; // spread_gap: how much of the gap is taken off, 0 … 1
};
Layers layers_at(const Closing& closing, double k);

// The source with file frames start … start + length, whose last pose is its first to the last bit; exact at any of
// them. base: the source as it is, sampled by file frame (clock: file frames are source frames). Kinds: meshes with
// equal faces, pieces and keyed parts (each part's rotation by its fraction), volumes (temperature, colour and velocity
// go by how much density each layer brings), particles (those of a fading layer shrink, and carry the attribute
// `fade`); faces that change between two layers are laid over each other through a level set. Velocities are those of
// the mix. The closing must be valid for it.
SourcePtr close_loop(Sampler base, const Closing& closing);

// Whether keep_contrast changes anything: in fades of two layers of points that are not rigid parts, particles or
// volumes.
bool contrast_counts(const Closing& closing, SourceKind kind);

const char* to_text(ClosingWay way); // "none", "fade-the-end", "two-layers", "spread-the-gap"
const char* to_text(LayerMix mix);   // "mix", "add", "maximum", "density"

} // namespace garland
