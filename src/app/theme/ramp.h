// The colour ramps of Scene, Lanes and legend, as the interface's colours; computed in core/base/colour.
#pragma once

#include "core/base/colour.h"

#include <QColor>
#include <array>

namespace garland {

Oklab to_oklab(const QColor& srgb);
QColor from_oklab(const Oklab& lab); // brought into sRGB by less chroma, never by another lightness

// 256 steps, made once. share: 0…1, held at the ends (sequential) or taken modulo 1 (cyclic).
class Ramp {
  public:
    static const Ramp& get(RampKind kind);
    QRgb at(double share) const;

  private:
    explicit Ramp(RampKind kind);
    RampKind kind_;
    std::array<QRgb, 256> steps_;
};

// A colour per copy for values without an order, such as twins' groups.
QColor distinct_colour(int index, bool dark);

} // namespace garland
