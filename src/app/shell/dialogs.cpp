// The windows that the menus open beside the main one, and what preferences do.
#include "app/lanes/lanes_view.h"
#include "app/panels/check/check_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/command_finder.h"
#include "app/shell/find_dialog.h"
#include "app/shell/guide_window.h"
#include "app/shell/jobs_panel.h"
#include "app/shell/keys_dialog.h"
#include "app/shell/log.h"
#include "app/shell/main_window.h"
#include "app/shell/preferences_dialog.h"
#include "app/shell/start_page.h"
#include "app/shell/transport.h"
#include "app/theme/desktop_scheme.h"
#include "app/theme/tokens.h"
#include "core/base/memory.h"

#include <QContextMenuEvent>
#include <QDialogButtonBox>
#include <QFile>
#include <QMessageBox>
#include <QPlainTextEdit>
#include <QSettings>
#include <QUndoView>

namespace garland {

namespace {

// A window of its own with one view in it; gone when it is closed.
QDialog* window_with(QWidget* view, const QString& title, QSize size, QWidget* parent) {
    auto* dialog = new QDialog(parent);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(title);
    auto* column = new QVBoxLayout(dialog);
    column->addWidget(view, 1);
    auto* buttons = new QDialogButtonBox;
    buttons->addButton(MainWindow::tr("Close"), QDialogButtonBox::RejectRole);
    QObject::connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::reject);
    column->addWidget(buttons);
    dialog->resize(size);
    return dialog;
}

} // namespace

void MainWindow::show_find(const QString& words) {
    if (!find_) {
        find_ = new FindDialog(
            document_, viewing_, [this]() -> const Report* { return check_->report() ? &*check_->report() : nullptr; },
            this);
        connect(find_, &FindDialog::show_copy, lanes_, &LanesView::show_copy);
    }
    find_->show();
    find_->raise();
    find_->activateWindow();
    find_->ask_for(words);
}

void MainWindow::run_by_name() {
    CommandFinder finder(commands_, this);
    if (finder.exec() == QDialog::Accepted && finder.chosen()) finder.chosen()->trigger();
}

void MainWindow::show_history() {
    commit_typed();
    auto* list = new QUndoView(&document_.undo());
    list->setAccessibleName(tr("Undo history"));
    list->setEmptyLabel(tr("As opened"));
    list->setToolTip(tr("Select a change to go back to just after it; those below it can be made again"));
    window_with(list, tr("Undo history"), {360, 440}, this)->show();
}

void MainWindow::show_jobs() {
    if (!jobs_window_) {
        jobs_window_ = window_with(new JobsPanel(jobs_), tr("Jobs"), {460, 320}, this);
        jobs_window_->setObjectName("jobsWindow");
    }
    jobs_window_->show();
    jobs_window_->raise();
    jobs_window_->activateWindow();
}

void MainWindow::show_preferences() {
    commit_typed();
    PreferencesDialog dialog(this);
    connect(&dialog, &PreferencesDialog::changed, this, &MainWindow::take_preferences);
    dialog.exec();
}

void MainWindow::set_theme(Theme theme) {
    Preferences p = Preferences::load();
    p.theme = theme;
    p.save();
    take_preferences(p);
}

void MainWindow::take_preferences(const Preferences& p) {
    set_text_points(p.text_points);
    apply_look(p.look());
    document_.library().set_cache_limit(p.cache_gb > 0 ? static_cast<std::size_t>(p.cache_gb * 1e9)
                                                       : usual_cache_bytes());
    document_.set_undo_steps(p.undo_steps);
    document_.set_rate_of_new(p.rate);
    autosave_.set_seconds(p.autosave_seconds);
    sound_player_.set_device(p.sound_device);
    transport_->restyle();
    for (QWidget* w : findChildren<QWidget*>()) w->update();
    lanes_->restyle();
    scene_view_->redraw();
    if (start_shown()) start_->refresh(); // its pictures have the theme's colours
}

void MainWindow::show_keys() {
    KeysDialog dialog(commands_, this);
    dialog.exec();
}

void MainWindow::show_guide() {
    if (!guide_) guide_ = new GuideWindow(this);
    const QString headings[] = {"Gather", "Retime", "Loop", "Arrange", "Vary", "Check", "Hand off"};
    const bool fresh = !guide_->isVisible();
    guide_->show(); // it must have its size before a place in it can be found
    if (fresh) guide_->show_heading(headings[step_]);
    guide_->raise();
    guide_->activateWindow();
}

void MainWindow::show_log() {
    QFile file(log_file());
    auto* text = new QPlainTextEdit;
    text->setAccessibleName(tr("Log"));
    text->setReadOnly(true);
    text->setLineWrapMode(QPlainTextEdit::NoWrap);
    constexpr qint64 most = 200'000;
    if (file.open(QIODevice::ReadOnly)) {
        if (file.size() > most) file.seek(file.size() - most);
        text->setPlainText(QString::fromUtf8(file.readAll()));
    }
    if (text->toPlainText().isEmpty()) text->setPlainText(tr("Nothing was noted in %1.").arg(log_file()));
    text->moveCursor(QTextCursor::End);
    window_with(text, tr("Log: %1").arg(log_file()), {760, 460}, this)->show();
}

void MainWindow::show_licences() {
    auto* page = new QTextBrowser;
    page->setAccessibleName(tr("Licences"));
    page->setSource(QUrl("qrc:/docs/licences.md"), QTextDocument::MarkdownResource);
    window_with(page, tr("Licences"), {640, 560}, this)->show();
}

void MainWindow::show_about() {
    QMessageBox::about(
        this, tr("About Garland"),
        tr("<h3>Garland %1</h3><p>Retimes baked motion and strings it over copies, each with its own time.</p>"
           "<p>Free software under the GNU General Public License, version 3 or later. "
           "Typeface: Open Sans, Apache License 2.0. What else it is made with: Help ▸ Licences.</p>")
            .arg(QCoreApplication::applicationVersion()));
}

void MainWindow::show_trace() {
    auto t = trace(*document_.show(), viewing_.current_copy(), viewing_.frame());
    if (!t) return show_problem(t.error());
    QString text =
        QStringLiteral("<h3>%1</h3><table cellpadding='4'>").arg(QString::fromStdString(t->line).toHtmlEscaped());
    for (const TraceStage& s : t->stages) {
        QString numbers;
        for (const auto& [name, value] : s.numbers) {
            numbers +=
                QStringLiteral("%1 %2   ").arg(QString::fromStdString(name).replace('_', ' ')).arg(value, 0, 'g', 10);
        }
        text += QStringLiteral("<tr><td><b>%1</b></td><td>%2</td><td>%3</td></tr>")
                    .arg(QString::fromStdString(s.name), QString::fromStdString(s.words).toHtmlEscaped(), numbers);
    }
    QMessageBox box(QMessageBox::NoIcon, tr("Trace"), text + "</table>", QMessageBox::Close, this);
    box.exec();
}

QWidget* MainWindow::with_context_menu(QWidget* widget) const {
    if (widget == lanes_ || widget == &retime_->map() || widget == scene_view_) return widget;
    return widget->inherits("garland::SceneCanvas") && widget->parentWidget() == scene_view_ ? scene_view_ : nullptr;
}

// A click of the right button opens a view's menu when it is let go, since dragging with it slides the view.
bool MainWindow::filter_context(QWidget* watched, QEvent* event) {
    constexpr double still = 4; // pixels
    const bool mouse = event->type() == QEvent::MouseButtonPress || event->type() == QEvent::MouseButtonRelease;
    if (!mouse && event->type() != QEvent::ContextMenu) return false;
    QWidget* view = with_context_menu(watched);
    if (!view) return false;
    if (event->type() == QEvent::ContextMenu) {
        auto* asked = static_cast<QContextMenuEvent*>(event);
        if (asked->reason() == QContextMenuEvent::Keyboard) show_context_menu(*view, view->rect().center());
        return true;
    }
    auto* pressed = static_cast<QMouseEvent*>(event);
    if (pressed->button() != Qt::RightButton) return false;
    if (event->type() == QEvent::MouseButtonPress) {
        right_press_ = pressed->globalPosition();
    } else if ((pressed->globalPosition() - right_press_).manhattanLength() < still) {
        const QPoint at = view->mapFromGlobal(pressed->globalPosition().toPoint());
        QMetaObject::invokeMethod(
            this,
            [this, view = QPointer<QWidget>(view), at] {
                if (view) show_context_menu(*view, at);
            },
            Qt::QueuedConnection); // the view gets its release first
    }
    return false;
}

// What can be done with what a view shows, where the pointer is.
void MainWindow::show_context_menu(QWidget& view, QPoint at) {
    const char* const in_lanes[] = {"edit.nudge_later",
                                    "edit.nudge_ahead",
                                    "",
                                    "edit.select_all",
                                    "edit.deselect",
                                    "edit.find",
                                    "",
                                    "view.trace",
                                    "play.seam",
                                    "",
                                    "view.lanes_closer",
                                    "view.lanes_all_frames",
                                    "",
                                    "picture.save_lanes",
                                    "view.lanes"};
    const char* const in_scene[] = {"view.fit",           "view.colour",        "view.second_pose", "",
                                    "camera.key",         "camera.through",     "view.keep_camera", "",
                                    "edit.select_all",    "edit.deselect",      "view.trace",       "",
                                    "picture.copy_scene", "picture.save_scene", "view.scene"};
    const char* const in_map[] = {"edit.hold",
                                  "retime.hold",
                                  "retime.freeze",
                                  "edit.reverse",
                                  "retime.speed",
                                  "retime.slow",
                                  "retime.fit",
                                  "retime.start",
                                  "",
                                  "retime.marker",
                                  "retime.view",
                                  "view.whole_map",
                                  "",
                                  "picture.save_map"};
    const std::span<const char* const> ids = &view == lanes_        ? std::span<const char* const>(in_lanes)
                                             : &view == scene_view_ ? std::span<const char* const>(in_scene)
                                                                    : std::span<const char* const>(in_map);
    QMenu menu(this);
    menu.setToolTipsVisible(true);
    for (const char* id : ids) {
        const Commands::Command* command = *id ? commands_.find(QString::fromLatin1(id)) : nullptr;
        if (command)
            menu.addAction(command->action);
        else
            menu.addSeparator();
    }
    menu.exec(view.mapToGlobal(at));
}

// Whoever works in another window is called when long work ends.
void MainWindow::tell_end_of_work(Job* job) {
    constexpr qint64 long_work = 5000;
    connect(job, &Job::finished, this, [this, job = QPointer<Job>(job)] {
        if (job && job->milliseconds() >= long_work && !isActiveWindow()) QApplication::alert(this);
    });
}

} // namespace garland
