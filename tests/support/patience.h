// How much longer than usual things may take: programs under a sanitizer run several times slower.
#pragma once

#ifndef GARLAND_PATIENCE
#define GARLAND_PATIENCE 1
#endif

namespace garland::testing {

inline constexpr int patience = GARLAND_PATIENCE;
// A sanitizer keeps terabytes of addresses for itself: no program under it starts within a limit of addresses.
inline constexpr bool addresses_can_be_limited = GARLAND_PATIENCE == 1;

} // namespace garland::testing
