// The window's menus, and the keys of their actions.
#include "app/shell/main_window.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/check/check_panel.h"
#include "app/panels/gather/gather_panel.h"
#include "app/panels/handoff/handoff_panel.h"
#include "app/panels/loop/loop_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "app/panels/vary/vary_panel.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/preferences.h"
#include "app/shell/start_page.h"
#include "app/shell/transport.h"
#include "app/theme/tokens.h"
#include "io/tables/copied_text.h"

#include <QApplication>
#include <QClipboard>
#include <QFileInfo>
#include <QLabel>
#include <QMenuBar>
#include <QWhatsThis>

namespace garland {

// Projects that come with the program: their data is made when one is opened for the first time.
void MainWindow::add_samples(QMenu& menu) {
    struct Sample {
        const char* name;
        QString words, tip;
    };
    const Sample samples[] = {{"festival", tr("&Lantern festival"), tr("Sixty paper lanterns along both quays")},
                              {"quay", tr("The &quay at night"), tr("A source of every kind")},
                              {"canal", tr("Along the &canal"), tr("Copies of every kind of arrangement")},
                              {"dusk", tr("&Dusk on the canal"), tr("Copies played by zones, a pulse and a tune")}};
    for (const Sample& sample : samples) {
        const std::string id = std::string("sample.") + sample.name;
        commands_.add(&menu, id.c_str(), sample.words, "", sample.tip, [this, name = std::string(sample.name)] {
            if (may_discard()) open_sample(name);
        });
    }
}

void MainWindow::make_menus() {
    make_file_menu(*menuBar()->addMenu(tr("&File")));
    make_edit_menu(*menuBar()->addMenu(tr("&Edit")));
    make_play_menu(*menuBar()->addMenu(tr("&Play")));
    make_view_menu(*menuBar()->addMenu(tr("&View")));
    make_help_menu(*menuBar()->addMenu(tr("&Help")));
}

void MainWindow::make_file_menu(QMenu& menu) {
    commands_.add(&menu, "file.new", tr("&New"), "Ctrl+N", tr("Start an empty project"), [this] {
        if (may_discard()) document_.start_new();
    });
    commands_.add(&menu, "file.open", tr("&Open…"), "Ctrl+O", tr("Open a project"), [this] { choose_project(); });
    recent_menu_ = menu.addMenu(tr("Open &recent"));
    connect(recent_menu_, &QMenu::aboutToShow, this, [this] {
        recent_menu_->clear();
        const QStringList recent = recent_projects();
        for (const QString& path : recent) {
            QAction* entry = recent_menu_->addAction(QString(path).replace('&', "&&"), this, [this, path] {
                if (may_discard()) document_.open(path);
            });
            entry->setEnabled(QFileInfo::exists(path));
        }
        if (recent.isEmpty()) recent_menu_->addAction(tr("Nothing opened yet"))->setEnabled(false);
    });
    add_samples(*menu.addMenu(tr("Sam&ples")));
    commands_.add(&menu, "file.gather", tr("&Gather a cache…"), "Ctrl+G", tr("Add a source from files"), [this] {
        set_step(0);
        gather_->choose_files();
    });
    menu.addSeparator();
    commands_.add(&menu, "file.save", tr("&Save"), "Ctrl+S", tr("Save the project"), [this] { save(); });
    commands_.add(&menu, "file.save_as", tr("Save &as…"), "Ctrl+Shift+S", tr("Save the project under another name"),
                  [this] { save_as(); });
    add_pictures(*menu.addMenu(tr("&Pictures")));
    menu.addSeparator();
    commands_.add(&menu, "file.write", tr("&Write out"), "Ctrl+Return", tr("Write the result"), [this] {
        set_step(6);
        handoff_->write();
    });
    menu.addSeparator();
    commands_.add(&menu, "file.quit", tr("&Quit"), "Ctrl+Q", tr("Close Garland"), [this] { close(); });
}

// What is typed and not yet entered is a step of its own, and the first to be undone.
void MainWindow::add_undo(QMenu& menu) {
    QUndoStack& history = document_.undo();
    QAction* undo = menu.addAction(tr("&Undo"), this, [this] {
        commit_typed();
        document_.undo().undo();
    });
    QAction* redo = menu.addAction(tr("&Redo"), this, [this] {
        commit_typed();
        document_.undo().redo();
    });
    commands_.add(&menu, "edit.undo", undo, tr("Undo"), {QKeySequence::Undo}, tr("Undo the last change"));
    commands_.add(&menu, "edit.redo", redo, tr("Redo"), {QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")},
                  tr("Make the change again that was undone"));
    auto name = [](QAction* action, const QString& verb) {
        return [action, verb](const QString& words) {
            action->setText(words.isEmpty() ? verb : verb + ' ' + QString(words).replace('&', "&&"));
        };
    };
    connect(&history, &QUndoStack::undoTextChanged, undo, name(undo, tr("&Undo")));
    connect(&history, &QUndoStack::redoTextChanged, redo, name(redo, tr("&Redo")));
    connect(&history, &QUndoStack::canUndoChanged, undo, &QAction::setEnabled);
    connect(&history, &QUndoStack::canRedoChanged, redo, &QAction::setEnabled);
    undo->setEnabled(history.canUndo());
    redo->setEnabled(history.canRedo());
    commands_.add(&menu, "edit.history", tr("Undo &history…"), "Ctrl+Alt+Z",
                  tr("All changes since the project was opened; select one to go back to it"),
                  [this] { show_history(); });
}

void MainWindow::make_edit_menu(QMenu& menu) {
    add_undo(menu);
    menu.addSeparator();
    commands_.add(&menu, "edit.find", tr("&Find…"), "Ctrl+F",
                  tr("Find copies by name, number or delay, findings by their words, and frames"),
                  [this] { show_find({}); });
    commands_.add(&menu, "edit.commands", tr("&Command by name…"), "Ctrl+Shift+P",
                  tr("Every command by a few letters of its name"), [this] { run_by_name(); });
    menu.addSeparator();
    auto in_retime = [this](const QString& what) {
        if (step_ == 1 || away(retime_)) return true;
        emit document_.hint(tr("%1 works in the Retime step (Alt+2)").arg(what));
        return false;
    };
    commands_.add(&menu, "edit.hold", tr("&Hold here"), "H", tr("Hold the pose at the playhead"), [this, in_retime] {
        if (in_retime(tr("Hold here"))) retime_->hold_here();
    });
    commands_.add(&menu, "edit.reverse", tr("Re&verse"), "V",
                  tr("Play the selected part of the time map, or the whole timing, backward"), [this, in_retime] {
                      if (in_retime(tr("Reverse"))) retime_->reverse_all();
                  });
    make_retime_menu(*menu.addMenu(tr("Re&time")));
    make_camera_menu(*menu.addMenu(tr("C&amera")));
    commands_.add(&menu, "edit.nudge_later", tr("&Nudge later"), "N", tr("The selected copies one frame later"),
                  [this] { lanes_->nudge(1); });
    commands_.add(&menu, "edit.nudge_ahead", tr("Nudge ah&ead"), "Shift+N", tr("The selected copies one frame ahead"),
                  [this] { lanes_->nudge(-1); });
    menu.addSeparator();
    commands_.add(&menu, "edit.select_all", tr("Se&lect all copies"), "Ctrl+A", tr("Select every copy"), [this] {
        std::set<std::int64_t> all;
        for (std::int64_t i = 0; i < document_.show()->copies(); ++i) all.insert(all.end(), i);
        viewing_.select(std::move(all));
    });
    commands_.add(&menu, "edit.deselect", tr("&Deselect all"), "Ctrl+Shift+A", tr("Deselect all copies"),
                  [this] { viewing_.select({}); });
    menu.addSeparator();
    make_copy_menu(*menu.addMenu(tr("Copy as te&xt")));
    commands_.add(&menu, "edit.paste_part", tr("Paste into the pro&ject"), "Ctrl+Shift+V",
                  tr("Take the copied arrangement, variation or zones, also from another window"),
                  [this] { paste_part(); });
    menu.addSeparator();
    commands_.add(&menu, "edit.preferences", tr("&Preferences…"), "Ctrl+,",
                  tr("Theme, memory, keeping of unsaved work, readers by command …"), [this] { show_preferences(); });
}

// Parts of the project as text, for other arrangements, other windows, and mails.
void MainWindow::make_copy_menu(QMenu& menu) {
    auto copy = [this](const std::string& text) {
        QGuiApplication::clipboard()->setText(QString::fromStdString(text));
    };
    auto of_arrangement = [this, copy](std::string (*text)(const Arrangement&)) {
        if (const Arrangement* a = document_.project().arrangement(viewing_.arrangement())) return copy(text(*a));
        emit document_.hint(tr("There is no arrangement to copy"));
    };
    commands_.add(&menu, "copy.arrangement", tr("The &arrangement"), "Ctrl+Shift+X",
                  tr("Copy where and how its copies stand and what varies them"),
                  [of_arrangement] { of_arrangement(arrangement_as_text); });
    commands_.add(&menu, "copy.variation", tr("Its &variation"), "", tr("Copy its spreads and pulses alone"),
                  [of_arrangement] { of_arrangement(variation_as_text); });
    commands_.add(&menu, "copy.zones", tr("All &zones"), "", tr("Copy the zones of the project"),
                  [this, copy] { copy(zones_as_text(document_.project().zones)); });
}

void MainWindow::paste_part() {
    auto part = part_from_text(QGuiApplication::clipboard()->text().toStdString());
    if (!part) {
        part.error().kept = "the project as it is";
        return show_problem(part.error());
    }
    QString left_out;
    document_.edit(tr("Paste"), [&](Project& p) -> Result<void> {
        GARLAND_TRY(words, put_part(p, *part, viewing_.arrangement()));
        left_out = QString::fromStdString(words);
        return {};
    });
    if (!left_out.isEmpty()) emit document_.hint(left_out);
}

// The operations open with their numbers, and the map shows what they would do.
void MainWindow::make_retime_menu(QMenu& menu) {
    auto operation = [&](const char* id, const QString& text, const char* key, const QString& tip, OperationKind kind) {
        commands_.add(&menu, id, text, key, tip, [this, kind] {
            set_step(1);
            retime_->choose(kind);
        });
    };
    operation("retime.hold", tr("&Hold for…"), "Shift+H",
              tr("Hold the pose at the playhead, pushing the rest or keeping the end"), OperationKind::hold);
    operation("retime.freeze", tr("&Freeze from here on…"), "Shift+F",
              tr("Hold the pose at the playhead from there on"), OperationKind::freeze);
    operation("retime.reverse", tr("&Reverse a range…"), "Shift+V", tr("Play some output frames backward"),
              OperationKind::reverse);
    operation("retime.fit", tr("F&it to frames…"), "F", tr("Play source frames onto output frames at one speed"),
              OperationKind::fit);
    operation("retime.speed", tr("S&peed…"), "Shift+S", tr("Multiply the speed; what follows shifts"),
              OperationKind::speed);
    operation("retime.slow", tr("Slow &between…"), "B", tr("Another speed between two output frames, with ramps"),
              OperationKind::slow);
    operation("retime.ramp", tr("R&amp…"), "R", tr("Change evenly from full speed to another speed"),
              OperationKind::ramp);
    operation("retime.start", tr("&Start here…"), "Shift+B", tr("Hold the first pose until the playhead, then play"),
              OperationKind::start);
    operation("retime.lengthen", tr("&Lengthen to the source's end…"), "",
              tr("Go on at the end until the source's last frame is shown"), OperationKind::lengthen);
    operation("retime.hide", tr("Hi&de a range…"), "", tr("Show nothing at some output frames"), OperationKind::hide);
    operation("retime.trim", tr("&Trim…"), "Shift+T", tr("Keep only some output frames"), OperationKind::trim);
    menu.addSeparator();
    commands_.add(
        &menu, "retime.view", tr("Position or sp&eed"), "P", tr("Show the time map's positions or its speeds"), [this] {
            set_step(1);
            retime_->map().set_view(retime_->map().view() == MapView::position ? MapView::speed : MapView::position);
        });
    commands_.add(&menu, "retime.marker", tr("Add &marker"), "M", tr("Set a marker at the playhead"), [this] {
        const OutputFrame at = viewing_.frame();
        document_.edit(tr("Marker at output frame %1").arg(at.value), [&](Project& p) -> Result<void> {
            auto& all = p.settings.markers;
            all.push_back({at, "mark " + std::to_string(all.size() + 1)});
            std::stable_sort(all.begin(), all.end(), [](const Marker& a, const Marker& b) { return a.at < b.at; });
            return {};
        });
    });
}

void MainWindow::make_camera_menu(QMenu& menu) {
    commands_.add(&menu, "camera.key", tr("&Key this view"), "Shift+C",
                  tr("Set a camera key at the playhead from the Scene's view"), [this] { scene_view_->key_view(); });
    QAction* through = commands_.add(&menu, "camera.through", tr("&Look through the camera"), "Ctrl+Shift+C",
                                     tr("Let the Scene follow the camera's keys"),
                                     [this] { viewing_.look_through_camera(!viewing_.through_camera()); });
    Commands::show_state(through, &menu, [this] { return viewing_.through_camera(); });
    commands_.add(&menu, "camera.move", tr("Camera &moves…"), "", tr("Set the camera's moves in numbers"), [this] {
        set_step(1);
        retime_->show_panel(4);
    });
}

void MainWindow::make_play_menu(QMenu& menu) {
    auto go = [this](double by) { viewing_.set_frame(std::round(viewing_.frame().value + by)); };
    commands_.add(&menu, "play.seam", tr("Play across the &seam"), "Shift+Space",
                  tr("Play the frames around the current copy's seam over and over"),
                  [this] { viewing_.playing_part() ? viewing_.play(false) : viewing_.play_across_wrap(); });
    commands_.add(&menu, "play.toggle", tr("&Play or stop"), "Space", tr("Play the output range"),
                  [this] { viewing_.play(!viewing_.playing()); });
    commands_.add(&menu, "play.backward", tr("Play &backward"), "J", tr("Play backward; again: faster"),
                  [this] { viewing_.shuttle(-1); });
    commands_.add(&menu, "play.stop", tr("S&top"), "K", tr("Stop playing"), [this] { viewing_.play(false); });
    commands_.add(&menu, "play.forward", tr("Play f&orward"), "L", tr("Play forward; again: faster"),
                  [this] { viewing_.shuttle(1); });
    menu.addSeparator();
    commands_.add(&menu, "play.next", tr("&Next frame"), "Right", tr("One frame on"), [go] { go(1); });
    commands_.add(&menu, "play.previous", tr("P&revious frame"), "Left", tr("One frame back"), [go] { go(-1); });
    commands_.add(&menu, "play.ten_on", tr("Ten frames on"), "Shift+Right", tr("Ten frames on"), [go] { go(10); });
    commands_.add(&menu, "play.ten_back", tr("Ten frames back"), "Shift+Left", tr("Ten frames back"),
                  [go] { go(-10); });
    commands_.add(&menu, "play.first", tr("&First frame"), "Home", tr("To the range's first frame"),
                  [this] { viewing_.set_frame(static_cast<double>(document_.project().settings.range.first)); });
    commands_.add(&menu, "play.last", tr("&Last frame"), "End", tr("To the range's last frame"),
                  [this] { viewing_.set_frame(static_cast<double>(document_.project().settings.range.last)); });
    commands_.add(&menu, "play.go_to", tr("&Go to frame…"), "Ctrl+J", tr("Type the output frame to go to"),
                  [this] { show_find(tr("frame") + ' '); });
    commands_.add(&menu, "play.previous_key", tr("Previous &key"), "PgUp", tr("To the time map's previous key"),
                  [this] { retime_->step_key(-1); });
    commands_.add(&menu, "play.next_key", tr("Next k&ey"), "PgDown", tr("To the time map's next key"),
                  [this] { retime_->step_key(1); });
}

void MainWindow::make_view_menu(QMenu& menu) {
    const QString words[] = {tr("Gather"), tr("Retime"), tr("Loop"),    tr("Arrange"),
                             tr("Vary"),   tr("Check"),  tr("Hand off")};
    const char* const ids[] = {"step.gather", "step.retime", "step.loop",    "step.arrange",
                               "step.vary",   "step.check",  "step.hand_off"};
    for (int i = 0; i < step_count; ++i) {
        QAction* step = commands_.add(&menu, ids[i], words[i], qPrintable(QStringLiteral("Alt+%1").arg(i + 1)),
                                      tr("Go to the step %1").arg(words[i]), [this, i] { set_step(i); });
        Commands::show_state(step, &menu, [this, i] { return step_ == i; });
    }
    menu.addSeparator();
    commands_.add(
        &menu, "view.colour", tr("Next &colouring"), "C", tr("Materials, source frame, delay, speed, twins"),
        [this] { viewing_.set_colour(static_cast<ColourMode>((static_cast<int>(viewing_.colour()) + 1) % 5)); });
    commands_.add(&menu, "view.trace", tr("&Trace the copy"), "T", tr("Every stage from output frame to source frame"),
                  [this] { show_trace(); });
    commands_.add(&menu, "view.jobs", tr("&Jobs…"), "Ctrl+Shift+J",
                  tr("All that is being done in the background, each with its progress, Pause and Cancel"),
                  [this] { show_jobs(); });
    commands_.add(&menu, "view.fit", tr("&Fit all in the Scene"), "Ctrl+0", tr("Show all copies"),
                  [this] { scene_view_->fit_all(); });
    QAction* second = commands_.add(
        &menu, "view.second_pose", tr("Second p&ose"), "O",
        tr("Lay this frame's poses over others: go to another frame and compare"),
        [this] { viewing_.set_second_pose(viewing_.second_pose() ? std::nullopt : std::optional(viewing_.frame())); });
    Commands::show_state(second, &menu, [this] { return viewing_.second_pose().has_value(); });
    commands_.add(&menu, "view.keep_camera", tr("&Keep this camera in the project"), "",
                  tr("Opening the project will start with this view"), [this] {
                      const Camera camera = scene_view_->orbit().camera;
                      document_.edit(tr("Keep the camera"), [&](Project& p) -> Result<void> {
                          p.settings.camera = camera;
                          return {};
                      });
                  });
    commands_.add(&menu, "view.whole_map", tr("Show the &whole time map"), "", tr("Undo zooming in the time map"),
                  [this] { retime_->map().show_all(); });
    commands_.add(&menu, "view.lanes_closer", tr("Lanes clos&er in time"), "",
                  tr("Fewer frames, drawn wider, around the playhead; + while the Lanes have the keyboard"),
                  [this] { lanes_->zoom_time_at_playhead(0.8); });
    commands_.add(&menu, "view.lanes_all_frames", tr("All f&rames in the Lanes"), "",
                  tr("The whole range again; 0 while the Lanes have the keyboard"),
                  [this] { lanes_->show_all_frames(); });
    menu.addSeparator();
    add_panes(menu);
    menu.addSeparator();
    const std::pair<const char*, QString> themes[] = {{"view.dark", tr("&Dark (Night canal)")},
                                                      {"view.light", tr("&Light (Paper)")},
                                                      {"view.as_desktop", tr("As the des&ktop")}};
    for (int i = 0; i < 3; ++i) {
        QAction* theme = commands_.add(&menu, themes[i].first, themes[i].second, "", tr("How the window looks"),
                                       [this, i] { set_theme(static_cast<Theme>(i)); });
        Commands::show_state(theme, &menu, [i] { return Preferences::load().theme == static_cast<Theme>(i); });
    }
}

void MainWindow::add_panes(QMenu& menu) {
    struct Pane {
        const char *id, *key;
        QString text, tip;
        QWidget* pane;
    };
    const Pane panes[] = {
        {"view.panel", "F9", tr("&Panel alone"), tr("The panel takes the window, and back"), panels_},
        {"view.scene", "F8", tr("&Scene alone"), tr("The Scene takes the window, and back"), scene_view_},
        {"view.lanes", "F12", tr("La&nes alone"), tr("The Lanes take the window, and back"), lanes_}};
    for (const Pane& p : panes) {
        QAction* action =
            commands_.add(&menu, p.id, p.text, p.key, p.tip, [this, pane = p.pane] { toggle_pane(pane); });
        Commands::show_state(action, &menu, [this, pane = p.pane] { return alone(pane); });
    }
    const Pane own[] = {{"view.scene_window", "Shift+F8", tr("Scene in the second &window"),
                         tr("The Scene in a second window, for a second screen, and back"), scene_view_},
                        {"view.lanes_window", "Shift+F12", tr("Lanes in the second win&dow"),
                         tr("The Lanes in a second window, for a second screen, and back"), lanes_},
                        {"view.panel_window", "Shift+F9", tr("Pan&el in the second window"),
                         tr("This step's panel in a second window, beside what is there, and back"), nullptr}};
    for (const Pane& p : own) {
        const auto which = [this, pane = p.pane]() -> QWidget* {
            return pane ? pane : static_cast<QWidget*>(steps_[static_cast<std::size_t>(step_)]);
        };
        QAction* action = commands_.add(&menu, p.id, p.text, p.key, p.tip, [this, which] {
            show_start(false);
            set_away(which(), !away(which()));
        });
        Commands::show_state(action, &menu, [this, which] { return away(which()); });
    }
    QAction* full =
        commands_.add(&menu, "view.full_screen", tr("F&ull screen"), "F11", tr("The window takes the screen, and back"),
                      [this] { setWindowState(windowState() ^ Qt::WindowFullScreen); });
    Commands::show_state(full, &menu, [this] { return isFullScreen(); });
}

void MainWindow::make_help_menu(QMenu& menu) {
    commands_.add(&menu, "help.guide", tr("&Guide"), "F1", tr("The user guide, with a search"),
                  [this] { show_guide(); });
    commands_.add(&menu, "help.keys", tr("&Keyboard shortcuts…"), "Ctrl+F1", tr("All keys; search and change them"),
                  [this] { show_keys(); });
    commands_.add(&menu, "help.what", tr("&What is this?"), "Shift+F1",
                  tr("Then click anything in the window to read what it is for"),
                  [] { QWhatsThis::enterWhatsThisMode(); });
    menu.addSeparator();
    commands_.add(&menu, "help.log", tr("Show the &log…"), "", tr("What the program noted about itself"),
                  [this] { show_log(); });
    commands_.add(&menu, "help.licences", tr("&Licences…"), "", tr("What Garland is made with, and its licences"),
                  [this] { show_licences(); });
    commands_.add(&menu, "help.about", tr("&About Garland"), "", tr("What this is"), [this] { show_about(); });
}

} // namespace garland
