// The one pool of threads, and the processor setting every one of its workers needs.
#pragma once

#include <cstddef>
#include <functional>

namespace garland {

// Denormals make blends some thirty times slower; while one of these lives, this thread flushes them to zero.
class FlushDenormals {
  public:
    FlushDenormals();
    ~FlushDenormals();
    FlushDenormals(const FlushDenormals&) = delete;
    FlushDenormals& operator=(const FlushDenormals&) = delete;

  private:
    unsigned before_;
};

// Calls body(first, last) over pieces of [0, count) of at least `grain` each, on the shared pool; returns when all are
// done. The pieces depend on the machine: a body's result must not.
void parallel_for(std::size_t count, std::size_t grain, const std::function<void(std::size_t, std::size_t)>& body);

// Calls work(); while this thread waits for loops inside of it, it begins nothing else of the pool.
void isolated(const std::function<void()>& work);

} // namespace garland
