#include "app/jobs/jobs.h"

#include "core/base/give_way.h"

#include <QCoreApplication>
#include <QEvent>
#include <algorithm>
#include <chrono>
#include <thread>

namespace garland {

void Job::report(double share, std::string_view what) {
    share_ = share;
    const qint64 now = clock_.elapsed();
    qint64 last = last_report_;
    if (now - last < 33 || !last_report_.compare_exchange_strong(last, now)) return;
    const QString words = QString::fromUtf8(what.data(), static_cast<qsizetype>(what.size()));
    jobs_->hand_over([this, share, words] { // it lives until its end is handed over
        what_ = words;
        emit progressed(share, words);
    });
}

bool Job::cancelled() const {
    if (paused_ && !cancelled_) {
        pool_->releaseThread(); // another job may have it meanwhile
        while (paused_ && !cancelled_) std::this_thread::sleep_for(std::chrono::milliseconds(20));
        pool_->reserveThread();
    }
    return cancelled_;
}

void Job::pause(bool on) {
    if (on == paused_) return;
    const qint64 now = clock_.elapsed();
    if (on)
        paused_from_ = now;
    else
        idle_ += now - paused_from_;
    paused_ = on;
    emit pausing_changed();
}

qint64 Job::worked() const {
    return (paused_ ? paused_from_ : clock_.elapsed()) - idle_;
}

qint64 Job::left() const {
    const double done = share_;
    if (!begun_ || done <= 0.01) return -1;
    return static_cast<qint64>(static_cast<double>(worked()) * (1 - done) / done);
}

QString duration_words(qint64 milliseconds) {
    const qint64 seconds = (milliseconds + 500) / 1000;
    if (milliseconds < 10'000) return Job::tr("%1 s").arg(static_cast<double>(milliseconds) / 1000, 0, 'f', 1);
    if (seconds < 3600) return Job::tr("%1:%2 min").arg(seconds / 60).arg(seconds % 60, 2, 10, QLatin1Char('0'));
    return Job::tr("%1 h %2 min").arg(seconds / 3600).arg(seconds / 60 % 60, 2, 10, QLatin1Char('0'));
}

Jobs::Jobs(QObject* parent) : QObject(parent) {
    quick_.setMaxThreadCount(std::max(3, QThread::idealThreadCount()));
    long_.setMaxThreadCount(std::max(3, QThread::idealThreadCount()));
    pool_gives_way();
}

namespace {

const QEvent::Type something_handed = static_cast<QEvent::Type>(QEvent::registerEventType());

} // namespace

// Work and answers pass between threads in lists behind a lock of the standard library, whose order can be checked:
// Qt's own locks are built without the thread sanitizer. The pool itself only says when the next one's turn is.
void Jobs::run(QThreadPool* pool, std::function<void()> what) {
    auto& waiting = pool == &long_ ? waiting_long_ : waiting_quick_;
    {
        const std::lock_guard held(lock_);
        waiting.push_back(std::move(what));
    }
    pool->start([this, list = &waiting] {
        give_way();
        std::function<void()> next;
        {
            const std::lock_guard held(lock_);
            next = std::move(list->front());
            list->pop_front();
        }
        next();
    });
}

void Jobs::hand_over(std::function<void()> what) {
    {
        const std::lock_guard held(lock_);
        handed_.push_back(std::move(what));
    }
    QCoreApplication::postEvent(this, new QEvent(something_handed)); // one for each, so that none waits for another
}

bool Jobs::event(QEvent* event) {
    if (event->type() != something_handed) return QObject::event(event);
    std::function<void()> what;
    {
        const std::lock_guard held(lock_);
        if (handed_.empty()) return true;
        what = std::move(handed_.front());
        handed_.pop_front();
    }
    what();
    return true;
}

void Jobs::stop() {
    for (auto& job : jobs_) job->cancel();
    quick_.waitForDone();
    long_.waitForDone();
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

std::vector<QPointer<Job>> Jobs::lasting() const {
    std::vector<QPointer<Job>> out;
    for (const auto& job : jobs_) {
        if (job->kind() == JobKind::lasting) out.emplace_back(job.get());
    }
    return out;
}

Jobs::~Jobs() {
    stop();
}

void Jobs::add(const std::shared_ptr<Job>& job) {
    const bool lasting = job->kind() == JobKind::lasting;
    job->jobs_ = this;
    job->pool_ = lasting ? &long_ : &quick_;
    job->clock_.start();
    jobs_.push_back(job);
    if (!lasting) return;
    connect(job.get(), &Job::pausing_changed, this, &Jobs::changed);
    emit started(job.get());
    emit changed();
}

void Jobs::begin(Job& job) {
    job.begun_ = true;
    if (job.kind() != JobKind::lasting) return;
    hand_over([this, which = &job, waited = job.clock_.elapsed()] {
        for (const auto& one : jobs_) {
            if (one.get() != which) continue; // it may have ended since
            one->idle_ = waited;              // waiting for a thread is no work
            one->paused_from_ = std::max(one->paused_from_, waited);
        }
        emit changed();
    });
}

void Jobs::remove(Job* job) {
    emit job->finished();
    const bool lasting = job->kind() == JobKind::lasting;
    std::erase_if(jobs_, [&](const auto& j) { return j.get() == job; });
    if (lasting) emit changed();
}

} // namespace garland
