// Pictures into files: OpenEXR with all passes, PNG for the eye. Each file appears complete or not at all.
#pragma once

#include "core/time/rate.h"
#include "io/files/file.h"
#include "render/picture.h"

namespace garland {

// The bytes of a PNG (ISO/IEC 15948:2004), 8 or 16 bits a channel, sRGB, alpha straight (only where `alpha`).
std::vector<char> png_bytes(const Picture& picture, int bits, bool alpha, double exposure = 0);
Result<void> write_png(const std::string& path, const Picture& picture, int bits, bool alpha, double exposure,
                       Existing existing);
// Of values that shown_8() gave, with alpha.
Result<void> write_png(const std::string& path, const std::vector<std::uint8_t>& shown, int width, int height,
                       Existing existing);

// OpenEXR: colour in linear light premultiplied by alpha, as R, G, B, A; where there are passes a part for each:
// "depth" (Z, scene units), "motion" (motion.X, motion.Y: pixels to the right and down until the next output frame),
// "normal" (normal.X, .Y, .Z), "numbers" (copy, source: whole numbers from 1, 0 for none; source_frame). Channel and
// attribute names: "Technical introduction to OpenEXR", 2013, "Predefined channel names", and its standard attributes.
// half: colour as half floats; everything else is float.
Result<void> write_exr(const std::string& path, const Picture& picture, bool half, Rate rate, Existing existing);

} // namespace garland
