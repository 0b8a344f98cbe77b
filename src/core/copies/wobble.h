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
    V3d turn{0, 0, 0}, turn_rate{0, 0, 0};         // degrees about the copy's own x, y and z
    double size = 0, size_rate = 0;                // a share of the copy's own size
};

// How a copy moves as a whole, per output frame.
struct CopyMotion {
    V3d move{0, 0, 0}; // of its place; scene units
    V3d spin{0, 0, 0}; // axis times angle, right-handed; degrees
    double growth = 0; // a share of its size
};

// Value noise: evenly distributed values at whole numbers of changes, between them 6x⁵ − 15x⁴ + 10x³ (the fade of
// K. Perlin, "Improving noise", 2002), so position, speed and acceleration run smoothly. Pure in all arguments.
WobbleSample wobble_at(const Wobble& wobble, CopyId copy, OutputFrame t, Rate rate);

// Places with wobbles added, in order; and where asked for (one a place), how each moves, added to what is there. The
// spin counts turns about the upright alone: where wobbles lean copies (see leans()) it is to be had from two moments.
// amounts: how much of it each place gets, or empty.
void wobble_places(std::span<const Wobble> wobbles, OutputFrame t, Rate rate, std::span<Placement> places,
                   std::vector<CopyMotion>* motion = nullptr, std::span<const float> amounts = {});

bool leans(std::span<const Wobble> wobbles); // whether any of them pitches or banks copies

} // namespace garland
