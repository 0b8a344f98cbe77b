// Job files of the Hand off step: written for other machines, and taken in to be written here.
#include "app/panels/handoff/handoff_panel.h"

#include "io/handoff/job_file.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QSettings>

namespace garland {

void HandoffPanel::make_job_buttons(QHBoxLayout* row) {
    to_job_ = make_button(
        tr("Job file…"), tr("Write no files now, but a job file that any number of machines work on, each on a share"));
    auto* take = make_button(tr("Add a job file…"), tr("Let what a job file asks for wait here, to be written"));
    row->addWidget(to_job_);
    row->addWidget(take);
    connect(to_job_, &QPushButton::clicked, this, [this] {
        bool chosen = false;
        const int shares = QInputDialog::getInt(this, tr("Job file"), tr("Into how many shares?"),
                                                QSettings().value("handoff_shares", 8).toInt(), 1, 100'000, 1, &chosen);
        if (!chosen) return;
        QSettings().setValue("handoff_shares", shares);
        write_job_file(shares);
    });
    connect(take, &QPushButton::clicked, this, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Add a job file"), folder_->text(),
                                                          tr("Job files (*.job.json);;All files (*)"));
        if (!file.isEmpty()) add_job_file(file);
    });
}

// One share alone for outputs that are one file: they cannot be split.
void HandoffPanel::write_job_file(int shares) {
    if (const QString why = problem(); !why.isEmpty()) return say(why, "alert");
    if (!output()) return say(tr("Previews have no job files. Choose another output; nothing was written."), "alert");
    if (document_.path().isEmpty() || document_.dirty())
        return say(tr("Save the project first: other machines read its file. Nothing was written."), "alert");
    HandoffJob job{document_.path().toStdString(), order(), output()->in_frames(order().ending) ? shares : 1};
    QDir().mkpath(folder_->text());
    if (auto done = write_job(job, job.order.files()); !done)
        return say(QString::fromStdString(describe(done.error())), "alert");
    const QString file = QString::fromStdString(job.path());
    say(job.chunks == 1 ? tr("%1 written. A machine runs: garland-cli handoff --job %1").arg(file)
                        : tr("%1 written. Each machine runs, with K from 1 to %2: garland-cli handoff --job %1 "
                             "--chunk K/%2")
                              .arg(file)
                              .arg(job.chunks),
        "ok");
}

void HandoffPanel::add_job_file(const QString& file) {
    auto job = read_job(file.toStdString());
    if (!job) return say(QString::fromStdString(describe(job.error())), "alert");
    const QString project = QString::fromStdString(job->project);
    if (QFileInfo(project).canonicalFilePath() != QFileInfo(document_.path()).canonicalFilePath() ||
        document_.path().isEmpty())
        return say(tr("%1 is of the project %2. Open that one, then add it; nothing was written.").arg(file, project),
                   "alert");
    if (document_.dirty())
        return say(tr("%1 is of the project as it was saved. Save or undo what was changed, then add it; nothing was "
                      "written.")
                       .arg(file),
                   "alert");
    if (const QString why = show_problem(); !why.isEmpty()) return say(why, "alert");
    job->order.existing = WhatIsThere::resume; // others may have written shares of it
    emit about_to_write();
    queue_order(job->order);
}

} // namespace garland
