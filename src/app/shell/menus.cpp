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
#include "app/shell/transport.h"
#include "app/theme/tokens.h"
#include "demo/canal.h"
#include "demo/dusk.h"
#include "demo/festival.h"
#include "demo/quay.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QStandardPaths>

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
        add_action(&menu, sample.words, {}, sample.tip, [this, name = std::string(sample.name)] {
            if (may_discard()) open_sample(name);
        });
    }
}

void MainWindow::open_sample(const std::string& name) {
    const QString folder =
        QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/samples/" + QString::fromStdString(name);
    const QString path = folder + "/" + QString::fromStdString(name) + ".garland";
    if (QFile::exists(path)) return document_.open(path);
    QDir().mkpath(folder);
    const auto job = jobs_.start<std::string>(
        this, tr("Making the sample"),
        [name, into = folder.toStdString()](Progress& p) -> Result<std::string> {
            if (name == "quay") return write_quay(into, p);
            if (name == "canal") return write_canal(into, false, p);
            if (name == "dusk") return write_dusk(into, false, p);
            return write_demo(into, p);
        },
        [this](Result<std::string> made) {
            if (made) return document_.open(QString::fromStdString(*made));
            if (made.error().code != ErrorCode::cancelled) emit document_.problem(made.error());
        });
    job->set_writes(true);
}

void MainWindow::make_menus() {
    QMenu* file = menuBar()->addMenu(tr("&File"));
    add_action(file, tr("&New"), QKeySequence::New, tr("Start an empty project"), [this] {
        if (may_discard()) document_.start_new();
    });
    add_action(file, tr("&Open…"), QKeySequence::Open, tr("Open a project"), [this] {
        if (!may_discard()) return;
        const QString path = QFileDialog::getOpenFileName(this, tr("Open a project"), {},
                                                          tr("Garland projects (*.garland);;All files (*)"));
        if (!path.isEmpty()) document_.open(path);
    });
    recent_menu_ = file->addMenu(tr("Open &recent"));
    connect(recent_menu_, &QMenu::aboutToShow, this, [this] {
        recent_menu_->clear();
        const QStringList recent = QSettings().value("recent").toStringList();
        for (const QString& path : recent) {
            recent_menu_->addAction(path, this, [this, path] {
                if (may_discard()) document_.open(path);
            });
        }
        if (recent.isEmpty()) recent_menu_->addAction(tr("Nothing opened yet"))->setEnabled(false);
    });
    add_samples(*file->addMenu(tr("Sam&ples")));
    add_action(file, tr("&Gather a cache…"), QKeySequence("Ctrl+G"), tr("Add a source from files"), [this] {
        set_step(0);
        gather_->choose_files();
    });
    file->addSeparator();
    add_action(file, tr("&Save"), QKeySequence::Save, tr("Save the project"), [this] { save(); });
    add_action(file, tr("Save &as…"), QKeySequence("Ctrl+Shift+S"), tr("Save the project under another name"),
               [this] { save_as(); });
    add_pictures(*file->addMenu(tr("&Pictures")));
    file->addSeparator();
    add_action(file, tr("&Write out"), QKeySequence("Ctrl+Return"), tr("Write the result"), [this] {
        set_step(6);
        handoff_->write();
    });
    file->addSeparator();
    add_action(file, tr("&Quit"), QKeySequence::Quit, tr("Close Garland"), [this] { close(); });

    QMenu* edit = menuBar()->addMenu(tr("&Edit"));
    // What is typed and not yet entered is a step of its own, and the first to be undone.
    QUndoStack& history = document_.undo();
    QAction* undo = edit->addAction(tr("&Undo"), this, [this] {
        commit_typed();
        document_.undo().undo();
    });
    QAction* redo = edit->addAction(tr("&Redo"), this, [this] {
        commit_typed();
        document_.undo().redo();
    });
    undo->setShortcut(QKeySequence::Undo);
    redo->setShortcuts({QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")});
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
    keys_.emplace_back("Ctrl+Z", tr("Undo"));
    keys_.emplace_back("Ctrl+Shift+Z", tr("Redo"));
    edit->addSeparator();
    auto in_retime = [this](const QString& what) {
        if (step_ == 1) return true;
        emit document_.hint(tr("%1 works in the Retime step (Alt+2)").arg(what));
        return false;
    };
    add_action(edit, tr("&Hold here"), QKeySequence("H"), tr("Hold the pose at the playhead"), [this, in_retime] {
        if (in_retime(tr("Hold here"))) retime_->hold_here();
    });
    add_action(edit, tr("Re&verse"), QKeySequence("V"), tr("Play the selected stretch, or the timing, backward"),
               [this, in_retime] {
                   if (in_retime(tr("Reverse"))) retime_->reverse_all();
               });
    // The others open with their numbers, and the map shows what they would do.
    QMenu* retime = edit->addMenu(tr("&Retime"));
    auto operation = [&](const QString& text, const char* key, const QString& tip, OperationKind kind) {
        add_action(retime, text, QKeySequence(key), tip, [this, kind] {
            set_step(1);
            retime_->choose(kind);
        });
    };
    operation(tr("&Hold for…"), "Shift+H", tr("Hold the pose at the playhead, pushing the rest or keeping the end"),
              OperationKind::hold);
    operation(tr("&Freeze from here on…"), "Shift+F", tr("Hold the pose at the playhead from there on"),
              OperationKind::freeze);
    operation(tr("&Reverse a range…"), "Shift+V", tr("Play a stretch backward"), OperationKind::reverse);
    operation(tr("F&it to frames…"), "F", tr("Play source frames onto output frames at one speed"), OperationKind::fit);
    operation(tr("S&peed…"), "Shift+S", tr("Play so many times as fast"), OperationKind::speed);
    operation(tr("Slow &between…"), "B", tr("Another speed between two output frames, with ramps"),
              OperationKind::slow);
    operation(tr("R&amp…"), "R", tr("From full speed evenly to another one"), OperationKind::ramp);
    operation(tr("&Start here…"), "Shift+B", tr("Hold the first pose until the playhead, then play"),
              OperationKind::start);
    operation(tr("&Lengthen to the source's end…"), "", tr("Go on at the end until the source's last frame is shown"),
              OperationKind::lengthen);
    operation(tr("Hi&de a range…"), "", tr("Show nothing at some output frames"), OperationKind::hide);
    operation(tr("&Trim…"), "Shift+T", tr("Keep only some output frames"), OperationKind::trim);
    retime->addSeparator();
    add_action(
        retime, tr("Position or sp&eed"), QKeySequence("P"), tr("Show the time map's positions or its speeds"), [this] {
            set_step(1);
            retime_->map().set_view(retime_->map().view() == MapView::position ? MapView::speed : MapView::position);
        });
    add_action(retime, tr("&Mark here"), QKeySequence("M"), tr("Set a marker at the playhead"), [this] {
        const OutputFrame at = viewing_.frame();
        document_.edit(tr("Marker at output frame %1").arg(at.value), [&](Project& p) -> Result<void> {
            auto& all = p.settings.markers;
            all.push_back({at, "mark " + std::to_string(all.size() + 1)});
            std::stable_sort(all.begin(), all.end(), [](const Marker& a, const Marker& b) { return a.at < b.at; });
            return {};
        });
    });
    QMenu* camera = edit->addMenu(tr("&Camera"));
    add_action(camera, tr("&Key this view"), QKeySequence("Shift+C"),
               tr("Set a camera key at the playhead from the Scene's view"), [this] { scene_view_->key_view(); });
    add_action(camera, tr("&Look through the camera"), QKeySequence("Ctrl+Shift+C"),
               tr("Let the Scene follow the camera's keys, or not"),
               [this] { viewing_.look_through_camera(!viewing_.through_camera()); });
    add_action(camera, tr("&Turn, dolly, arc…"), {}, tr("Set the camera's moves in numbers"), [this] {
        set_step(1);
        retime_->show_panel(4);
    });
    add_action(edit, tr("&Nudge later"), QKeySequence("N"), tr("The selected copies one frame later"),
               [this] { lanes_->nudge(1); });
    add_action(edit, tr("Nudge &ahead"), QKeySequence("Shift+N"), tr("The selected copies one frame ahead"),
               [this] { lanes_->nudge(-1); });
    edit->addSeparator();
    add_action(edit, tr("Select all &copies"), QKeySequence::SelectAll, tr("Select every copy"), [this] {
        std::set<std::int64_t> all;
        for (std::int64_t i = 0; i < document_.show()->copies(); ++i) all.insert(all.end(), i);
        viewing_.select(std::move(all));
    });
    add_action(edit, tr("Deselect &all"), QKeySequence("Ctrl+Shift+A"), tr("Deselect all copies"),
               [this] { viewing_.select({}); });

    QMenu* play = menuBar()->addMenu(tr("&Play"));
    auto go = [this](double by) { viewing_.set_frame(std::round(viewing_.frame().value + by)); };
    add_action(play, tr("Play across the &seam"), QKeySequence("Shift+Space"),
               tr("Play the frames around the current copy's seam over and over"),
               [this] { viewing_.playing_part() ? viewing_.play(false) : viewing_.play_across_wrap(); });
    add_action(play, tr("&Play or stop"), QKeySequence("Space"), tr("Play the output range"),
               [this] { viewing_.play(!viewing_.playing()); });
    add_action(play, tr("Play &backward"), QKeySequence("J"), tr("Play backward; again: faster"),
               [this] { viewing_.shuttle(-1); });
    add_action(play, tr("&Stop"), QKeySequence("K"), tr("Stop playing"), [this] { viewing_.play(false); });
    add_action(play, tr("Play f&orward"), QKeySequence("L"), tr("Play forward; again: faster"),
               [this] { viewing_.shuttle(1); });
    add_action(play, tr("&Next frame"), QKeySequence("Right"), tr("One frame on"), [go] { go(1); });
    add_action(play, tr("P&revious frame"), QKeySequence("Left"), tr("One frame back"), [go] { go(-1); });
    add_action(play, tr("Ten frames on"), QKeySequence("Shift+Right"), tr("Ten frames on"), [go] { go(10); });
    add_action(play, tr("Ten frames back"), QKeySequence("Shift+Left"), tr("Ten frames back"), [go] { go(-10); });
    add_action(play, tr("&First frame"), QKeySequence("Home"), tr("To the range's first frame"),
               [this] { viewing_.set_frame(static_cast<double>(document_.project().settings.range.first)); });
    add_action(play, tr("&Last frame"), QKeySequence("End"), tr("To the range's last frame"),
               [this] { viewing_.set_frame(static_cast<double>(document_.project().settings.range.last)); });
    add_action(play, tr("Previous &key"), QKeySequence("PgUp"), tr("To the time map's previous key"),
               [this] { retime_->step_key(-1); });
    add_action(play, tr("Next k&ey"), QKeySequence("PgDown"), tr("To the time map's next key"),
               [this] { retime_->step_key(1); });

    QMenu* view = menuBar()->addMenu(tr("&View"));
    const QString words[] = {tr("Gather"), tr("Retime"), tr("Loop"),    tr("Arrange"),
                             tr("Vary"),   tr("Check"),  tr("Hand off")};
    for (int i = 0; i < step_count; ++i) {
        add_action(view, words[i], QKeySequence(QStringLiteral("Alt+%1").arg(i + 1)), tr("Go to this step"),
                   [this, i] { set_step(i); });
    }
    view->addSeparator();
    add_action(view, tr("Next &colouring"), QKeySequence("C"), tr("Look, source frame, delay, speed, twins"),
               [this] { viewing_.set_colour(static_cast<ColourMode>((static_cast<int>(viewing_.colour()) + 1) % 5)); });
    add_action(
        view, tr("&Trace the copy"), QKeySequence("T"), tr("Every stage from output frame to source frame"), [this] {
            auto t = trace(*document_.show(), viewing_.current_copy(), viewing_.frame());
            if (!t) return show_problem(t.error());
            QString text = QStringLiteral("<h3>%1</h3><table cellpadding='4'>")
                               .arg(QString::fromStdString(t->line).toHtmlEscaped());
            for (const TraceStage& s : t->stages) {
                QString numbers;
                for (const auto& [name, value] : s.numbers) {
                    numbers += QStringLiteral("%1 %2   ")
                                   .arg(QString::fromStdString(name).replace('_', ' '))
                                   .arg(value, 0, 'g', 10);
                }
                text +=
                    QStringLiteral("<tr><td><b>%1</b></td><td>%2</td><td>%3</td></tr>")
                        .arg(QString::fromStdString(s.name), QString::fromStdString(s.words).toHtmlEscaped(), numbers);
            }
            QMessageBox box(QMessageBox::NoIcon, tr("Trace"), text + "</table>", QMessageBox::Close, this);
            box.exec();
        });
    add_action(view, tr("&Fit all in the Scene"), QKeySequence("Ctrl+0"), tr("Show all copies"),
               [this] { scene_view_->fit_all(); });
    add_action(view, tr("&Second pose"), QKeySequence("O"),
               tr("Lay this frame's poses over others: go to another frame and compare"), [this] {
                   viewing_.set_second_pose(viewing_.second_pose() ? std::nullopt : std::optional(viewing_.frame()));
               });
    add_action(view, tr("&Keep this camera in the project"), {}, tr("Opening the project will start with this view"),
               [this] {
                   const Camera camera = scene_view_->orbit().camera;
                   document_.edit(tr("Keep the camera"), [&](Project& p) -> Result<void> {
                       p.settings.camera = camera;
                       return {};
                   });
               });
    add_action(view, tr("Show the &whole time map"), {}, tr("Undo zooming in the time map"),
               [this] { retime_->map().show_all(); });
    view->addSeparator();
    add_action(view, tr("&Panel alone"), QKeySequence("F9"), tr("The panel takes the window, and back"),
               [this] { toggle_pane(panels_); });
    add_action(view, tr("&Scene alone"), QKeySequence("F8"), tr("The Scene takes the window, and back"),
               [this] { toggle_pane(scene_view_); });
    add_action(view, tr("F&ull screen"), QKeySequence("F11"), tr("The window takes the screen, and back"),
               [this] { setWindowState(windowState() ^ Qt::WindowFullScreen); });
    add_action(view, tr("&Lanes alone"), QKeySequence("F12"), tr("The Lanes takes the window, and back"),
               [this] { toggle_pane(lanes_); });
    view->addSeparator();
    add_action(view, tr("&Dark (Night canal)"), {}, tr("The dark theme"), [this] { set_look(0); });
    add_action(view, tr("&Light (Paper)"), {}, tr("The light theme"), [this] { set_look(1); });
    add_action(view, tr("&Pose cache…"), {}, tr("How much memory poses may take"), [this] {
        bool ok = false;
        const double now = static_cast<double>(document_.cache().use().limit) / 1e9;
        const double gb = QInputDialog::getDouble(this, tr("Memory for poses"), tr("Keep poses up to this many GB:"),
                                                  now, 0.1, 1000, 1, &ok);
        if (!ok) return;
        document_.set_cache_limit(static_cast<std::size_t>(gb * 1e9));
        QSettings().setValue("cache_gb", gb);
    });

    QMenu* help = menuBar()->addMenu(tr("&Help"));
    add_action(help, tr("&Keyboard shortcuts"), QKeySequence::HelpContents, tr("All keyboard shortcuts"),
               [this] { show_keys(); });
    add_action(help, tr("&About Garland"), {}, tr("What this is"), [this] { show_about(); });
}

// Single keys (Space, H, arrows) belong to the window only where no field is being typed in.
} // namespace garland
