#include "app/shell/jobs_panel.h"

#include "app/widgets/parts.h"

#include <QHBoxLayout>
#include <algorithm>

namespace garland {

JobsPanel::JobsPanel(Jobs& jobs, QWidget* parent) : QWidget(parent), jobs_(jobs) {
    setAccessibleName(tr("Jobs"));
    column_ = new QVBoxLayout(this);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(8);
    empty_ = make_label(tr("Nothing is being done. Reading, checking, searching and writing are listed here while they "
                           "last: each can be paused and cancelled."),
                        "muted");
    empty_->setWordWrap(true);
    column_->addWidget(empty_);
    column_->addStretch(1);
    connect(&jobs_, &Jobs::changed, this, &JobsPanel::refresh);
    connect(&tick_, &QTimer::timeout, this, &JobsPanel::show_states);
    tick_.start(500); // times go on where no progress is told
    refresh();
}

JobsPanel::Row JobsPanel::make_row(Job* job) {
    Row row;
    row.job = job;
    auto* card = make_card();
    row.widget = card;
    auto* lines = new QVBoxLayout(card);
    lines->setContentsMargins(12, 8, 12, 8);
    auto* first = new QHBoxLayout;
    auto* title = make_label(job->title());
    title->setWordWrap(true);
    first->addWidget(title, 1);
    row.state = make_label({}, "muted");
    first->addWidget(row.state);
    lines->addLayout(first);
    row.words = make_label({}, "muted");
    row.words->setWordWrap(true);
    lines->addWidget(row.words);
    auto* last = new QHBoxLayout;
    row.bar = new QProgressBar;
    row.bar->setRange(0, 1000);
    row.bar->setTextVisible(false);
    row.bar->setAccessibleName(tr("Progress of “%1”").arg(job->title()));
    last->addWidget(row.bar, 1);
    row.pause = make_button(tr("Pause"), tr("Let this job stand still, or go on; another may use its place"));
    row.cancel = make_button(tr("Cancel"), tr("Stop this job; what it has not finished is not kept"));
    row.pause->setAccessibleName(tr("Pause “%1”").arg(job->title()));
    row.cancel->setAccessibleName(tr("Cancel “%1”").arg(job->title()));
    connect(row.pause, &QPushButton::clicked, this, [job = row.job] {
        if (job) job->pause(!job->paused());
    });
    connect(row.cancel, &QPushButton::clicked, this, [this, job = row.job] {
        if (job) job->cancel();
        show_states();
    });
    last->addWidget(row.pause);
    last->addWidget(row.cancel);
    lines->addLayout(last);
    connect(job, &Job::progressed, this, &JobsPanel::show_states);
    return row;
}

void JobsPanel::refresh() {
    const auto now = jobs_.lasting();
    std::erase_if(rows_, [&](const Row& row) {
        if (row.job && std::find(now.begin(), now.end(), row.job) != now.end()) return false;
        forget_typing(row.widget);
        row.widget->hide();
        row.widget->deleteLater();
        return true;
    });
    for (const auto& job : now) {
        if (std::any_of(rows_.begin(), rows_.end(), [&](const Row& row) { return row.job == job; })) continue;
        rows_.push_back(make_row(job));
        column_->insertWidget(column_->count() - 1, rows_.back().widget);
    }
    empty_->setVisible(rows_.empty());
    show_states();
}

void JobsPanel::show_states() {
    for (Row& row : rows_) {
        if (!row.job) continue;
        const Job& job = *row.job;
        const qint64 left = job.left();
        row.state->setText(job.stopping()  ? tr("stopping…")
                           : job.paused()  ? tr("paused")
                           : job.waiting() ? tr("waits for another job")
                           : left < 0      ? tr("%1 so far").arg(duration_words(job.milliseconds()))
                                           : tr("about %1 left").arg(duration_words(left)));
        row.words->setText(job.what());
        row.words->setVisible(!job.what().isEmpty());
        row.bar->setValue(static_cast<int>(job.share() * 1000));
        row.pause->setText(job.paused() ? tr("Go on") : tr("Pause"));
        row.pause->setEnabled(!job.stopping());
        row.cancel->setEnabled(!job.stopping());
    }
}

} // namespace garland
