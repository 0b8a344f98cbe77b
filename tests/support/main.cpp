#include "support/case.h"

#include <QDir>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <memory>
#include <vector>

#ifdef GARLAND_TEST_WINDOW
#include "app/theme/tokens.h"
#include "support/kills.h"
#include <QApplication>
#include <QSettings>
#endif

namespace garland::testing {

static std::vector<MakeCase>& cases() {
    static std::vector<MakeCase> all;
    return all;
}
bool add_case(MakeCase make) {
    cases().push_back(make);
    return true;
}

} // namespace garland::testing

// A home of the tests' own, empty at first: nothing of the user's is read or changed, and no machine differs by it.
static void take_own_home(const QString& home) {
    const QByteArray screen = qgetenv("HOME") + "/.Xauthority"; // what opens the display stays where it is
    if (!qEnvironmentVariableIsSet("XAUTHORITY") && QFile::exists(screen)) qputenv("XAUTHORITY", screen);
    qputenv("HOME", home.toUtf8());
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"}) qunsetenv(name);
}

int main(int argc, char** argv) {
    const bool killed_later = argc == 3 && QByteArray(argv[1]) == "--edit-until-killed"; // in the home of its parent
    const QTemporaryDir home;
    if (!home.isValid()) qFatal("no folder for the tests can be made in %s", qPrintable(QDir::tempPath()));
    if (!killed_later) take_own_home(home.path());
    QStandardPaths::setTestModeEnabled(true);
#ifdef GARLAND_TEST_WINDOW
    QApplication app(argc, argv);
    QApplication::setOrganizationName("GarlandTests");
    QApplication::setApplicationName("GarlandTests");
    QSettings().clear();
    garland::load_fonts();
    garland::apply_look(garland::Look::night);
    if (killed_later) return garland::testing::edit_until_killed(QCoreApplication::arguments()[2]);
#else
    QCoreApplication app(argc, argv);
#endif
    int failed = 0, found = 0;
    QStringList arguments = QCoreApplication::arguments();
    QByteArray only; // "--case WaterTest": this one alone
    if (const qsizetype at = arguments.indexOf("--case"); at >= 0 && at + 1 < arguments.size()) {
        only = arguments[at + 1].toLatin1();
        arguments.remove(at, 2);
    }
    arguments << "-nocrashhandler"; // a crash ends the program at once instead of waiting for a debugger
    for (auto make : garland::testing::cases()) {
        std::unique_ptr<QObject> one(make());
        const QByteArray name = one->metaObject()->className();
        if (!only.isEmpty() && name != only && !name.endsWith("::" + only)) continue;
#ifdef GARLAND_TEST_WINDOW
        QSettings().clear(); // what a window remembers of one case, its size too, is none of the next one's
#endif
        failed += QTest::qExec(one.get(), arguments);
        ++found;
    }
    if (found == 0) {
        qCritical("no case is called %s", only.constData());
        return 2;
    }
    return failed ? 1 : 0;
}
