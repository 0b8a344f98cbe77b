// Builds a function for several processor levels, chosen at run time. Contraction is off in every build, so all levels
// give the same bytes.
#pragma once

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(GARLAND_NO_CLONES)
#define GARLAND_LEVELS __attribute__((target_clones("avx2", "default")))
#else
#define GARLAND_LEVELS
#endif

// For small functions that loops built for several levels must contain, not call.
#if defined(__GNUC__) && defined(NDEBUG)
#define GARLAND_INLINE [[gnu::always_inline]] inline
#else
#define GARLAND_INLINE inline
#endif
