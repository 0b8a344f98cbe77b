#include "app/document/autosave.h"

#include "io/files/json_part.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <csignal>
#include <unistd.h>

namespace garland {

QString Autosave::folder() {
    const QString state = qEnvironmentVariable("XDG_STATE_HOME");
    return (state.startsWith('/') ? state : QDir::homePath() + "/.local/state") + "/garland/unsaved";
}

Autosave::Autosave(Document& document, int seconds, QObject* parent) : QObject(parent), document_(document) {
    static int count = 0; // windows of one program
    file_ = folder() + QString("/%1-%2.json").arg(::getpid()).arg(++count);
    timer_.setSingleShot(true);
    timer_.setInterval(seconds * 1000);
    connect(&timer_, &QTimer::timeout, this, &Autosave::keep_now);
    connect(&document_, &Document::changed, this, &Autosave::changed);
    connect(&document_, &Document::path_changed, this, &Autosave::changed);
    connect(&document_, &Document::opened, this, &Autosave::changed);
}

Autosave::~Autosave() {
    QFile::remove(file_);
}

void Autosave::changed() {
    if (!document_.dirty()) { // saved, or another project
        timer_.stop();
        saved_ = kept_ = document_.edits();
        QFile::remove(file_);
        return;
    }
    if (!timer_.isActive()) timer_.start(); // not begun anew by every edit: at most so much is ever lost
}

void Autosave::keep_now() {
    timer_.stop();
    if (!document_.dirty()) return;
    QDir().mkpath(folder());
    QFile::setPermissions(folder(), QFileDevice::ReadOwner | QFileDevice::WriteOwner | QFileDevice::ExeOwner);
    const Json copy{{"garland_unsaved", 1},
                    {"path", document_.path().isEmpty() ? std::string()
                                                        : QFileInfo(document_.path()).absoluteFilePath().toStdString()},
                    {"title", document_.title().toStdString()},
                    {"when", QDateTime::currentDateTimeUtc().toString(Qt::ISODate).toStdString()},
                    {"edits", static_cast<std::int64_t>(document_.edits() - saved_)},
                    {"project", project_text(document_.project())}};
    // Trouble here is not worth a word: the next edit tries again, and saving says what is wrong.
    if (write_file(file_.toStdString(), copy.dump(1), Existing::replace)) kept_ = document_.edits();
}

std::vector<Recovery> Autosave::left_behind() {
    std::vector<Recovery> out;
    for (const QFileInfo& info : QDir(folder()).entryInfoList({"*.json"}, QDir::Files, QDir::Time)) {
        const auto process = info.baseName().section('-', 0, 0).toLongLong();
        if (process == ::getpid() || process <= 0 || ::kill(static_cast<pid_t>(process), 0) == 0)
            continue; // it still runs
        std::vector<char> bytes;
        const std::string path = info.filePath().toStdString();
        if (!read_file(path, bytes, std::uint64_t(1) << 30)) continue;
        const auto json = read_json({bytes.data(), bytes.size()}, path);
        if (!json || !json->is_object() || !json->contains("project") || !(*json)["project"].is_string()) continue;
        auto project = parse_project((*json)["project"].get<std::string>(), path);
        if (!project) continue;
        auto text = [&](const char* key) {
            return json->contains(key) && (*json)[key].is_string()
                       ? QString::fromStdString((*json)[key].get<std::string>())
                       : QString();
        };
        Recovery r{info.filePath(),    text("path"), text("title"), QDateTime::fromString(text("when"), Qt::ISODate), 0,
                   std::move(*project)};
        if (json->contains("edits") && (*json)["edits"].is_number_integer()) r.edits = (*json)["edits"].get<int>();
        out.push_back(std::move(r));
    }
    return out;
}

void Autosave::forget(const Recovery& recovery) {
    QFile::remove(recovery.file);
}

} // namespace garland
