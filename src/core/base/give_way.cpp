#include "core/base/give_way.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <tbb/task_scheduler_observer.h>
#include <unistd.h>

namespace garland {

namespace {

class GivingWay final : public tbb::task_scheduler_observer {
  public:
    GivingWay() { observe(true); }
    ~GivingWay() override { observe(false); }
    void on_scheduler_entry(bool worker) override {
        if (worker) give_way();
    }
};

} // namespace

void give_way() {
    // On Linux a thread has a niceness of its own. Ten steps are a tenth of what one that draws gets, where both want
    // the same processor, and not so little that other programs leave it nothing.
    thread_local const int done = ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), 10);
    static_cast<void>(done);
}

void pool_gives_way() {
    static GivingWay giving;
}

} // namespace garland
