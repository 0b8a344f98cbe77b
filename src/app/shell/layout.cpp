// How the window's panes lie: sizes, one alone, some in windows of their own. Remembered for the machine and by
// project.
#include "app/shell/main_window.h"

#include "app/lanes/lanes_view.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/pane_window.h"
#include "app/shell/transport.h"

#include <QCryptographicHash>
#include <QSettings>

namespace garland {

namespace {

constexpr int most_layouts = 60; // of projects; the one longest unused goes

QString layout_key(const QString& project) {
    return "layouts/" +
           QString::fromLatin1(QCryptographicHash::hash(project.toUtf8(), QCryptographicHash::Sha1).toHex().left(20));
}

} // namespace

PaneWindow* MainWindow::window_of(const QWidget* pane) const {
    for (PaneWindow* w : findChildren<PaneWindow*>(QString(), Qt::FindDirectChildrenOnly)) {
        if (&w->pane() == pane && !w->property("going").toBool()) return w;
    }
    return nullptr;
}

// A pane leaves for a window of its own, or comes back.
void MainWindow::set_own_window(QWidget* pane, bool own, const QByteArray& geometry) {
    PaneWindow* window = window_of(pane);
    if (own == (window != nullptr)) return;
    if (own) {
        if (alone(pane)) show_only(nullptr);
        const QString title = pane == scene_view_ ? tr("Scene · Garland") : tr("Lanes · Garland");
        window = new PaneWindow(*pane, title, *this);
        for (const Commands::Command& c : commands_.all()) window->addAction(c.action); // the same keys
        connect(window, &PaneWindow::closed, this, [this, pane] { set_own_window(pane, false); });
        if (!geometry.isEmpty()) window->restoreGeometry(geometry);
        window->show();
    } else {
        window->setProperty("going", true);
        if (pane == scene_view_) {
            across_->insertWidget(1, pane);
            across_->setStretchFactor(1, 1);
        } else {
            lower_->layout()->addWidget(pane);
        }
        pane->show();
        window->hide();
        window->deleteLater();
    }
    show_only(nullptr);
}

void MainWindow::show_only(QWidget* pane) {
    auto docked = [this](const QWidget* w) { return window_of(w) == nullptr; };
    panels_->setVisible(!pane || pane == panels_);
    if (docked(scene_view_)) scene_view_->setVisible(!pane || pane == scene_view_);
    across_->setVisible(!pane || pane == panels_ || pane == scene_view_);
    if (docked(lanes_)) lanes_->setVisible(!pane || pane == lanes_);
    const bool room = docked(lanes_) && (!pane || pane == lanes_);
    lower_->setMaximumHeight(room ? QWIDGETSIZE_MAX : transport_->sizeHint().height());
}

bool MainWindow::alone(const QWidget* pane) const {
    int shown = 0;
    for (const QWidget* w : {static_cast<const QWidget*>(panels_), static_cast<const QWidget*>(scene_view_),
                             static_cast<const QWidget*>(lanes_)})
        shown += w->isVisible() && !window_of(w);
    return pane->isVisible() && !window_of(pane) && shown == 1;
}

// A pane that has a window of its own comes to the front instead.
void MainWindow::toggle_pane(QWidget* pane) {
    show_start(false);
    if (PaneWindow* window = window_of(pane)) {
        window->raise();
        window->activateWindow();
        return;
    }
    show_only(alone(pane) ? nullptr : pane);
}

QVariantMap MainWindow::layout_now() const {
    QVariantMap out{{"across", across_->saveState()}, {"down", down_->saveState()}};
    if (const PaneWindow* w = window_of(scene_view_)) out["scene_window"] = w->saveGeometry();
    if (const PaneWindow* w = window_of(lanes_)) out["lanes_window"] = w->saveGeometry();
    return out;
}

void MainWindow::take_layout(const QVariantMap& layout) {
    for (const auto& [pane, name] : {std::pair<QWidget*, const char*>{scene_view_, "scene_window"},
                                     std::pair<QWidget*, const char*>{lanes_, "lanes_window"}})
        set_own_window(pane, layout.contains(name), layout.value(name).toByteArray());
    if (layout.contains("across")) across_->restoreState(layout.value("across").toByteArray());
    if (layout.contains("down")) down_->restoreState(layout.value("down").toByteArray());
}

void MainWindow::keep_layout() {
    QSettings settings;
    settings.setValue("layout", layout_now());
    if (layout_of_.isEmpty()) return;
    const QString key = layout_key(layout_of_);
    QStringList order = settings.value("layouts/order").toStringList();
    order.removeAll(key);
    order.prepend(key);
    while (order.size() > most_layouts) settings.remove(order.takeLast());
    settings.setValue("layouts/order", order);
    settings.setValue(key, layout_now());
}

// The project that is open now: as it was left. One that was never open here keeps what is there.
void MainWindow::change_layout() {
    const QString path = document_.path();
    if (path == layout_of_) return;
    if (!layout_of_.isEmpty()) keep_layout();
    layout_of_ = path;
    const QVariant kept = QSettings().value(layout_key(path));
    if (!path.isEmpty() && kept.isValid()) take_layout(kept.toMap());
}

} // namespace garland
