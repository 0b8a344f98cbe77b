// The Check step: what was examined, what was found, each one click from the frame and the copies.
#pragma once

#include "app/panels/common/panel.h"
#include "core/project/findings.h"

#include <QCheckBox>

namespace garland {

class CheckPanel : public Panel {
    Q_OBJECT
  public:
    CheckPanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void entered() override;
    void run();
    void write_report(const QString& path); // of what was found last; replaces the file
    const std::optional<Report>& report() const { return report_; }
    void set_space(const CheckOptions::Space& space); // of the hand-off as it is set up; looked at from now on

  signals:
    void show_copy(qint64 copy);
    void report_written(const QString& path);

  private:
    void fill();
    QWidget* finding_card(const Finding& finding);
    void add_fixes(QHBoxLayout* row, const Finding& finding);
    void fill_ignored();
    void save_report();
    void add_rule();
    void add_more();
    void show_rule();
    std::optional<Report> report_;
    ShowPtr examined_; // what the report is about
    std::optional<CheckOptions::Space> space_;
    std::shared_ptr<SourceJumps> jumps_; // sources are not read again at every edit
    QPointer<Job> job_;
    QVBoxLayout* list_;
    QPushButton *run_, *report_button_;
    NumberField *alike_, *share_;
    QCheckBox *moving_, *crowding_;
};

} // namespace garland
