// Seeded smooth noise over space, without state: any place, in any order, gives the same answer on every machine.
#pragma once

#include <array>
#include <cstdint>

namespace garland {

struct NoiseRule {
    std::uint64_t seed = 1;
    std::uint64_t rule = 0; // whose noise it is: two rules with one seed differ
    int detail = 1;         // octaves, 1 … 8: each half as wide and half as strong as the one before
};

struct NoiseSample {
    double value = 0.5;                   // 0 … 1
    std::array<double, 3> slope{0, 0, 0}; // its change along x, y and z, for a patch of size 1
};

// Value noise: evenly distributed values at whole places, between them 6x⁵ − 15x⁴ + 10x³ along each axis (the fade of
// K. Perlin, "Improving noise", 2002), so value and slope run smoothly. Places beyond ±10¹⁵ count as 0.
NoiseSample noise_at(const NoiseRule& rule, double x, double y, double z);

} // namespace garland
