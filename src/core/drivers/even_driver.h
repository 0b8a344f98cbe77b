// The drivers without clumps: by order, the golden-ratio sequence; over space, values in which near neighbours differ
// most.
#pragma once

#include "core/drivers/driver.h"

namespace garland {

double even_of(std::int64_t index); // the fractional part of 0.5 + index/φ

// Values 0 … 1, in which near neighbours differ most: best-candidate choice (D. P. Mitchell, "Spectrally optimal
// sampling for distribution ray tracing", 1991), in the order of the ids: of 24 candidates by chance the one whose
// smallest difference, round the circle, from the eight nearest copies that have one already is largest.
std::vector<double> best_candidates(std::uint64_t seed, std::uint64_t salt, std::span<const Placement> places);

// The k nearest other copies of each, nearest first; k · places.size() entries, missing ones are its own number. Exact.
std::vector<std::uint32_t> nearest_copies(std::span<const Placement> places, std::size_t k);

} // namespace garland
