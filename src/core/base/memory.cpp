#include "core/base/memory.h"

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <string>
#include <sys/resource.h>
#include <unistd.h>
#if defined(__GLIBC__)
#include <malloc.h>
#endif

namespace garland {

namespace {
// The limit of this process's control group (cgroups 2, memory.max), or of one above it; 0: none is said.
double group_limit() {
    std::ifstream groups("/proc/self/cgroup");
    std::string line, path;
    while (std::getline(groups, line)) {
        if (line.starts_with("0::")) path = line.substr(3);
    }
    double least = 0;
    for (;;) {
        std::ifstream limit("/sys/fs/cgroup" + path + "/memory.max");
        double bytes = 0;
        if (limit >> bytes && bytes > 0 && (least == 0 || bytes < least)) least = bytes; // "max" is no number
        const auto slash = path.rfind('/');
        if (path.empty() || slash == path.npos) return least;
        path.resize(slash);
    }
}
} // namespace

std::size_t usual_cache_bytes() {
    double all = static_cast<double>(::sysconf(_SC_PHYS_PAGES)) * static_cast<double>(::sysconf(_SC_PAGESIZE));
    if (const double limit = group_limit(); limit > 0) all = std::min(all, limit);
    struct rlimit space {};
    if (::getrlimit(RLIMIT_AS, &space) == 0 && space.rlim_cur != RLIM_INFINITY)
        all = std::min(all, static_cast<double>(space.rlim_cur));
    return static_cast<std::size_t>(std::clamp(all / 4, 32e6, 2e9));
}

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
