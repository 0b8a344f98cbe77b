#include "app/jobs/jobs.h"

#include <algorithm>
#include <chrono>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <thread>
#include <unistd.h>

namespace garland {

void Job::report(double share, std::string_view what) {
    share_ = share;
    const qint64 now = clock_.elapsed();
    qint64 last = last_report_;
    if (now - last < 33 || !last_report_.compare_exchange_strong(last, now)) return;
    const QString words = QString::fromUtf8(what.data(), static_cast<qsizetype>(what.size()));
    QMetaObject::invokeMethod(
        this, [this, share, words] { emit progressed(share, words); }, Qt::QueuedConnection);
}

bool Job::cancelled() const {
    while (paused_ && !cancelled_) std::this_thread::sleep_for(std::chrono::milliseconds(20));
    return cancelled_;
}

Jobs::Jobs(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(std::max(3, QThread::idealThreadCount()));
}

void Jobs::yield_to_interface() {
    // On Linux a thread has a niceness of its own.
    thread_local const int done = ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), 8);
    static_cast<void>(done);
}

void Jobs::stop() {
    for (auto& job : jobs_) job->cancel();
    pool_.waitForDone();
}

void Jobs::drop_all() {
    for (auto& job : jobs_) {
        if (!job->writes()) job->drop();
    }
}

std::vector<QPointer<Job>> Jobs::writing() const {
    std::vector<QPointer<Job>> out;
    for (const auto& job : jobs_) {
        if (job->writes()) out.emplace_back(job.get());
    }
    return out;
}

Jobs::~Jobs() {
    stop();
}

void Jobs::add(const std::shared_ptr<Job>& job, bool quiet) {
    job->clock_.start();
    jobs_.push_back(job);
    if (!quiet) emit started(job.get());
}

void Jobs::remove(Job* job) {
    emit job->finished();
    std::erase_if(jobs_, [&](const auto& j) { return j.get() == job; });
}

} // namespace garland
