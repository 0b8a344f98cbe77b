// The Hand off step: what is written, where, how much; what waits and is written; and what was read back.
#pragma once

#include "app/panels/common/panel.h"
#include "app/panels/handoff/handoff_queue.h"
#include "app/panels/handoff/preview_card.h"
#include "core/project/findings.h"
#include "io/handoff/outputs.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QProgressBar>

namespace garland {

class HandoffPanel : public Panel {
    Q_OBJECT
  public:
    HandoffPanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    void entered() override;
    void write();
    void write_job_file(int shares);        // of what is set up, in place of its files
    void add_job_file(const QString& file); // of the open project: waits to be written
    void set_folder(const QString& folder);
    void choose_output(const QString& word); // of the list of outputs, or "preview"
    PreviewCard& preview_card() { return *preview_; }
    HandoffQueue& queue() { return queue_; }

  signals:
    void about_to_write(); // what is risky begins
    void written(const QStringList& files);
    void sized(const CheckOptions::Space& space); // what is set up needs so much

  private:
    struct Held; // what a hand-off is made from, kept while it waits
    void make_fields();
    void lay_out(QWidget* browse, QHBoxLayout* range); // its fields, a row each
    void make_queue();
    void make_job_buttons(QHBoxLayout* row);
    void queue_order(const HandoffOrder& order);
    void make_shutter(int row);                  // moments about each frame
    void make_form(int row, QHBoxLayout* range); // handles beside the frames, space, what is kept
    void offer_form();                           // as much of it as the chosen kind of file can have
    const HandoffOutput* output() const;         // null: preview
    HandoffOrder order() const;
    std::shared_ptr<const Held> held() const;
    PreviewOrder picture_order() const;
    void write_pictures();
    QString problem() const;      // why nothing can be written now
    QString show_problem() const; // the same, of the copies alone
    void refresh();
    void list_endings();
    void show_queue();
    void follow(Job* job);
    void estimate_size();
    void say_size(const QString& text, bool fits = true);
    void show_plan(const HandoffPlan& plan, const HandoffOrder& order);
    void say(const QString& text, const char* role);
    FrameRange frames() const;

    HandoffQueue queue_;
    QGridLayout* grid_;
    QComboBox *what_, *as_, *source_, *existing_, *up_, *unit_;
    QCheckBox *velocities_, *attributes_, *each_copy_;
    QLabel *about_, *as_label_, *source_label_, *existing_label_, *poses_label_, *tolerance_label_, *space_label_,
        *keep_label_, *handles_label_;
    QLineEdit *folder_, *name_;
    NumberField *first_, *last_, *handles_, *poses_, *tolerance_, *shutter_;
    QComboBox* moments_;
    QLabel *moments_label_, *shutter_label_;
    QLabel* size_;
    QPushButton *write_, *cancel_, *pause_, *to_job_;
    QProgressBar* bar_;
    QLabel* progress_;
    PreviewCard* preview_;
    QVBoxLayout *waiting_, *results_;
    QPointer<Job> sizing_;
    bool own_range_ = false;
};

} // namespace garland
