// Independent readers in JavaScript, where node and their packages are there (tests/node; ./check installs them).
#pragma once

#include "support/patience.h"

#include <QDir>
#include <QFile>
#include <QJsonDocument>
#include <QProcess>

namespace garland::testing {

inline bool node_is_there() {
    if (!QFile::exists(QString(GARLAND_NODE_CHECKS) + "/node_modules/gltf-validator")) return false;
    QProcess node;
    node.start("node", {"--version"});
    return node.waitForFinished(patience * 20000) && node.exitCode() == 0;
}

// What a script of tests/node prints, as JSON; null when it fails, with its complaint in `error`.
inline QJsonDocument run_node(const QString& script, const QStringList& arguments, QString* error) {
    QProcess node;
    node.setWorkingDirectory(GARLAND_NODE_CHECKS);
    node.start("node", QStringList{script} + arguments);
    if (!node.waitForFinished(patience * 120000)) node.kill();
    *error = QString::fromUtf8(node.readAllStandardError());
    return QJsonDocument::fromJson(node.readAllStandardOutput());
}

#define GARLAND_NEEDS_NODE()                                                                                           \
    if (!garland::testing::node_is_there())                                                                            \
    QSKIP("node or its packages are not here: the independent JavaScript readers did not look (./check installs "      \
          "them)")

} // namespace garland::testing
