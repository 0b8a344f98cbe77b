#include "app/shell/second_window.h"

#include <QCloseEvent>
#include <QVBoxLayout>
#include <algorithm>
#include <numeric>

namespace garland {

SecondWindow::SecondWindow(QWidget& owner) : QWidget(&owner, Qt::Window) {
    setWindowIcon(owner.windowIcon());
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(4, 4, 4, 4);
    beside_ = new QSplitter(Qt::Horizontal);
    beside_->setChildrenCollapsible(false);
    beside_->setHandleWidth(6);
    column->addWidget(beside_);
}

void SecondWindow::put(QWidget& pane, const QString& name, bool grows) {
    const int wide = std::max(pane.width(), grows ? 640 : 520), high = std::max(pane.height(), 400);
    QList<int> widths = beside_->sizes();
    const int margins = names_.empty() ? 8 : beside_->handleWidth();
    resize(std::accumulate(widths.begin(), widths.end(), wide + margins),
           std::max(names_.empty() ? 0 : height(), high));
    widths += wide;
    names_.emplace_back(&pane, name);
    beside_->addWidget(&pane);
    beside_->setStretchFactor(beside_->count() - 1, grows ? 1 : 0);
    pane.show();
    beside_->setSizes(widths);
    update_title();
}

void SecondWindow::forget(QWidget& pane) {
    std::erase_if(names_, [&](const auto& one) { return one.first == &pane; });
    update_title();
}

bool SecondWindow::holds(const QWidget* pane) const {
    return std::any_of(names_.begin(), names_.end(), [&](const auto& one) { return one.first == pane; });
}

std::vector<QWidget*> SecondWindow::panes() const {
    std::vector<QWidget*> out;
    for (int i = 0; i < beside_->count(); ++i) out.push_back(beside_->widget(i));
    return out;
}

void SecondWindow::update_title() {
    QStringList names;
    for (const auto& one : names_) names += one.second;
    setWindowTitle(tr("%1 · Garland").arg(names.join(QStringLiteral(", "))));
    setAccessibleName(windowTitle());
}

void SecondWindow::closeEvent(QCloseEvent* event) {
    event->accept();
    emit closed();
}

} // namespace garland
