// The Arrange step: where the copies stand, what they show, when they begin.
#pragma once

#include "app/panels/common/fields.h"
#include "app/panels/common/panel.h"

namespace garland {

class PlanView;
class WobbleCard;

class ArrangePanel : public Panel {
    Q_OBJECT
  public:
    ArrangePanel(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    QWidget* home() override;

  private:
    using A = Arrangement;
    void refresh();
    void edit_arrangement(const QString& words, const std::function<void(A&)>& change, const QString& merge = {});
    void set_kind(ArrangementKind kind);
    void add_arrangement();
    void path_from_file();
    void single_out_picked();
    void single_out_part(const QString& part);
    std::vector<CopyId> picked() const; // of the shown arrangement

    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    // The cards, one after another; in place_card.cpp and copies_cards.cpp.
    void add_place_card(QVBoxLayout* column);
    void add_counts(QVBoxLayout* column);
    void add_spacings(QVBoxLayout* column);
    void add_path_row(QVBoxLayout* column);
    void add_carrier_row(QVBoxLayout* column);
    void add_swag_row(QVBoxLayout* column);
    void add_middle_row(QVBoxLayout* column);
    void add_facing_card(QVBoxLayout* column);
    void add_facing_row(QVBoxLayout* column);
    void add_target_row(QVBoxLayout* column);
    void add_order_rows(QVBoxLayout* column);
    void add_differences_card(QVBoxLayout* column);
    void add_sources_card(QVBoxLayout* column);
    void add_start_card(QVBoxLayout* column);
    void add_single_card(QVBoxLayout* column);
    void add_keys_card(QVBoxLayout* column);
    std::pair<QPushButton*, QPushButton*> place_key_buttons();
    QComboBox* toward_next_key();
    void show_sources(const A& a);
    void show_single(const A& a);

    QComboBox* which_;
    Segments* kind_;
    Fields<A> fields_;
    WobbleCard* wobble_;
    PlanView* plan_;
    QWidget* form_;
    QVBoxLayout* cards_;
    std::vector<QWidget*> own_; // what a single-out takes from the other arrangement, and cannot change
    QLabel *empty_, *trouble_;
    QComboBox *source_, *timing_, *carrier_, *carrier_timing_, *part_, *more_sources_;
    QVBoxLayout* variants_;
    QLabel *root_words_, *hidden_words_, *single_words_;
    QPushButton *hide_, *show_all_, *single_out_, *root_switch_;
    NumberField* target_[3];
};

} // namespace garland
