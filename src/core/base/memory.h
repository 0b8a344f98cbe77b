// How the program keeps its memory. Called by programs as they start, never by the library itself.
#pragma once

namespace garland {

// Memory that is let go of stays with the program and is used again: the first touch of fresh memory costs as much as
// blending into it. Without effect where the C library is not glibc.
void keep_freed_memory();

// Gives memory that is not in use back to the system: after much was dropped.
void give_back_memory();

} // namespace garland
