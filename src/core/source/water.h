// Water: a surface computed from wind and waves, exact at any time, closed after a loop of frames where one is asked
// for. J. Tessendorf, "Simulating ocean water", 2001: Phillips spectrum, waves of ω² = g·k, inverse Fourier transforms.
#pragma once

#include "core/base/result.h"
#include "core/source/source.h"

namespace garland {

struct WaterSpec {
    double wind = 6;         // metres a second, above 0
    double direction = 0;    // degrees about the upright; 0 blows along +x, 90 along −z
    double height = 0.25;    // significant wave height in metres: four standard deviations of the height
    double choppiness = 0.8; // 0: waves only rise and fall; about 1: crests are sharp; more folds the surface
    double size = 24;        // side of the square shown, metres
    double patch = 24;       // after how many metres the first layer repeats
    double smallest = 0.3;   // waves shorter than this are damped away, metres
    double against = 0.8;    // how far waves against the wind are damped, 0 … 1
    int resolution = 128;    // samples along a patch's side: 64, 128 … 1024
    int layers = 1; // 1 … 4, each with patches smaller by the golden ratio, so that they never repeat together
    std::int64_t frames = 240; // how many there are; with a loop: not used
    std::int64_t loop = 0;     // frames after which the surface is the same again; 0: never
    std::uint64_t seed = 1;
    bool operator==(const WaterSpec&) const = default;
};

// Errors: invalid, saying which value.
Result<void> validate(const WaterSpec& water);

// Frames 0 … loop (which shows frame 0's surface again) or 0 … frames − 1, `rate` a second. Kind water, exact at any
// frame. The spec must be valid.
SourcePtr make_water(const WaterSpec& water, Rate rate);

// Source (file) frames of a spec: 0 … this. "0…180 is 181 frames".
std::int64_t last_frame(const WaterSpec& water);

// Where the surface folds over itself.
struct Folds {
    double share = 0;           // of the cells that are turned over, at frame 0
    double most_choppiness = 0; // the largest without a fold there, to 1 part in 1000; no more than twice the asked
};
Folds folds_of(const WaterSpec& water, Rate rate);

// The significant height of a sea fully risen in this wind: 0.21·V²/g (W. Pierson and L. Moskowitz, 1964, with the wind
// as they measured it, 19.5 m up).
double risen_height(double wind);

} // namespace garland
