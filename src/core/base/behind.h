// Work that goes on behind the next piece of it: one at a time, in order.
#pragma once

#include "core/base/result.h"

#include <future>
#include <utility>

namespace garland {

class Behind {
  public:
    Behind() = default;
    ~Behind() {
        if (now_.valid()) now_.wait(); // without asking how it went
    }
    Behind(const Behind&) = delete;
    Behind& operator=(const Behind&) = delete;

    // Waits for what began before; its error is returned, and `work` (a Result<void>()) does not begin. What it throws
    // comes out of the next wait().
    template <class Work>
    Result<void> run(Work work) {
        GARLAND_CHECK(wait());
        now_ = std::async(std::launch::async, std::move(work));
        return {};
    }
    Result<void> wait() {
        if (!now_.valid()) return {};
        return now_.get();
    }

  private:
    std::future<Result<void>> now_;
};

} // namespace garland
