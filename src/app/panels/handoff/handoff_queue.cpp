#include "app/panels/handoff/handoff_queue.h"

#include <algorithm>
#include <iterator>

namespace garland {

void HandoffQueue::add(const QString& title, Work work) {
    items_.push_back({++last_id_, title, std::move(work)});
    next();
    emit changed();
}

void HandoffQueue::cancel() {
    if (job_) job_->cancel();
}

void HandoffQueue::pause(bool on) {
    if (job_) job_->pause(on);
}

void HandoffQueue::move(int id, int by) {
    const auto at = std::find_if(items_.begin(), items_.end(), [&](const Item& i) { return i.id == id; });
    if (at == items_.end()) return;
    const auto place = std::distance(items_.begin(), at), to = place + by;
    if (place < 1 || to < 1 || to >= static_cast<std::ptrdiff_t>(items_.size())) return; // the first is being written
    items_.splice(std::next(items_.begin(), by > 0 ? to + 1 : to), items_, at);
    emit changed();
}

void HandoffQueue::remove(int id) {
    const auto at = std::find_if(items_.begin(), items_.end(), [&](const Item& i) { return i.id == id; });
    if (at == items_.end() || (job_ && at == items_.begin())) return;
    items_.erase(at);
    emit changed();
}

void HandoffQueue::next() {
    if (job_ || items_.empty()) return;
    const QString title = items_.front().title;
    job_ = document_.jobs().start<HandoffAnswer>(
        this, tr("Writing %1").arg(title), items_.front().work, [this, title](Result<HandoffAnswer> answer) {
            if (answer && job_) answer->milliseconds = job_->worked();
            job_ = nullptr;
            items_.pop_front();
            if (answer) {
                emit done(title, *answer);
            } else {
                emit failed(title, QString::fromStdString(describe(answer.error())));
            }
            next();
            emit changed();
        });
    job_->set_writes(true);
    connect(job_, &Job::pausing_changed, this, &HandoffQueue::changed); // wherever it was paused
    emit begun(job_);
}

} // namespace garland
