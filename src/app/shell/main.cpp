#include "app/shell/main_window.h"
#include "app/theme/tokens.h"
#include "core/base/memory.h"

#include <QApplication>
#include <QSettings>

int main(int argc, char** argv) {
    using namespace garland;
    keep_freed_memory();
    QApplication app(argc, argv);
    QApplication::setOrganizationName("Garland");
    QApplication::setApplicationName("Garland");
    QApplication::setApplicationVersion(GARLAND_VERSION);
    QGuiApplication::setDesktopFileName("org.garland.Garland");
    load_fonts();
    const int look = QSettings().value("look", static_cast<int>(system_look())).toInt();
    apply_look(look == 1 ? Look::paper : Look::night);
    MainWindow window;
    window.show();
    const QStringList arguments = QApplication::arguments();
    for (int i = 1; i < arguments.size(); ++i) window.open(arguments[i]);
    return QApplication::exec();
}
