// Seeded chance without state: a value is a hash of who asks, so adding, removing or hiding one copy changes nobody
// else's value, and any order of asking gives the same answer.
// Hash: XXH64 (Collet, 2012; published test values are in tests/core/chance_test.cpp).
#pragma once

#include <cstdint>

namespace garland {

// 64 evenly distributed bits for (seed, rule, copy), the same on every machine: XXH64 of `rule` then `copy` as
// little-endian 64-bit words, seeded with `seed`.
std::uint64_t chance_bits(std::uint64_t seed, std::uint64_t rule, std::uint64_t copy);

// The same as a number in [0, 1), from the upper 53 bits.
double chance(std::uint64_t seed, std::uint64_t rule, std::uint64_t copy);

} // namespace garland
