// How the window's panes lie: sizes, one alone, some in a second window. Remembered for the machine and by
// project.
#include "app/shell/main_window.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/check/check_panel.h"
#include "app/panels/gather/gather_panel.h"
#include "app/panels/handoff/handoff_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "app/panels/vary/vary_panel.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/second_window.h"
#include "app/shell/transport.h"

#include <QCryptographicHash>
#include <QSettings>
#include <algorithm>

namespace garland {

namespace {

constexpr int narrowest_panel = 500;
constexpr int most_layouts = 60; // of projects; the one longest unused goes

QString layout_key(const QString& project) {
    return "layouts/" +
           QString::fromLatin1(QCryptographicHash::hash(project.toUtf8(), QCryptographicHash::Sha1).toHex().left(20));
}

} // namespace

// What can lie in the second window, and what it is called in the settings and in titles.
std::vector<MainWindow::Movable> MainWindow::movable() const {
    std::vector<Movable> out{{scene_view_, QStringLiteral("scene"), tr("Scene")},
                             {lanes_, QStringLiteral("lanes"), tr("Lanes")}};
    static const char* const words[] = {"gather", "retime", "loop", "arrange", "vary", "check", "hand_off"};
    for (std::size_t i = 0; i < steps_.size(); ++i)
        out.push_back({steps_[i], QString::fromLatin1(words[i]), rail_->button(static_cast<int>(i))->text()});
    return out;
}

bool MainWindow::away(const QWidget* pane) const {
    return second_ && second_->holds(pane);
}

namespace {

// Stands where a step's panel was.
QWidget* stand_in(const QString& name, const std::function<void()>& back) {
    auto* out = new PanelFrame(name, false);
    auto* words = make_label(QObject::tr("%1 is in the second window.").arg(name), "muted");
    words->setWordWrap(true);
    out->body()->addWidget(words);
    auto* button = make_button(QObject::tr("Bring it back"), QObject::tr("The panel comes back to this window"));
    QObject::connect(button, &QPushButton::clicked, out, back);
    out->body()->addWidget(button, 0, Qt::AlignLeft);
    out->body()->addStretch(1);
    return out;
}

} // namespace

// A pane leaves for the second window, beside those that are there, or comes back.
void MainWindow::set_away(QWidget* pane, bool go) {
    if (go == away(pane)) return;
    const auto all = movable();
    const auto about = std::find_if(all.begin(), all.end(), [&](const Movable& m) { return m.pane == pane; });
    const auto step = std::find(steps_.begin(), steps_.end(), pane);
    const int at = static_cast<int>(step - steps_.begin()), current = panels_->currentIndex();
    if (go) {
        if (alone(pane)) show_only(nullptr);
        if (!second_) {
            second_ = new SecondWindow(*this);
            for (const Commands::Command& c : commands_.all()) second_->addAction(c.action); // the same keys
            connect(second_, &SecondWindow::closed, this, [this] {
                for (QWidget* one : second_->panes()) set_away(one, false);
            });
        }
        second_->put(*pane, about->title, step == steps_.end());
        if (step != steps_.end()) {
            // In the main window the widest of all panels sees to it.
            pane->setMinimumWidth(std::max(narrowest_panel, pane->minimumSizeHint().width()));
            // Later, since what asks may be in the stand-in itself.
            const auto back = [this, pane] {
                QMetaObject::invokeMethod(
                    this, [this, pane] { set_away(pane, false); }, Qt::QueuedConnection);
            };
            panels_->insertWidget(at, stand_in(about->title, back));
            panels_->setCurrentIndex(current);
        }
        second_->show();
    } else {
        second_->forget(*pane);
        if (pane == scene_view_) {
            across_->insertWidget(1, pane);
            across_->setStretchFactor(1, 1);
        } else if (pane == lanes_) {
            lower_->layout()->addWidget(pane);
        } else {
            pane->setMinimumWidth(0);
            QWidget* stood = panels_->widget(at);
            panels_->removeWidget(stood);
            stood->deleteLater();
            panels_->insertWidget(at, pane);
            panels_->setCurrentIndex(current);
        }
        if (step == steps_.end()) pane->show();
        if (second_->panes().empty()) {
            second_->hide();
            second_->deleteLater();
            second_ = nullptr;
        }
    }
    show_only(nullptr);
}

void MainWindow::show_only(QWidget* pane) {
    auto docked = [this](const QWidget* w) { return !away(w); };
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
        shown += w->isVisible() && !away(w);
    return pane->isVisible() && !away(pane) && shown == 1;
}

// A pane in the second window comes to the front instead.
void MainWindow::toggle_pane(QWidget* pane) {
    show_start(false);
    if (away(pane)) {
        second_->raise();
        second_->activateWindow();
        return;
    }
    show_only(alone(pane) ? nullptr : pane);
}

QVariantMap MainWindow::layout_now() const {
    QVariantMap out{{"across", across_->saveState()}, {"down", down_->saveState()}};
    if (!second_) return out;
    QStringList names; // from left to right
    for (const QWidget* pane : second_->panes()) {
        for (const Movable& m : movable()) {
            if (m.pane == pane) names += m.word;
        }
    }
    out["second"] = names;
    out["second_window"] = second_->saveGeometry();
    out["second_widths"] = second_->widths();
    return out;
}

void MainWindow::take_layout(const QVariantMap& layout) {
    const QStringList names = layout.value("second").toStringList();
    const auto all = movable();
    for (const Movable& m : all) {
        if (!names.contains(m.word)) set_away(m.pane, false);
    }
    for (const QString& name : names) {
        for (const Movable& m : all) {
            if (m.word == name) set_away(m.pane, true);
        }
    }
    if (second_) {
        second_->restoreGeometry(layout.value("second_window").toByteArray());
        second_->set_widths(layout.value("second_widths").toByteArray());
    }
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
