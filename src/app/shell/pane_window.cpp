#include "app/shell/pane_window.h"

#include <QCloseEvent>
#include <QVBoxLayout>

namespace garland {

PaneWindow::PaneWindow(QWidget& pane, const QString& title, QWidget& owner) : QWidget(&owner, Qt::Window), pane_(pane) {
    setWindowTitle(title);
    setWindowIcon(owner.windowIcon());
    setAccessibleName(title);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(4, 4, 4, 4);
    column->addWidget(&pane);
    pane.show();
    resize(pane.size().expandedTo({640, 400}));
}

void PaneWindow::closeEvent(QCloseEvent* event) {
    event->accept();
    emit closed();
}

} // namespace garland
