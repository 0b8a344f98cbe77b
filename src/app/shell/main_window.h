// The window: rail, panel, Scene, transport, Lanes, menus.
#pragma once

#include "app/document/autosave.h"
#include "app/document/sound_player.h"
#include "app/shell/commands.h"
#include "app/shell/notices.h"
#include "app/shell/preferences.h"
#include "app/shell/rail.h"

#include <QDateTime>
#include <QMainWindow>
#include <QPointer>
#include <QSplitter>
#include <QStackedWidget>
#include <QVariantMap>

namespace garland {

class ArrangePanel;
class Panel;
class CheckPanel;
class GatherPanel;
class HandoffPanel;
class LanesView;
class SecondWindow;
class Speaking;
class FindDialog;
class GuideWindow;
class RetimePanel;
class SceneView;
class StartPage;
class Transport;
class VaryPanel;

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    MainWindow();
    ~MainWindow() override;

    void open(const QString& path); // a project, or a file of a source
    void set_step(int step);        // 0 … 6
    int step() const { return step_; }
    void set_theme(Theme theme);               // remembered
    void take_preferences(const Preferences&); // as they are now; not saved
    void open_sample(const std::string& name);
    void show_start(bool on); // the page of an empty window instead of the panes
    bool start_shown() const;

    void offer_recovery(); // what earlier programs left unsaved
    Document& document() { return document_; }
    Autosave& autosave() { return autosave_; }
    Viewing& viewing() { return viewing_; }
    const SoundPlayer& sound_player() const { return sound_player_; }
    SceneView& scene_view() { return *scene_view_; }
    LanesView& lanes() { return *lanes_; }
    GatherPanel& gather() { return *gather_; }
    RetimePanel& retime() { return *retime_; }
    ArrangePanel& arrange() { return *arrange_; }
    VaryPanel& vary() { return *vary_; }
    CheckPanel& check() { return *check_; }
    HandoffPanel& handoff() { return *handoff_; }
    Rail& rail() { return *rail_; }
    Notices& notices() { return *notices_; }
    Commands& commands() { return commands_; }
    StartPage& start_page() { return *start_; }

  protected:
    void changeEvent(QEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void make_panes();
    void make_menus();
    void make_file_menu(QMenu& menu);
    void make_edit_menu(QMenu& menu);
    void make_retime_menu(QMenu& menu);
    void make_copy_menu(QMenu& menu);
    void paste_part(); // what is copied, into the project
    void make_camera_menu(QMenu& menu);
    void make_play_menu(QMenu& menu);
    void make_view_menu(QMenu& menu);
    void make_help_menu(QMenu& menu);
    void add_undo(QMenu& menu);
    void add_panes(QMenu& menu);
    void add_samples(QMenu& menu);
    void connect_document();
    void choose_project();
    void choose_recovery(const Recovery& recovery);
    void add_pictures(QMenu& menu);
    void save_drawing();
    void save_picture(QWidget& view, const QString& title, const QString& name);
    void commit_typed();   // takes what is typed in a field and not yet entered
    QWidget* home() const; // the view of the step, which has the keyboard when no field has it
    bool filter_key(QWidget* watched, QKeyEvent* key);
    bool may_discard(); // asks about unsaved changes
    bool save();
    bool save_as();
    bool save_over_theirs(); // another program has changed the file: asks which version stays
    void look_at_disk();     // says so where it is noticed
    void update_title();
    void show_only(QWidget* pane); // null: all panes
    void toggle_pane(QWidget* pane);
    bool alone(const QWidget* pane) const;
    struct Movable {
        QWidget* pane;
        QString word, title;
    };
    std::vector<Movable> movable() const;
    bool away(const QWidget* pane) const; // in the second window
    void set_away(QWidget* pane, bool go);
    QVariantMap layout_now() const;
    void take_layout(const QVariantMap& layout);
    void keep_layout();
    void change_layout();
    void show_find(const QString& words);
    void run_by_name();
    void show_history();
    void show_jobs();
    void show_preferences();
    void show_keys();
    void show_guide();
    void show_log();
    void show_licences();
    void show_about();
    void show_trace();
    QWidget* with_context_menu(QWidget* widget) const; // the view that a widget is, or is the canvas of; or null
    bool filter_context(QWidget* watched, QEvent* event);
    void show_context_menu(QWidget& view, QPoint at);
    void tell_end_of_work(Job* job);
    void show_problem(const Error& error);
    void restore_state();

    Commands commands_;
    Jobs jobs_;
    Document document_;
    Autosave autosave_;
    Viewing viewing_;
    SoundPlayer sound_player_{document_, viewing_};
    int step_ = 0;
    Rail* rail_;
    QStackedWidget* panels_;
    std::vector<Panel*> steps_;
    GatherPanel* gather_;
    RetimePanel* retime_;
    ArrangePanel* arrange_;
    VaryPanel* vary_;
    CheckPanel* check_;
    HandoffPanel* handoff_;
    SceneView* scene_view_;
    LanesView* lanes_;
    Transport* transport_;
    Notices* notices_;
    QSplitter *across_, *down_;
    QWidget* lower_;                 // transport and Lanes
    SecondWindow* second_ = nullptr; // while some pane is in it
    QString layout_of_;              // the project whose layout this is; empty: of none
    QMenu* recent_menu_ = nullptr;
    QStackedWidget* pages_; // the panes, or what an empty window shows
    StartPage* start_;
    Speaking* speaking_;
    QPointer<FindDialog> find_;
    QPointer<QDialog> jobs_window_;
    QPointer<GuideWindow> guide_;
    QLabel* hint_;
    QPointF right_press_;       // where the right button went down, on the screen
    QPointer<QWidget> pressed_; // where the button of the pointer went down
    QDateTime looked_at_;       // when the project's file was last looked at, by its own time
};

} // namespace garland
