// What is being done in the background: a row a job, with its progress, how long it will take, Pause and Cancel.
#pragma once

#include "app/jobs/jobs.h"

#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>
#include <QWidget>

namespace garland {

class JobsPanel : public QWidget {
    Q_OBJECT
  public:
    explicit JobsPanel(Jobs& jobs, QWidget* parent = nullptr);

  private:
    struct Row {
        QPointer<Job> job;
        QWidget* widget = nullptr;
        QLabel *state = nullptr, *words = nullptr;
        QProgressBar* bar = nullptr;
        QPushButton *pause = nullptr, *cancel = nullptr;
    };
    void refresh(); // rows come and go; those that stay keep the keyboard
    void show_states();
    Row make_row(Job* job);

    Jobs& jobs_;
    std::vector<Row> rows_;
    QVBoxLayout* column_;
    QLabel* empty_;
    QTimer tick_;
};

} // namespace garland
