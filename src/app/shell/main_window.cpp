#include "app/shell/main_window.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/arrange/plan_view.h"
#include "app/panels/check/check_panel.h"
#include "app/panels/gather/gather_panel.h"
#include "app/panels/handoff/handoff_panel.h"
#include "app/panels/loop/loop_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "app/panels/vary/vary_panel.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/log.h"
#include "app/shell/second_window.h"
#include "app/shell/speaking.h"
#include "app/shell/start_page.h"
#include "app/shell/transport.h"
#include "app/theme/desktop_scheme.h"
#include "app/theme/tokens.h"
#include "core/base/numbers.h"
#include "io/files/series.h"

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
#include <set>

namespace garland {

MainWindow::MainWindow() : document_(jobs_), autosave_(document_), viewing_(document_) {
    setAcceptDrops(true);
    setWindowIcon(QIcon(":/icons/garland.svg"));
    make_panes();
    connect_document();
    speaking_ = new Speaking(document_, viewing_,
                             {lanes_, scene_view_, &retime_->map(), arrange_->findChild<PlanView*>()}, this);
    connect(&retime_->map(), &TimeMapView::readout, speaking_, &Speaking::say_key);
    make_menus();
    resize(1280, 800);
    restore_state();
    set_step(0);
    show_start(true);
    update_title();
    qApp->installEventFilter(this);
}

// The rail, the notices, the panel beside the Scene, and below them the transport and the Lanes.
void MainWindow::make_panes() {
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
    auto splitter = [](Qt::Orientation way, std::pair<QWidget*, int> first, std::pair<QWidget*, int> second) {
        auto* out = new QSplitter(way);
        for (const auto& [widget, stretch] : {first, second}) {
            out->addWidget(widget);
            out->setStretchFactor(out->count() - 1, stretch);
        }
        out->setChildrenCollapsible(false);
        out->setHandleWidth(6);
        return out;
    };
    across_ = splitter(Qt::Horizontal, {panels_, 0}, {scene_view_, 1});
    lower_ = new QWidget;
    auto* lower_column = new QVBoxLayout(lower_);
    lower_column->setContentsMargins(0, 0, 0, 0);
    lower_column->setSpacing(4);
    transport_ = new Transport(document_, viewing_, sound_player_);
    connect(transport_, &Transport::jobs_asked, this, &MainWindow::show_jobs);
    lanes_ = new LanesView(document_, viewing_);
    lower_column->addWidget(transport_);
    lower_column->addWidget(lanes_, 1);
    down_ = splitter(Qt::Vertical, {across_, 3}, {lower_, 2});
    pages_ = new QStackedWidget;
    pages_->addWidget(down_);
    start_ = new StartPage;
    pages_->addWidget(start_);
    column->addWidget(pages_, 1);
    row->addLayout(column, 1);
    setCentralWidget(middle);
    hint_ = new QLabel(scene_view_);
    hint_->hide();
}

void MainWindow::connect_document() {
    connect(rail_, &Rail::chosen, this, &MainWindow::set_step);
    connect(&document_, &Document::problem, this, &MainWindow::show_problem);
    connect(&document_, &Document::hint, this, [this](const QString& words) {
        Error hint{ErrorCode::invalid, words.toStdString()};
        notices_->show_error(hint);
    });
    document_.set_may_discard([this] { return may_discard(); });
    connect(handoff_, &HandoffPanel::sized, check_, &CheckPanel::set_space);
    connect(handoff_, &HandoffPanel::about_to_write, &autosave_, &Autosave::keep_now);
    connect(&document_, &Document::path_changed, this, &MainWindow::update_title);
    connect(&document_, &Document::changed, this, &MainWindow::update_title);
    connect(&FieldHub::instance(), &FieldHub::settled, &document_, &Document::end_merge);
    connect(&document_, &Document::opened, this, [this] {
        if (auto* dragged = dynamic_cast<Draggable*>(pressed_.data()))
            dragged->end_drag(false); // what it worked on has gone
        if (!document_.path().isEmpty()) remember_recent_project(document_.path());
        change_layout();
        const bool empty = document_.project().sources.empty();
        set_step(empty ? 0 : 1);
        if (empty && document_.path().isEmpty()) show_start(true);
    });
    connect(&document_.library(), &SourceLibrary::added, this, [this](SourceId id) {
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
    connect(&jobs_, &Jobs::started, this, [this](Job* job) {
        show_start(false); // its progress is in the transport
        tell_end_of_work(job);
    });
    connect(&DesktopScheme::instance(), &DesktopScheme::changed, this, [this] {
        const Preferences p = Preferences::load();
        if (p.theme == Theme::as_desktop) take_preferences(p);
    });
    connect(start_, &StartPage::sample, this, [this](const QString& name) { open_sample(name.toStdString()); });
    connect(start_, &StartPage::open, &document_, &Document::open);
    connect(start_, &StartPage::choose_project, this, &MainWindow::choose_project);
    connect(start_, &StartPage::choose_files, gather_, &GatherPanel::choose_files);
    connect(start_, &StartPage::start_empty, this, [this] { set_step(0); });
}

bool MainWindow::start_shown() const {
    return pages_->currentWidget() == start_;
}

void MainWindow::show_start(bool on) {
    if (on && !Preferences::load().start_page) return;
    if (on == start_shown()) return;
    if (on) start_->refresh();
    pages_->setCurrentWidget(on ? static_cast<QWidget*>(start_) : down_);
}

MainWindow::~MainWindow() {
    qApp->removeEventFilter(this);
    jobs_.stop(); // before what they read through goes
    // Everything that shows the document goes before it does: a field that loses the focus as it goes may still speak.
    delete second_;
    second_ = nullptr;
    delete takeCentralWidget();
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
    if (filter_context(widget, event)) return true;
    switch (event->type()) {
    case QEvent::MouseButtonPress: pressed_ = widget; break;
    case QEvent::MouseButtonRelease: pressed_ = nullptr; break;
    case QEvent::QueryWhatsThis: // whatever has a tip can say what it is
        if (widget->whatsThis().isEmpty() && !widget->toolTip().isEmpty()) widget->setWhatsThis(widget->toolTip());
        break;
    case QEvent::ShortcutOverride:
    case QEvent::KeyPress:
        if ((widget->window() == this || widget->window() == second_) &&
            filter_key(widget, static_cast<QKeyEvent*>(event)))
            return true;
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
    if (asks && plain && watched->objectName() == "segment") { // arrows go from one to the next, as in any group
        for (int own : {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down}) {
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
    show_start(false);
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
        document_.library().add(path);
}

void MainWindow::show_problem(const Error& error) {
    log_line(QString::fromStdString("problem: " + describe(error)));
    for (const MissingSource& m : document_.library().missing()) {
        if (m.error.path == error.path && error.code == m.error.code) {
            notices_->show_error(error, tr("Go to Gather"), [this] { set_step(0); });
            return;
        }
    }
    notices_->show_error(error);
}

void MainWindow::changeEvent(QEvent* event) {
    QMainWindow::changeEvent(event);
    if (event->type() == QEvent::ActivationChange && isActiveWindow()) look_at_disk();
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
    if (!document_.path().isEmpty()) keep_recent_picture(document_.path(), scene_view_->picture());
    QSettings settings;
    settings.setValue("geometry", saveGeometry());
    keep_layout();
    if (second_) second_->hide();
    event->accept();
}

void MainWindow::restore_state() {
    QSettings settings;
    if (settings.contains("geometry")) restoreGeometry(settings.value("geometry").toByteArray());
    across_->setSizes({500, 690});
    down_->setSizes({514, 256});
    take_layout(settings.value("layout").toMap());
    const Preferences p = Preferences::load();
    if (p.cache_gb > 0) document_.library().set_cache_limit(static_cast<std::size_t>(p.cache_gb * 1e9));
    document_.set_undo_steps(p.undo_steps);
    document_.set_rate_of_new(p.rate);
    if (p.rate != Rate{}) document_.start_new();
    autosave_.set_seconds(p.autosave_seconds);
    sound_player_.set_device(p.sound_device);
}

void MainWindow::update_title() {
    setWindowTitle(tr("%1%2 · Garland").arg(document_.title(), document_.dirty() ? tr(" · edited") : QString()));
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
    std::set<std::string> seen;
    for (const QString& path : sources) {
        if (seen.insert(series_key(path.toStdString())).second) document_.library().add(path);
    }
}

} // namespace garland
