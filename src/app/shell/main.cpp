#include "app/shell/log.h"
#include "app/shell/main_window.h"
#include "app/theme/tokens.h"
#include "core/base/memory.h"
#include "io/files/standard_streams.h"

#include <QApplication>
#include <cstdio>
#include <string_view>

int main(int argc, char** argv) {
    using namespace garland;
    keep_standard_streams();
    for (int i = 1; i < argc; ++i) { // answered without a display
        const std::string_view word = argv[i];
        if (word == "--version") {
            std::printf("garland %s\n", GARLAND_VERSION);
            return 0;
        }
        if (word == "--help" || word == "-h") {
            std::printf("Garland retimes baked motion and strings it over copies, each with its own time.\n\n"
                        "usage: garland [PROJECT.garland | FILE ...]\n\n"
                        "A project is opened; any other files are gathered as sources.\n"
                        "  --help      print this and end\n  --version   print the version and end\n\n"
                        "Without a window: garland-cli --help\n");
            return 0;
        }
    }
    keep_freed_memory();
    QApplication app(argc, argv);
    QApplication::setOrganizationName("Garland");
    QApplication::setApplicationName("Garland");
    QApplication::setApplicationVersion(GARLAND_VERSION);
    QGuiApplication::setDesktopFileName("org.garland.Garland");
    load_fonts();
    start_log();
    const Preferences preferences = Preferences::load();
    set_text_points(preferences.text_points);
    apply_look(preferences.look());
    MainWindow window;
    window.show();
    window.offer_recovery();
    const QStringList arguments = QApplication::arguments();
    for (int i = 1; i < arguments.size(); ++i) window.open(arguments[i]);
    return QApplication::exec();
}
