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
#include "core/base/numbers.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QCloseEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QLabel>
#include <QLocale>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QSettings>
#include <QTextEdit>

namespace garland {

MainWindow::MainWindow() : document_(jobs_), autosave_(document_), viewing_(document_) {
    setAcceptDrops(true);
    setWindowIcon(QIcon(":/icons/garland.svg"));
    auto* middle = new QWidget;
    auto* row = new QHBoxLayout(middle);
    row->setContentsMargins(0, 0, 6, 6);
    row->setSpacing(2);
    rail_ = new Rail;
    row->addWidget(rail_);
    auto* column = new QVBoxLayout;
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    notices_ = new Notices;
    column->addWidget(notices_);

    panels_ = new QStackedWidget;
    gather_ = new GatherPanel(document_, viewing_);
    retime_ = new RetimePanel(document_, viewing_);
    auto* loop = new LoopPanel(document_, viewing_);
    arrange_ = new ArrangePanel(document_, viewing_);
    vary_ = new VaryPanel(document_, viewing_);
    check_ = new CheckPanel(document_, viewing_);
    handoff_ = new HandoffPanel(document_, viewing_);
    steps_ = {gather_, retime_, loop, arrange_, vary_, check_, handoff_};
    for (std::size_t i = 0; i < steps_.size(); ++i) {
        panels_->addWidget(steps_[i]);
        connect(steps_[i], &Panel::badge, rail_->button(static_cast<int>(i)), &RailButton::set_badge);
        connect(steps_[i], &Panel::go_to_step, this, &MainWindow::set_step);
    }
    scene_view_ = new SceneView(document_, viewing_);
    across_ = new QSplitter(Qt::Horizontal);
    across_->addWidget(panels_);
    across_->addWidget(scene_view_);
    across_->setStretchFactor(0, 0);
    across_->setStretchFactor(1, 1);
    across_->setChildrenCollapsible(false);
    across_->setHandleWidth(6);

    auto* lower = new QWidget;
    auto* lower_column = new QVBoxLayout(lower);
    lower_column->setContentsMargins(0, 0, 0, 0);
    lower_column->setSpacing(4);
    transport_ = new Transport(document_, viewing_, sound_player_);
    lanes_ = new LanesView(document_, viewing_);
    lower_column->addWidget(transport_);
    lower_column->addWidget(lanes_, 1);
    down_ = new QSplitter(Qt::Vertical);
    down_->addWidget(across_);
    down_->addWidget(lower);
    down_->setStretchFactor(0, 3);
    down_->setStretchFactor(1, 2);
    down_->setChildrenCollapsible(false);
    down_->setHandleWidth(6);
    column->addWidget(down_, 1);
    row->addLayout(column, 1);
    setCentralWidget(middle);
    hint_ = new QLabel(scene_view_);
    hint_->hide();

    connect(rail_, &Rail::chosen, this, &MainWindow::set_step);
    connect(&document_, &Document::problem, this, &MainWindow::show_problem);
    connect(&document_, &Document::hint, this, [this](const QString& words) {
        Error hint{ErrorCode::invalid, words.toStdString()};
        notices_->show_error(hint);
    });
    document_.set_may_discard([this] { return may_discard(); });
    connect(handoff_, &HandoffPanel::about_to_write, &autosave_, &Autosave::keep_now);
    connect(&document_, &Document::path_changed, this, &MainWindow::update_title);
    connect(&document_, &Document::changed, this, &MainWindow::update_title);
    connect(&FieldHub::instance(), &FieldHub::settled, &document_, &Document::end_merge);
    connect(&document_, &Document::opened, this, [this] {
        if (auto* dragged = dynamic_cast<Draggable*>(pressed_.data()))
            dragged->end_drag(false); // what it worked on has gone
        if (!document_.path().isEmpty()) remember_recent(document_.path());
        set_step(document_.project().sources.empty() ? 0 : 1);
    });
    connect(&document_, &Document::source_added, this, [this](SourceId id) {
        for (const Arrangement& a : document_.project().arrangements) {
            if (a.source == id) viewing_.set_arrangement(a.id);
        }
        set_step(0);
        connect(
            scene_view_, &SceneView::scene_shown, this, [this] { scene_view_->fit_all(); }, Qt::SingleShotConnection);
    });
    connect(check_, &CheckPanel::show_copy, lanes_, &LanesView::show_copy);
    connect(lanes_, &LanesView::hovered, this, [this](const QString& line) {
        lanes_->setToolTip(line);
        lanes_->setStatusTip(line);
    });
    make_menus();
    resize(1280, 800);
    restore_state();
    set_step(0);
    update_title();
    qApp->installEventFilter(this);
}

MainWindow::~MainWindow() {
    qApp->removeEventFilter(this);
    jobs_.stop(); // before what they read through goes
    // Everything that shows the document goes before it does: a field that loses the focus as it goes may still speak.
    delete takeCentralWidget();
}

void MainWindow::add_action(QMenu* menu, const QString& text, const QKeySequence& key, const QString& tip,
                            std::function<void()> run) {
    auto* action = menu->addAction(text);
    if (!key.isEmpty()) action->setShortcut(key);
    action->setToolTip(tip);
    connect(action, &QAction::triggered, this, run);
    if (!key.isEmpty())
        keys_.emplace_back(key.toString(QKeySequence::NativeText), QString(text).remove('&').remove(QChar(0x2026)));
}

namespace {
bool takes_text(const QObject* widget) {
    const auto* box = qobject_cast<const QComboBox*>(widget);
    return qobject_cast<const QLineEdit*>(widget) || qobject_cast<const QTextEdit*>(widget) ||
           qobject_cast<const QPlainTextEdit*>(widget) || (box && box->isEditable());
}
bool is_list(const QObject* widget) {
    return qobject_cast<const QComboBox*>(widget) || qobject_cast<const QAbstractItemView*>(widget);
}
} // namespace

// Single keys (Space, H, arrows) belong to the window but where text is typed; buttons answer Return.
bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    auto* widget = qobject_cast<QWidget*>(watched);
    if (!widget) return QMainWindow::eventFilter(watched, event);
    switch (event->type()) {
    case QEvent::MouseButtonPress: pressed_ = widget; break;
    case QEvent::MouseButtonRelease: pressed_ = nullptr; break;
    case QEvent::ShortcutOverride:
    case QEvent::KeyPress:
        if (widget->window() == this && filter_key(widget, static_cast<QKeyEvent*>(event))) return true;
        break;
    default: break;
    }
    return QMainWindow::eventFilter(watched, event);
}

// True: the key has been dealt with. As a shortcut override it is accepted then, so that the widget gets it as a key.
bool MainWindow::filter_key(QWidget* watched, QKeyEvent* key) {
    const bool asks = key->type() == QEvent::ShortcutOverride;
    const bool plain = !(key->modifiers() & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier));
    const bool function = key->key() >= Qt::Key_F1 && key->key() <= Qt::Key_F12;
    const bool enter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
    if (key->key() == Qt::Key_Escape && pressed_ &&
        QGuiApplication::mouseButtons() != Qt::NoButton) { // a drag is given up
        if (auto* dragged = dynamic_cast<Draggable*>(pressed_.data())) {
            if (!asks) dragged->end_drag(true);
            key->accept();
            return true;
        }
    }
    if (asks && takes_text(watched) && plain && !function) {
        key->accept();
        return true;
    }
    if (asks && is_list(watched) && plain) { // a list goes by its own arrows; letters and Space stay the window's
        for (int own : {Qt::Key_Up, Qt::Key_Down, Qt::Key_Home, Qt::Key_End, Qt::Key_PageUp, Qt::Key_PageDown,
                        Qt::Key_Return, Qt::Key_Enter}) {
            if (key->key() != own) continue;
            key->accept();
            return true;
        }
    }
    if (asks) return false;
    if (is_list(watched) && !takes_text(watched) && plain && !key->text().isEmpty() && key->text()[0].isPrint())
        return true; // no list is searched by letters
    if (auto* button = qobject_cast<QAbstractButton*>(watched); button && enter && plain) {
        if (button->isEnabled()) button->click();
        return true;
    }
    const auto* line = qobject_cast<QLineEdit*>(watched);
    if (line && plain &&
        (enter || (key->key() == Qt::Key_Escape && !line->isModified()))) { // the keyboard goes back to the view
        QMetaObject::invokeMethod(
            this,
            [this, field = QPointer<QWidget>(watched)] {
                if (field && field->hasFocus() && home()) home()->setFocus();
            },
            Qt::QueuedConnection);
    }
    return false;
}

QWidget* MainWindow::home() const {
    QWidget* own = steps_[static_cast<std::size_t>(step_)]->home();
    return own && own->isVisible() ? own : lanes_;
}

void MainWindow::commit_typed() {
    if (takes_text(focusWidget()) && home()) home()->setFocus();
}

void MainWindow::set_step(int step) {
    step_ = step;
    panels_->setCurrentIndex(step);
    rail_->set_current(step);
    steps_[static_cast<std::size_t>(step)]->entered();
    const QWidget* now = focusWidget();
    if (!now || rail_->isAncestorOf(now) || !now->isVisible()) home()->setFocus();
}

void MainWindow::open(const QString& path) {
    if (path.endsWith(".garland", Qt::CaseInsensitive))
        document_.open(path);
    else
        document_.add_source(path);
}

void MainWindow::show_problem(const Error& error) {
    for (const MissingSource& m : document_.missing()) {
        if (m.error.path == error.path && error.code == m.error.code) {
            notices_->show_error(error, tr("Go to Gather"), [this] { set_step(0); });
            return;
        }
    }
    notices_->show_error(error);
}

bool MainWindow::save() {
    commit_typed();
    if (document_.path().isEmpty()) return save_as();
    const auto saved = document_.try_save(document_.path());
    if (saved) return true;
    if (saved.error().code == ErrorCode::changed) return save_over_theirs();
    show_problem(saved.error());
    return false;
}

bool MainWindow::save_over_theirs() {
    QMessageBox box(QMessageBox::Warning, tr("Changed by another program"),
                    tr("Another program has changed “%1” since it was opened here. Saving would replace its changes.")
                        .arg(QFileInfo(document_.path()).fileName()),
                    QMessageBox::NoButton, this);
    auto* theirs = box.addButton(tr("Open theirs"), QMessageBox::DestructiveRole);
    auto* mine = box.addButton(tr("Replace with mine"), QMessageBox::DestructiveRole);
    auto* both = box.addButton(tr("Save as…"), QMessageBox::AcceptRole);
    auto* stay = box.addButton(tr("Go back"), QMessageBox::RejectRole);
    theirs->setToolTip(tr("Open the file again; what was changed here and not saved is gone"));
    mine->setToolTip(tr("Write this window's version; the other program's changes are gone"));
    both->setToolTip(tr("Keep both: this window's version under another name"));
    box.setDefaultButton(both);
    box.setEscapeButton(stay);
    box.exec();
    if (box.clickedButton() == both) return save_as();
    if (box.clickedButton() == theirs) {
        document_.open(document_.path());
        return false;
    }
    if (box.clickedButton() != mine) return false;
    const auto saved = document_.try_save(document_.path(), true);
    if (!saved) show_problem(saved.error());
    return saved.has_value();
}

void MainWindow::changeEvent(QEvent* event) {
    QMainWindow::changeEvent(event);
    if (event->type() == QEvent::ActivationChange && isActiveWindow()) look_at_disk();
}

void MainWindow::look_at_disk() {
    if (document_.path().isEmpty()) return;
    const QDateTime written = QFileInfo(document_.path()).lastModified();
    if (written == looked_at_ && !written.isNull()) return; // told already, or not written since
    looked_at_ = written;
    if (!document_.changed_on_disk()) return;
    Error error{ErrorCode::changed, "another program has changed this project, or removed it"};
    error.path = document_.path().toStdString();
    error.kept = "what is open here";
    error.advice = "open it again to see the other version; saving asks which one stays";
    notices_->show_error(error, tr("Open it again"), [this] {
        if (may_discard()) document_.open(document_.path());
    });
}

void MainWindow::offer_recovery() {
    for (const Recovery& r : Autosave::left_behind()) {
        Error error{ErrorCode::changed, tr("“%1” was not saved when Garland ended: %2 of %3 can be recovered")
                                            .arg(r.title, QString::fromStdString(counted(r.edits, "edit", "edits")),
                                                 QLocale().toString(r.when.toLocalTime(), QLocale::ShortFormat))
                                            .toStdString()};
        error.path = r.path.toStdString();
        error.kept = "the project's file as it was saved last";
        error.advice = "recover them and save, throw them away, or close this note to keep them for later";
        notices_->show_error(error, tr("Recover…"), [this, r] {
            QMessageBox box(QMessageBox::Question, tr("Unsaved changes"),
                            tr("“%1” was not saved when Garland ended. %2 can be recovered.")
                                .arg(r.title, QString::fromStdString(counted(r.edits, "edit", "edits"))),
                            QMessageBox::NoButton, this);
            auto* recover = box.addButton(tr("Recover"), QMessageBox::AcceptRole);
            auto* away = box.addButton(tr("Throw away"), QMessageBox::DestructiveRole);
            auto* later = box.addButton(tr("Later"), QMessageBox::RejectRole);
            recover->setToolTip(tr("Open the project with these edits, unsaved"));
            away->setToolTip(tr("Delete these edits for good"));
            later->setToolTip(tr("Ask again at the next start"));
            box.setDefaultButton(recover);
            box.setEscapeButton(later);
            box.exec();
            if (box.clickedButton() == away) return Autosave::forget(r);
            if (box.clickedButton() != recover || !may_discard()) return;
            document_.open_recovered(r.project, r.path);
            autosave_.keep_now();
            Autosave::forget(r);
        });
    }
}

bool MainWindow::save_as() {
    commit_typed();
    QString path = QFileDialog::getSaveFileName(
        this, tr("Save the project"), document_.path().isEmpty() ? document_.title() + ".garland" : document_.path(),
        tr("Garland projects (*.garland)"));
    if (path.isEmpty()) return false;
    if (QFileInfo(path).suffix().isEmpty()) path += ".garland";
    if (!document_.save(path)) return false;
    remember_recent(path);
    return true;
}

bool MainWindow::may_discard() {
    commit_typed();
    if (!document_.dirty()) return true;
    QMessageBox box(QMessageBox::Question, tr("Unsaved changes"),
                    tr("“%1” has changes that are not saved.").arg(document_.title()), QMessageBox::NoButton, this);
    auto* keep = box.addButton(tr("Save"), QMessageBox::AcceptRole);
    auto* drop = box.addButton(tr("Discard changes"), QMessageBox::DestructiveRole);
    auto* stay = box.addButton(tr("Go back"), QMessageBox::RejectRole);
    box.setDefaultButton(keep);
    box.setEscapeButton(stay);
    box.exec();
    if (box.clickedButton() == keep) return save();
    return box.clickedButton() == drop;
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (const auto writing = jobs_.writing(); !writing.empty()) {
        QMessageBox box(
            QMessageBox::Question, tr("Still writing"),
            tr("“%1” is not finished. What is complete stays; the rest is not written.").arg(writing.front()->title()),
            QMessageBox::NoButton, this);
        auto* quit = box.addButton(tr("Stop writing and quit"), QMessageBox::DestructiveRole);
        auto* stay = box.addButton(tr("Go back"), QMessageBox::RejectRole);
        box.setDefaultButton(stay);
        box.setEscapeButton(stay);
        box.exec();
        if (box.clickedButton() != quit) {
            event->ignore();
            return;
        }
    }
    if (!may_discard()) {
        event->ignore();
        return;
    }
    viewing_.play(false);
    QSettings settings;
    settings.setValue("geometry", saveGeometry());
    settings.setValue("across", across_->saveState());
    settings.setValue("down", down_->saveState());
    event->accept();
}

void MainWindow::restore_state() {
    QSettings settings;
    if (settings.contains("geometry")) restoreGeometry(settings.value("geometry").toByteArray());
    across_->setSizes({500, 690});
    down_->setSizes({514, 256});
    if (settings.contains("across")) across_->restoreState(settings.value("across").toByteArray());
    if (settings.contains("down")) down_->restoreState(settings.value("down").toByteArray());
    const double gb = settings.value("cache_gb", 0).toDouble();
    if (gb > 0) document_.set_cache_limit(static_cast<std::size_t>(gb * 1e9));
}

void MainWindow::update_title() {
    setWindowTitle(tr("%1%2 · Garland").arg(document_.title(), document_.dirty() ? tr(" · edited") : QString()));
}

void MainWindow::remember_recent(const QString& path) {
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    const QString full = QFileInfo(path).absoluteFilePath();
    recent.removeAll(full);
    recent.prepend(full);
    settings.setValue("recent", recent.mid(0, 10));
}

void MainWindow::show_only(QWidget* pane) {
    panels_->setVisible(!pane || pane == panels_);
    scene_view_->setVisible(!pane || pane == scene_view_);
    across_->setVisible(!pane || pane == panels_ || pane == scene_view_);
    lanes_->setVisible(!pane || pane == lanes_);
    lanes_->parentWidget()->setMaximumHeight(!pane || pane == lanes_ ? QWIDGETSIZE_MAX : transport_->height());
}

void MainWindow::toggle_pane(QWidget* pane) {
    const bool alone =
        pane->isVisible() && (panels_->isVisible() + scene_view_->isVisible() + lanes_->isVisible() == 1);
    show_only(alone ? nullptr : pane);
}

void MainWindow::set_look(int look) {
    apply_look(static_cast<Look>(look));
    QSettings().setValue("look", look);
    transport_->restyle();
    for (QWidget* w : findChildren<QWidget*>()) w->update();
    lanes_->restyle();
    scene_view_->redraw();
}

void MainWindow::show_keys() {
    QString text = QStringLiteral("<table cellpadding='3'>");
    auto row = [&](const QString& key, const QString& what) {
        text += QStringLiteral("<tr><td align='right'><b>%1</b></td><td>%2</td></tr>").arg(key.toHtmlEscaped(), what);
    };
    for (const auto& [key, what] : keys_) row(key, what);
    row("Escape", tr("Cancel a drag; leave a field"));
    row("Return", tr("Press the button that has the keyboard; enter a number and go back to the view"));
    row("Up, Down", tr("In the Lanes and the plan: from copy to copy; with Shift they add"));
    row("Ctrl+arrows", tr("In the Scene: turn; with Shift slide; + and − come nearer and go back"));
    row("Delete", tr("Remove the selected keys of the time map; in the Lanes, the nudges of the selected copies"));
    row("Alt+arrows", tr("Move the selected keys of the time map"));
    row("Shift+drag", tr("Select keys of the time map by a box; Ctrl adds"));
    row("Ctrl+C, Ctrl+X, Ctrl+V", tr("Copy, cut and paste keys, with the time map in focus"));
    row("Return, Backspace, Escape", tr("While a path is drawn in the Scene: end it, remove the last point, give up"));
    text += "</table>";
    QMessageBox box(QMessageBox::NoIcon, tr("Keys"), text, QMessageBox::Close, this);
    box.exec();
}

void MainWindow::show_about() {
    QMessageBox::about(
        this, tr("About Garland"),
        tr("<h3>Garland</h3><p>Retimes baked motion and strings it over copies, each with its own time.</p>"
           "<p>Free software under the GNU General Public License, version 3 or later. "
           "Typeface: Open Sans, Apache License 2.0.</p>"));
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList projects, sources;
    for (const QUrl& url : event->mimeData()->urls()) {
        const QString path = url.toLocalFile();
        if (path.isEmpty()) continue;
        (path.endsWith(".garland", Qt::CaseInsensitive) ? projects : sources) << path;
    }
    event->acceptProposedAction();
    if (!projects.isEmpty()) {
        if (may_discard()) document_.open(projects.front());
        return;
    }
    // Many files of one series are one source.
    QSet<QString> seen;
    for (const QString& path : sources) {
        QString stem = QFileInfo(path).completeBaseName();
        while (!stem.isEmpty() && stem.back().isDigit()) stem.chop(1);
        const QString id = QFileInfo(path).path() + '/' + stem;
        if (seen.contains(id)) continue;
        seen.insert(id);
        document_.add_source(path);
    }
}

} // namespace garland
