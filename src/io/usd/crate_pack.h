// The two ways of packing inside USD binary: bytes by LZ4, whole numbers by their differences.
#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace garland {

// A byte that says in how many chunks, then LZ4 (Y. Collet, "LZ4 block format"). One chunk holds up to about 2 GB; more
// are written with their sizes before them.
std::string packed_bytes(std::string_view bytes);

// Differences from one number to the next: the most common one, two bits for each number (the common one, or 1, 2 or 4
// bytes follow; of 64 bits 2, 4 or 8), then those bytes; all packed as above.
std::string packed_wholes(std::span<const std::int32_t> numbers);
std::string packed_wholes(std::span<const std::int64_t> numbers);

// The same backwards. Errors: malformed, where the packed bytes do not hold just as many as are asked for.
Result<std::string> unpacked_bytes(std::string_view packed, std::size_t size);
Result<std::vector<std::int32_t>> unpacked_wholes32(std::string_view packed, std::size_t count);
Result<std::vector<std::int64_t>> unpacked_wholes64(std::string_view packed, std::size_t count);

} // namespace garland
