// The Hand off step: what is written, where, how much; and what was read back.
#pragma once

#include "app/panels/common/panel.h"
#include "app/panels/handoff/preview_card.h"
#include "io/usd/usd_cache.h"

#include <QCheckBox>
#include <QComboBox>
#include <QElapsedTimer>
#include <QProgressBar>

namespace garland {

class HandoffPanel : public Panel {
    Q_OBJECT
  public:
    HandoffPanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void entered() override;
    void write();
    void set_folder(const QString& folder);
    PreviewCard& preview_card() { return *preview_; }

  signals:
    void about_to_write(); // what is risky begins
    void written(const QStringList& files);

  private:
    enum What { posed_copies, one_source, timing_table, pictures };
    Result<ShowPtr> show_alone() const;
    UsdCacheOrder source_order() const;
    void estimate_source();
    void write_source();
    PreviewOrder picture_order() const;
    void write_pictures();
    void refresh();
    void estimate_size();
    void say(const QString& text, const char* role);
    FrameRange frames() const;

    Segments* what_;
    QComboBox* source_;
    QLabel* source_label_;
    QLineEdit *folder_, *name_;
    NumberField *first_, *last_;
    QCheckBox* replace_;
    QLabel* size_;
    QPushButton *write_, *cancel_;
    QProgressBar* bar_;
    QLabel* progress_;
    PreviewCard* preview_;
    QVBoxLayout* results_;
    QPointer<Job> job_, sizing_;
    bool own_range_ = false;
};

} // namespace garland
