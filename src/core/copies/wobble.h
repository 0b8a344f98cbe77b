// Wobble: seeded smooth noise on top of where copies stand, on the output clock: it goes on while a source holds, until
// it is told to end.
#pragma once

#include "core/copies/arrangement.h"
#include "core/time/frames.h"
#include "core/time/rate.h"

#include <span>
#include <vector>

namespace garland {

// By how much a wobble moves a copy at one output frame, and how fast: per output frame.
struct WobbleSample {
    V3d position{0, 0, 0}, position_rate{0, 0, 0}; // scene units
    double turn = 0, turn_rate = 0;                // degrees about y
    double size = 0, size_rate = 0;                // a share of the copy's own size
};

// Value noise: evenly distributed values at whole numbers of changes, between them 6x⁵ − 15x⁴ + 10x³ (the fade of
// K. Perlin, "Improving noise", 2002), so position, speed and acceleration run smoothly. Pure in all arguments.
WobbleSample wobble_at(const Wobble& wobble, CopyId copy, OutputFrame t, Rate rate);

// Places with wobbles added, in order; and where asked for (one a place), how each moves. amounts: how much of it each
// place gets, or empty.
void wobble_places(std::span<const Wobble> wobbles, OutputFrame t, Rate rate, std::span<Placement> places,
                   std::vector<WobbleSample>* motion = nullptr, std::span<const float> amounts = {});

} // namespace garland
