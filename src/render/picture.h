// A rendered picture and its passes, rows from the top. All lists are empty or width · height · width of the value.
#pragma once

#include "core/geometry/pose.h"

#include <cstdint>
#include <vector>

namespace garland {

struct Picture {
    int width = 0, height = 0;
    std::vector<float> rgba; // linear light, premultiplied by alpha (four a pixel)
    // Passes, at each pixel's middle and the frame's own moment, without blur:
    std::vector<float> depth;          // along the view, scene units; infinity where there is nothing
    std::vector<float> motion;         // pixels right and down to where that point is one output frame later (two)
    std::vector<float> normal;         // in the scene (three); 0 where there is nothing
    std::vector<std::uint32_t> copy;   // number from 1; 0: none
    std::vector<std::uint32_t> source; // number in the project from 1; 0: none
    std::vector<float> source_frame;   // NaN: none

    std::size_t pixels() const { return static_cast<std::size_t>(width) * static_cast<std::size_t>(height); }
};

// For the eye: exposure (stops), then extended Reinhard by luminance, white at 4 (E. Reinhard et al., "Photographic
// tone reproduction for digital images", 2002, eq. 4), then sRGB. Not premultiplied; 8 or 16 bits; four values a pixel.
std::vector<std::uint8_t> shown_8(const Picture& picture, double exposure = 0);
std::vector<std::uint16_t> shown_16(const Picture& picture, double exposure = 0);

} // namespace garland
