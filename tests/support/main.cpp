#include "support/case.h"

#include <memory>
#include <vector>

#ifdef GARLAND_TEST_WINDOW
#include "app/theme/tokens.h"
#include "support/kills.h"
#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
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

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
#ifdef GARLAND_TEST_WINDOW
    QApplication app(argc, argv);
    QApplication::setOrganizationName("GarlandTests");
    QApplication::setApplicationName("GarlandTests");
    QSettings().clear();
    garland::load_fonts();
    garland::apply_look(garland::Look::night);
    const QStringList given = QCoreApplication::arguments();
    if (given.size() == 3 && given[1] == "--edit-until-killed") return garland::testing::edit_until_killed(given[2]);
#else
    QCoreApplication app(argc, argv);
#endif
    int failed = 0;
    QStringList arguments = QCoreApplication::arguments();
    QByteArray only; // "--case WaterTest": this one alone
    if (const qsizetype at = arguments.indexOf("--case"); at >= 0 && at + 1 < arguments.size()) {
        only = arguments[at + 1].toLatin1();
        arguments.remove(at, 2);
    }
    arguments << "-nocrashhandler"; // a crash ends the program at once instead of waiting for a debugger
    for (auto make : garland::testing::cases()) {
        std::unique_ptr<QObject> one(make());
        if (!only.isEmpty() && !QByteArray(one->metaObject()->className()).endsWith(only)) continue;
        failed += QTest::qExec(one.get(), arguments);
    }
    return failed ? 1 : 0;
}
