// How a preview is looked at: size, samples, light, ground, colours. Plain values.
#pragma once

#include "core/base/ids.h"
#include "core/base/result.h"
#include "core/geometry/pose.h"

#include <cstdint>
#include <vector>

namespace garland {

enum class PreviewGround {
    shown,  // a matt floor at height 0 that fades into the sky
    shadow, // seen only where a shadow falls on it; for laying the picture over another one
    none,   // and wherever computed water is shown, which is its own ground
};

enum class PreviewColour {
    look,
    source_frame,
    delay,
    speed,
    level,
    copy,
    twins,  // those that have one stand out (see mark_twins)
    spread, // what a spread gives
};

// Radiances in linear light; 1 is a white sheet in full light.
struct PreviewLight {
    double key_azimuth = 52, key_elevation = 46; // degrees, where the key light comes from; 0 is +z, 90 +x
    double key_width = 6;                        // degrees across: the wider, the softer the shadows
    V3f key{2.3f, 2.1f, 1.75f};                  // irradiance of a face turned to it, over π
    V3f zenith{0.20f, 0.34f, 0.62f}, horizon{0.62f, 0.70f, 0.78f}; // sky
    V3f below{0.30f, 0.29f, 0.28f};                                // what shines up where there is no ground
};

struct PreviewLook {
    int width = 960, height = 540; // pixels, 1 … 16384
    int samples = 16;              // a pixel, 1 … 4096
    double shutter = 180;          // degrees of an output frame during which it is open, centred on it; 0: no blur
    int motion_steps = 3;          // moments over the shutter between which everything moves straight; odd, 3 … 15
    bool transparent = false;      // no sky: alpha is what copies cover
    PreviewGround ground = PreviewGround::shown;
    PreviewColour colour = PreviewColour::look;
    SpreadId spread{};                  // with colour spread: which one
    V3f floor{0.20f, 0.205f, 0.215f};   // albedo of the ground
    double exposure = 0;                // stops
    double thickness = 12;              // of volumes: extinction per scene unit at a density of 1
    std::vector<std::int64_t> marked{}; // numbers of copies that stand out, rising; all others are grey. Empty: none
    bool passes = false;                // depth, motion, numbers, normals besides colour
    PreviewLight light{};
    bool operator==(const PreviewLook& o) const;
};

// Errors: invalid, with what is out of range.
Result<void> validate(const PreviewLook& look);

const char* to_text(PreviewGround ground);
const char* to_text(PreviewColour colour);

} // namespace garland
