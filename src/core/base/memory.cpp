#include "core/base/memory.h"

#include <cstdlib>
#if defined(__GLIBC__)
#include <malloc.h>
#endif

namespace garland {

#if defined(__GLIBC__)
void keep_freed_memory() {
    mallopt(M_MMAP_THRESHOLD, 1 << 30);
    mallopt(M_TRIM_THRESHOLD, 1 << 30);
}

void give_back_memory() {
    malloc_trim(0);
}
#else
void keep_freed_memory() {}
void give_back_memory() {}
#endif

} // namespace garland
