// The program's own notes, in the user's state folder: what it was told, what went wrong, how it ended.
#pragma once

#include <QString>
#include <QStringList>

namespace garland {

// Everything that Qt and the program say goes there from now on, besides standard error; a file above a megabyte is
// moved aside first. A crash leaves a text beside it, with where in the program it happened; nothing is sent anywhere.
void start_log();
void log_line(const QString& line); // one line, with the time; any thread
QString log_file();                 // $XDG_STATE_HOME/garland/garland.log, or below ~/.local/state

// Texts that crashes have left, the newest first.
QStringList crash_texts();

} // namespace garland
