// Files for tests, in a folder that goes away.
#pragma once

#include "core/base/result.h"

#include <QDir>
#include <QFile>
#include <QTemporaryDir>
#include <string>

namespace garland::testing {

class Folder {
  public:
    std::string operator/(const std::string& name) const {
        return dir_.filePath(QString::fromStdString(name)).toStdString();
    }
    std::string path() const { return dir_.path().toStdString(); }
    void write(const std::string& name, const std::string& text) const {
        QFile file(QString::fromStdString(*this / name));
        if (!file.open(QIODevice::WriteOnly)) qFatal("cannot write %s", name.c_str());
        file.write(text.data(), static_cast<qint64>(text.size()));
    }
    std::string read(const std::string& name) const {
        QFile file(QString::fromStdString(*this / name));
        if (!file.open(QIODevice::ReadOnly)) return "(not there)";
        return file.readAll().toStdString();
    }
    QStringList names() const { return QDir(dir_.path()).entryList(QDir::Files | QDir::Hidden, QDir::Name); }

  private:
    QTemporaryDir dir_;
};

inline QString said(const Error& error) {
    return QString::fromStdString(describe(error));
}

} // namespace garland::testing
