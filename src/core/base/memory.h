// How the program keeps its memory. Called by programs as they start, never by the library itself.
#pragma once

#include <cstddef>

namespace garland {

// Memory that is let go of stays with the program and is used again: the first touch of fresh memory costs as much as
// blending into it. Without effect where the C library is not glibc.
void keep_freed_memory();

// A usual size of the pose cache: 2 GB, or a quarter of what the machine and the program's control group allow, if that
// is less; at least 32 MB.
std::size_t usual_cache_bytes();

// Gives memory that is not in use back to the system: after much was dropped.
void give_back_memory();

} // namespace garland
