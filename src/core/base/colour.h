// Colours without an interface: sRGB's transfer curve (IEC 61966-2-1:1999), Oklab (Björn Ottosson, "A perceptual color
// space for image processing", 2020), and the ramps by which values are shown. The same bits on every machine.
#pragma once

#include <array>

namespace garland {

struct Rgb { // 0 … 1
    double r = 0, g = 0, b = 0;
};
double srgb_linear(double encoded);
double srgb_encoded(double linear);

struct Oklab {
    double L, a, b;
};
Oklab to_oklab(const Rgb& srgb);       // of encoded values
Rgb srgb_from_oklab(const Oklab& lab); // brought into sRGB by less chroma, never by another lightness

enum class RampKind {
    sequential, // lightness rises evenly, so order is seen without hue
    cyclic,     // starts and ends in the same colour; lightness nearly even
};
// 256 steps, made once: encoded values. share: 0…1, held at the ends (sequential) or taken modulo 1 (cyclic).
const std::array<Rgb, 256>& ramp_steps(RampKind kind);
Rgb ramp_colour(RampKind kind, double share);

// A colour for values without an order: hues by the golden angle.
Rgb golden_colour(int index, double lightness, double chroma);

} // namespace garland
