// Runs the built command line as people do.
#pragma once

#include "support/case.h"
#include "support/patience.h"

#include <QProcess>
#include <nlohmann/json.hpp>

namespace garland::testing {

struct Answer {
    int code;
    QString out, err;
    nlohmann::json json() const { return nlohmann::json::parse(out.toStdString(), nullptr, false); }
};

inline QString q(const std::string& s) {
    return QString::fromStdString(s);
}

inline Answer run(const QStringList& arguments) {
    QProcess process;
    process.start(GARLAND_CLI, arguments);
    if (!process.waitForFinished(patience * 120000)) return {-1, {}, "did not finish"};
    return {process.exitCode(), QString::fromUtf8(process.readAllStandardOutput()),
            QString::fromUtf8(process.readAllStandardError())};
}

} // namespace garland::testing
