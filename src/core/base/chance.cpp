#include "core/base/chance.h"

#include <array>
#include <xxhash.h>

namespace garland {

std::uint64_t chance_bits(std::uint64_t seed, std::uint64_t rule, std::uint64_t copy) {
    std::array<unsigned char, 16> bytes{};
    for (unsigned i = 0; i < 8; ++i) {
        bytes[i] = static_cast<unsigned char>(rule >> (8 * i));
        bytes[8 + i] = static_cast<unsigned char>(copy >> (8 * i));
    }
    return XXH64(bytes.data(), bytes.size(), seed);
}

double chance(std::uint64_t seed, std::uint64_t rule, std::uint64_t copy) {
    return static_cast<double>(chance_bits(seed, rule, copy) >> 11) * 0x1p-53;
}

} // namespace garland
