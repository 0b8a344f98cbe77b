// Half floats (IEEE 754-2008 binary16) to floats, eight at a time where the processor can, one by one elsewhere: the
// same bytes either way.
#pragma once

#include <cstddef>
#include <cstdint>

namespace garland {

// Halves need not be aligned.
void from_halves(const void* halves, float* out, std::size_t count);

// out[i] = a[i] + w·(b[i] − a[i]) in floats; exactly a at w = 0 and b at w = 1.
void mix_halves(const void* a, const void* b, float w, float* out, std::size_t count);

inline constexpr float largest_half = 65504; // finite

bool halves_are_fast(); // whether this processor converts by itself

} // namespace garland
