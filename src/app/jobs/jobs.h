// Background work: runs off the interface thread, tells its progress, can be cancelled, delivers on the interface
// thread.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"

#include <QElapsedTimer>
#include <QObject>
#include <QPointer>
#include <QString>
#include <QThreadPool>
#include <atomic>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>

namespace garland {

class Jobs;

enum class JobKind {
    interactive, // answers what the user is looking at (poses, pictures, estimates): not listed, never waits for long
                 // work
    lasting      // what the user asked for and may wait for: listed, can be paused and cancelled
};

class Job : public QObject, public Progress {
    Q_OBJECT
  public:
    Job(QString title, JobKind kind) : title_(std::move(title)), kind_(kind) {}
    const QString& title() const { return title_; }
    JobKind kind() const { return kind_; }
    double share() const { return share_; }
    const QString& what() const { return what_; }            // what it last said it is doing; for the interface thread
    bool waiting() const { return !begun_; }                 // for a free thread
    bool stopping() const { return cancelled_; }             // cancelled; its work has not noticed yet
    qint64 milliseconds() const { return clock_.elapsed(); } // since it was asked for
    qint64 worked() const;                                   // milliseconds since then, without pauses
    // Milliseconds at work until all is done, by how far it came in those it has worked; −1: not known yet.
    qint64 left() const;
    void cancel() { cancelled_ = true; }
    // Cancels because something newer was asked for: its answer is `cancelled` even if it was already on its way.
    void drop() { cancelled_ = dropped_ = true; }
    bool dropped() const { return dropped_; }
    // It writes something that the user asked for: it goes on when another project is opened, and quitting asks.
    void set_writes(bool writes) { writes_ = writes; }
    bool writes() const { return writes_; }

    // Its work stands still where it next asks whether it is cancelled.
    void pause(bool on);
    bool paused() const { return paused_; }

    void report(double share, std::string_view what) override; // any thread
    bool cancelled() const override;                           // by its work, off the interface thread

  signals:
    void progressed(double share, const QString& what); // on the interface thread, at most some 30 times a second
    void pausing_changed();
    void finished();

  private:
    friend class Jobs;
    QString title_, what_;
    JobKind kind_;
    Jobs* jobs_ = nullptr;              // who started it
    QThreadPool* pool_ = nullptr;       // whose thread it has
    qint64 idle_ = 0, paused_from_ = 0; // milliseconds
    std::atomic<bool> cancelled_{false}, begun_{false};
    std::atomic<bool> dropped_{false}, writes_{false}, paused_{false};
    std::atomic<double> share_{0};
    std::atomic<qint64> last_report_{-1000};
    QElapsedTimer clock_;
};

// "4.2 s", "1:05 min", "2 h 03 min".
QString duration_words(qint64 milliseconds);

// All running jobs. Destroyed, it cancels them and waits.
class Jobs : public QObject {
    Q_OBJECT
  public:
    explicit Jobs(QObject* parent = nullptr);
    ~Jobs() override;

    // Runs work(progress) on the pool, then done(result) on the interface thread unless `receiver` is gone by then. The
    // job may be cancelled or watched through the returned pointer, which lives until finished(). Lasting jobs beyond
    // the pool's threads wait for one; a paused one gives its thread to the next.
    template <class T>
    QPointer<Job> start(QObject* receiver, const QString& title, std::function<Result<T>(Progress&)> work,
                        std::function<void(Result<T>)> done, JobKind kind = JobKind::lasting) {
        auto job = std::make_shared<Job>(title, kind);
        add(job);
        run(job->pool_, [this, job, work = std::move(work), done = std::move(done),
                         target = QPointer<QObject>(receiver)]() mutable {
            begin(*job);
            auto result =
                std::make_shared<Result<T>>(job->cancelled() ? fail(ErrorCode::cancelled, "stopped") : work(*job));
            work = nullptr; // what it holds is let go of here, not on the interface thread
            hand_over([this, job = std::move(job), result, done = std::move(done), target] {
                remove(job.get()); // the job ends on the interface thread
                if (job->dropped()) *result = fail(ErrorCode::cancelled, "stopped");
                if (target) done(std::move(*result));
            });
        });
        return job.get();
    }
    void
    stop(); // cancels all and waits until their work has ended; nothing is delivered to receivers that are gone by then
    int running() const { return static_cast<int>(jobs_.size()); }
    // Everything that works for the project that is going away: its answers would land in another one. What writes goes
    // on.
    void drop_all();
    std::vector<QPointer<Job>> writing() const;
    std::vector<QPointer<Job>> lasting() const; // those that are listed, the oldest first

  signals:
    void started(garland::Job* job); // a lasting one
    void changed();                  // lasting ones came, began, were paused or ended

  protected:
    bool event(QEvent* event) override;

  private:
    friend class Job;
    void run(QThreadPool* pool, std::function<void()> what); // on one of the pool's threads
    // Any thread: calls it on the interface thread, in the order of handing over, unless these Jobs have ended by then.
    void hand_over(std::function<void()> what);
    void add(const std::shared_ptr<Job>& job);
    void begin(Job& job); // off the interface thread
    void remove(Job* job);
    std::vector<std::shared_ptr<Job>> jobs_;
    std::mutex lock_;                                                // of the lists below
    std::deque<std::function<void()>> waiting_quick_, waiting_long_; // for a thread of either pool
    std::deque<std::function<void()>> handed_;                       // to the interface thread
    QThreadPool quick_, long_;
};

} // namespace garland
