#include "core/base/parallel.h"

#if defined(__SANITIZE_THREAD__)
#define GARLAND_WATCHED_THREADS 1
#elif defined(__has_feature)
#if __has_feature(thread_sanitizer)
#define GARLAND_WATCHED_THREADS 1
#endif
#endif

#include <algorithm>
#ifdef GARLAND_WATCHED_THREADS
#include <atomic>
#include <exception>
#include <thread>
#include <vector>
#else
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#endif

#if defined(__SSE2__)
#include <xmmintrin.h>
#endif

namespace garland {

#if defined(__SSE2__)
FlushDenormals::FlushDenormals() : before_(_mm_getcsr()) {
    _mm_setcsr(before_ | 0x8040u);
}
FlushDenormals::~FlushDenormals() {
    _mm_setcsr(before_);
}
#else
FlushDenormals::FlushDenormals() : before_(0) {}
FlushDenormals::~FlushDenormals() = default;
#endif

namespace {

using Body = std::function<void(std::size_t, std::size_t)>;

#ifdef GARLAND_WATCHED_THREADS
// The pool is built without the thread sanitizer, which would see no order between what its threads do: it gets
// threads whose beginning and end it knows. Loops inside loops are run where they stand.
void in_pieces(std::size_t count, std::size_t grain, const Body& body) {
    thread_local bool inside = false;
    if (inside) return body(0, count);
    constexpr std::size_t helpers = 3;
    std::atomic<std::size_t> next{0};
    std::exception_ptr thrown[helpers + 1];
    auto work = [&](std::size_t who) {
        inside = true;
        const FlushDenormals flush;
        try {
            for (std::size_t from = next.fetch_add(grain); from < count; from = next.fetch_add(grain))
                body(from, std::min(count, from + grain));
        } catch (...) {
            thrown[who] = std::current_exception();
            next = count;
        }
        inside = false;
    };
    std::vector<std::thread> threads;
    for (std::size_t k = 0; k < helpers; ++k) threads.emplace_back(work, k);
    work(helpers);
    for (std::thread& thread : threads) thread.join();
    for (const std::exception_ptr& one : thrown) {
        if (one) std::rethrow_exception(one);
    }
}
#else
void in_pieces(std::size_t count, std::size_t grain, const Body& body) {
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, grain), [&](const auto& range) {
        FlushDenormals flush;
        body(range.begin(), range.end());
    });
}
#endif

} // namespace

void parallel_for(std::size_t count, std::size_t grain, const Body& body) {
    if (count == 0) return;
    if (count <= grain) {
        FlushDenormals flush;
        body(0, count);
        return;
    }
    in_pieces(count, std::max<std::size_t>(grain, 1), body);
}

void isolated(const std::function<void()>& work) {
#ifdef GARLAND_WATCHED_THREADS
    work();
#else
    tbb::this_task_arena::isolate([&] { work(); });
#endif
}

} // namespace garland
