// The Loop step: where a source nearly repeats, how that is closed, and what is left of the gap.
#pragma once

#include "app/panels/common/fields.h"
#include "app/panels/common/panel.h"
#include "app/panels/loop/match_view.h"
#include "core/project/looping.h"

#include <QPointer>

namespace garland {

class CurveEdit;
class FoundLoops;

class LoopPanel : public Panel {
    Q_OBJECT
  public:
    LoopPanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    QWidget* home() override { return match_; }
    void entered() override;

    MatchView& match() { return *match_; }
    const std::vector<LoopCandidate>& candidates() const { return found_; }
    const Closing& draft() const { return draft_; }
    bool exact() const { return exact_; } // the picture is the last one: of all points that fit
    const std::optional<Seam>& seam() const { return seam_; }
    void choose(std::int64_t start, std::int64_t length);
    void close_it();
    void open_again();
    const std::optional<OwnLoop>& own() const { return own_; } // of a source that loops as it is
    void repeat_it();

  private:
    void add_matches();
    void add_wishes(QVBoxLayout* side);
    void add_own_line();
    void make_closing_card();
    void make_range_row(QVBoxLayout* column);
    void make_fade_row(QVBoxLayout* column);
    std::pair<QLabel*, CurveEdit*> add_curve(QHBoxLayout* row, const QString& label, const QString& tip, bool rises,
                                             KeyedCurve Closing::*keys);
    void make_drawn_row(QVBoxLayout* column);
    void add_buttons(QVBoxLayout* column);
    void add_ends(QHBoxLayout* across);
    void refresh();                       // what the document says now
    void look();                          // compares poses where they have not been compared yet
    void compare(const Sampler& sampler); // first of a few points, then of all
    void forget();                        // what was found
    void find();                          // candidates of the picture there is
    void show_found();
    void measure(); // the seam of the draft, and both ends laid over each other
    void show_seam();
    void set(const QString& words, const std::function<void(Closing&)>& change);
    const OpenSource* open() const;
    const SourceSpec* spec() const;
    std::optional<Sampler> sampler() const;
    SourceId source() const;
    void paint_ends(const PosePtr& first, const PosePtr& last);

    QComboBox* source_box_;
    MatchView* match_;
    FoundLoops* list_;
    QWidget* own_line_;
    QLabel* own_words_;
    std::optional<OwnLoop> own_;
    QLabel *looked_, *none_, *state_, *numbers_, *problem_, *ends_, *ends_words_;
    NumberField *shortest_, *longest_, *settle_;
    QCheckBox* rigid_;
    QPushButton *close_, *again_, *across_;
    std::unique_ptr<Fields<Closing>> fields_;
    Closing draft_;
    SourceId draft_for_;
    ClosingWay wanted_way_ =
        ClosingWay::end_fade; // as the user set them; a range without room before it has another one
    std::int64_t wanted_overlap_ = 12;
    std::vector<LoopCandidate> found_;
    std::shared_ptr<const FrameMatrix> matrix_;
    std::optional<Seam> seam_;
    bool exact_ = false;
    std::size_t every_ = 1; // one point in so many was compared
    // What the picture was made of.
    SourceId looked_at_;
    std::uint64_t looked_serial_ = 0;
    ImportSettings looked_settings_;
    bool looked_rigid_ = false;
    QPointer<Job> looking_, finding_, measuring_;
};

} // namespace garland
