// One source in the Gather step: its poses, its facts, its problems with their mends, and how it is taken.
#pragma once

#include "app/panels/common/panel.h"

#include <QGridLayout>

namespace garland {

// Labels and fields in two columns of pairs, row by row.
class PairForm : public QGridLayout {
  public:
    PairForm();
    void put(const QString& label, QWidget* field);

  private:
    int place_ = 0;
};

class SourceCard : public QFrame {
    Q_OBJECT
  public:
    SourceCard(Document& document, PosePictures& pictures, const SourceSpec& spec, QWidget* parent = nullptr);

  signals:
    void find_asked(); // for its files

  private:
    void add_head(const SourceSpec& spec);
    void add_fast_copy(QHBoxLayout* head);
    void add_facts(const SourceSpec& spec);
    void add_problems(const SourceSpec& spec);
    void offer_to_leave_out(QHBoxLayout* row, std::int64_t frame);
    void add_left_out(const SourceSpec& spec);
    // import_settings_form.cpp
    void add_import_settings(const SourceSpec& spec);
    void add_time_settings(PairForm* form, const SourceSpec& spec);
    void add_ways_between(PairForm* form, const SourceSpec& spec);
    void add_space_settings(PairForm* form, const SourceSpec& spec);
    std::size_t add_choices(PairForm* form, const SourceSpec& spec);
    void add_pose_settings(PairForm* form, const SourceSpec& spec);
    QComboBox* choice(const QStringList& texts, int now, const QString& name, const QString& tip, const QString& words,
                      std::function<void(SourceSpec&, int)> set);
    void bind(NumberField* field, const QString& words, const char* merge,
              std::function<void(SourceSpec&, double)> set);
    static bool exact_at_any_time(const SourceFacts& facts); // it has no choice of poses between frames
    void add_folds(const SourceSpec& spec);                  // of water over itself
    void add_water(const SourceSpec& spec);                  // water_form.cpp
    void line(const QString& text, const char* role);
    // A line of text with buttons behind it.
    QHBoxLayout* mend_line(const QString& text);
    // Changes the source as one undo step.
    void change(const QString& words, const std::function<Result<void>(SourceSpec&)>& with, const QString& merge = {});
    const SourceFacts* facts() const; // as it is taken; null: its files are not there

    Document& document_;
    SourceId id_;
    QVBoxLayout* column_;
};

} // namespace garland
