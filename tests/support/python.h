// Independent writers in Python (tests/python), where Debian's python3 and its packages are there; ./check installs
// them.
#pragma once

#include "support/patience.h"

#include <QFile>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>

namespace garland::testing {

inline bool python_has(const char* modules) {
    QProcess python;
    python.start("/usr/bin/python3", {"-c", QString("import %1").arg(modules)});
    return python.waitForFinished(patience * 60000) && python.exitStatus() == QProcess::NormalExit &&
           python.exitCode() == 0;
}

// What a script prints, as JSON; null when it fails, with its complaint in `error`.
inline QJsonObject run_python(const QString& script, const QStringList& arguments, QString* error) {
    QProcess python;
    python.start("/usr/bin/python3", QStringList{QString(GARLAND_PYTHON_CHECKS) + "/" + script} + arguments);
    if (!python.waitForFinished(patience * 300000)) python.kill();
    *error = QString::fromUtf8(python.readAllStandardError());
    return QJsonDocument::fromJson(python.readAllStandardOutput()).object();
}

#define GARLAND_NEEDS_PYTHON(modules)                                                                                  \
    if (!garland::testing::python_has(modules))                                                                        \
    QSKIP("python3 or its packages are not here: the independent writers did not write (./check installs them)")

} // namespace garland::testing
