// The Hand off step: what is written, where, how much; and what was read back.
#pragma once

#include "app/benches/common/bench.h"

#include <QCheckBox>
#include <QElapsedTimer>
#include <QProgressBar>

namespace garland {

class HandoffBench : public Bench {
    Q_OBJECT
  public:
    HandoffBench(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void entered() override;
    void write();
    void set_folder(const QString& folder);

  signals:
    void written(const QStringList& files);

  private:
    void refresh();
    void estimate_size();
    void say(const QString& text, const char* role);
    FrameRange frames() const;

    Segments* what_;
    QLineEdit *folder_, *name_;
    NumberField *first_, *last_;
    QCheckBox* replace_;
    QLabel* size_;
    QPushButton *write_, *cancel_;
    QProgressBar* bar_;
    QLabel* progress_;
    QVBoxLayout* results_;
    QPointer<Job> job_, sizing_;
    bool own_range_ = false;
};

} // namespace garland
