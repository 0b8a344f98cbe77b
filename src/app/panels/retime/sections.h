// The parts of the Retime step below the map: what one does with the keys, phrases, ends, beats, camera and shared
// timings.
#pragma once

#include "app/panels/retime/time_map_view.h"
#include "core/time/operations.h"

#include <QCheckBox>
#include <QListWidget>

namespace garland {

// A panel that shows and edits the current timing.
class RetimeSection : public QWidget {
    Q_OBJECT
  public:
    RetimeSection(Document& document, Viewing& viewing, TimeMapView& map);
    virtual void refresh() = 0; // the project, the picked copy or keys, or the frame changed

  protected:
    const Timing* timing() const;
    bool edit_timing(const QString& words, const std::function<Result<void>(Timing&)>& change,
                     const QString& merge = {});
    bool edit_project(const QString& words, const std::function<Result<void>(Project&)>& change,
                      const QString& merge = {});
    NumberField* number(Quantity quantity, double low, double high, int decimals, const QString& name,
                        const QString& tip, int width = 64);
    QVBoxLayout* rows(QWidget* of); // one under the other, without margins
    void take_units();              // from the project: frame rate and tempo
    Document& document_;
    Viewing& viewing_;
    TimeMapView& map_;
    std::vector<NumberField*> numbers_;
};

// The operations: one is chosen, its numbers are set, the map shows what it would do, and it is applied.
class OperationsSection : public RetimeSection {
    Q_OBJECT
  public:
    OperationsSection(Document& document, Viewing& viewing, TimeMapView& map);
    void refresh() override;
    void choose(std::optional<OperationKind> kind);
    void run_hold();    // at the playhead, at once
    void run_reverse(); // the picked stretch or all of it, at once
    bool apply();       // the chosen one
    void focus_first(); // puts the keyboard into its first number
    std::optional<OperationKind> chosen() const { return chosen_; }

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void make_fields();
    Operation order(OperationKind kind) const;
    bool run(const Operation& operation);
    void lay_out();
    void preview();
    void take_picked_range();
    std::optional<OperationKind> chosen_;
    std::vector<std::pair<OperationKind, QPushButton*>> buttons_;
    QWidget* row_;
    NumberField *at_, *frames_, *from_, *to_, *source_from_, *source_to_, *speed_, *end_speed_, *ramps_;
    QCheckBox *absorb_, *whole_;
    std::map<QWidget*, QLabel*> labels_;
    QPushButton* apply_;
    QLabel* words_;
    double factor_ = 1;
};

class KeysSection : public RetimeSection {
    Q_OBJECT
  public:
    KeysSection(Document& document, Viewing& viewing, TimeMapView& map);
    void refresh() override;

  private:
    void make_key_row(QVBoxLayout* column);
    void make_scale_row(QVBoxLayout* column);
    void make_phrases_row(QVBoxLayout* column);
    void move_picked_keys();
    void set_picked_values();
    void set_toward(Toward toward);
    void set_slopes();
    void scale_picked();
    void convert(bool speeds); // phrases into keys
    PickedKeys shown_keys_;
    QWidget *keys_, *phrases_;
    NumberField *frame_, *value_, *leave_, *arrive_, *time_factor_, *value_factor_;
    QLabel *value_label_, *leave_label_, *arrive_label_, *conversion_;
    QComboBox* toward_;
    QPushButton *remove_, *copy_, *paste_, *scale_;
    QCheckBox *snap_frames_, *snap_beats_;
};

class PhrasesSection : public RetimeSection {
    Q_OBJECT
  public:
    PhrasesSection(Document& document, Viewing& viewing, TimeMapView& map);
    void refresh() override;
    QListWidget& list() { return *list_; }

  private:
    void make_list(QVBoxLayout* column);
    void make_fields(QVBoxLayout* column);
    void make_buttons(QVBoxLayout* column);
    void make_them();
    void insert(const QString& words, const std::function<Phrase(const Phrase&)>& make);
    void remove_chosen();
    void stretch_to_beat();
    int row() const { return list_->currentRow(); }
    std::vector<int> chosen() const; // rows, rising; the current one where none is selected
    // Of all selected phrases.
    void change(const QString& words, const std::function<void(Phrase&)>& change, const QString& merge);
    void fill_fields();
    void reordered();
    QWidget* form_;
    QLabel *empty_, *total_;
    QListWidget* list_;
    QPushButton *make_, *add_, *add_hold_, *copy_, *remove_, *beat_;
    NumberField *first_, *last_, *passes_, *speed_, *fade_, *start_;
    QComboBox* direction_;
    bool filling_ = false;
};

class OutsideSection : public RetimeSection {
    Q_OBJECT
  public:
    OutsideSection(Document& document, Viewing& viewing, TimeMapView& map);
    void refresh() override;

  private:
    void add_side(QGridLayout* grid, bool is_before);
    void add_slider_row(QGridLayout* grid);
    QComboBox *before_, *after_;
    NumberField *before_count_, *after_count_;
    QCheckBox *last_is_first_, *turn_twice_;
    QPushButton *add_slider_, *drop_slider_;
    QLabel* period_;
};

class BeatsSection : public RetimeSection {
    Q_OBJECT
  public:
    BeatsSection(Document& document, Viewing& viewing, TimeMapView& map);
    void refresh() override;

  private:
    void add_tempo(QVBoxLayout* column);
    void add_markers(QVBoxLayout* column);
    QCheckBox* on_;
    NumberField *bpm_, *offset_, *bar_;
    QLabel* words_;
    QLineEdit* name_;
    QListWidget* list_;
};

class CameraSection : public RetimeSection {
    Q_OBJECT
  public:
    CameraSection(Document& document, Viewing& viewing, TimeMapView& map);
    void refresh() override;

  private:
    void make_key_row(QVBoxLayout* column);
    void make_move_row(QVBoxLayout* column);
    void export_camera();
    void key_view();
    void remove_key();
    void apply_move();
    QCheckBox* through_;
    QListWidget* list_;
    QComboBox *toward_, *move_toward_;
    NumberField *from_, *to_, *turn_, *rise_, *dolly_;
    QPushButton *remove_, *clear_;
};

class TimingsSection : public RetimeSection {
    Q_OBJECT
  public:
    TimingsSection(Document& document, Viewing& viewing, TimeMapView& map);
    void refresh() override;
    void import_curve(const QString& path);
    void export_curve(const QString& path);

  private:
    TimingId listed() const;
    void add_buttons(QVBoxLayout* column); // what is done with the selected one
    void add_files(QVBoxLayout* column);
    QListWidget* list_;
    QLineEdit* name_;
    QPushButton *use_, *separate_, *remove_;
};

} // namespace garland
