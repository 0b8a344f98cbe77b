#include "app/shell/log.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QMutex>
#include <array>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <execinfo.h>
#include <fcntl.h>
#include <unistd.h>

namespace garland {

namespace {

QString state_folder() {
    const QString state = qEnvironmentVariable("XDG_STATE_HOME");
    return (state.startsWith('/') ? state : QDir::homePath() + "/.local/state") + "/garland";
}

QtMessageHandler usual_handler = nullptr;

void take_message(QtMsgType type, const QMessageLogContext& context, const QString& words) {
    const char* const kinds[] = {"debug", "warning", "critical", "fatal", "info"};
    log_line(QString::fromLatin1(kinds[type]) + ": " + words);
    if (usual_handler) usual_handler(type, context, words);
}

// What the handler of a crash needs is prepared before: it may not ask for memory.
std::array<char, 4096> crash_path{}, crash_head{};
std::array<char, 1 << 16> crash_stack{};

void say(int file, const char* text) {
    if (::write(file, text, std::strlen(text)) < 0) return;
}

void take_crash(int signal) {
    const int file = ::open(crash_path.data(), O_CREAT | O_WRONLY | O_TRUNC | O_CLOEXEC, 0600);
    if (file >= 0) {
        say(file, crash_head.data());
        say(file, signal == SIGSEGV   ? "ended by: memory that is not there (SIGSEGV)\n"
                  : signal == SIGABRT ? "ended by: itself (SIGABRT)\n"
                  : signal == SIGFPE  ? "ended by: a whole number divided by 0 (SIGFPE)\n"
                                      : "ended by: an instruction this processor does not know (SIGILL)\n");
        std::array<void*, 64> frames{};
        ::backtrace_symbols_fd(frames.data(), ::backtrace(frames.data(), static_cast<int>(frames.size())), file);
        ::close(file);
    }
    ::signal(signal, SIG_DFL);
    ::raise(signal);
}

void listen_to_crashes() {
    const QByteArray path = QFile::encodeName(QString("%1/crash-%2.txt").arg(state_folder()).arg(::getpid()));
    const QByteArray head = QString("Garland %1 on %2, begun %3\n")
                                .arg(QCoreApplication::applicationVersion(), QSysInfo::prettyProductName(),
                                     QDateTime::currentDateTime().toString(Qt::ISODate))
                                .toUtf8();
    std::strncpy(crash_path.data(), path.constData(), crash_path.size() - 1);
    std::strncpy(crash_head.data(), head.constData(), crash_head.size() - 1);
    std::array<void*, 1> once{};
    ::backtrace(once.data(), 1); // loads what it needs now, while that is safe
    stack_t stack{};
    stack.ss_sp = crash_stack.data();
    stack.ss_size = crash_stack.size();
    ::sigaltstack(&stack, nullptr);
    struct sigaction action {};
    action.sa_handler = take_crash;
    action.sa_flags = SA_ONSTACK | SA_RESETHAND;
    for (const int signal : {SIGSEGV, SIGABRT, SIGFPE, SIGILL}) ::sigaction(signal, &action, nullptr);
}

} // namespace

QString log_file() {
    return state_folder() + "/garland.log";
}

void log_line(const QString& line) {
    static QMutex lock;
    const QMutexLocker held(&lock);
    QFile file(log_file());
    if (!file.open(QIODevice::Append)) return;
    file.write(
        (QDateTime::currentDateTime().toString(Qt::ISODateWithMs) + ' ' + QString(line).replace('\n', ' ') + '\n')
            .toUtf8());
}

void start_log() {
    QDir().mkpath(state_folder());
    constexpr qint64 most = 1 << 20;
    if (QFileInfo(log_file()).size() > most) {
        QFile::remove(log_file() + ".1");
        QFile::rename(log_file(), log_file() + ".1");
    }
    usual_handler = qInstallMessageHandler(take_message);
    listen_to_crashes(); // before the line that says so
    log_line(QString("Garland %1 begins, process %2").arg(QCoreApplication::applicationVersion()).arg(::getpid()));
}

QStringList crash_texts() {
    QStringList out;
    for (const QFileInfo& file : QDir(state_folder()).entryInfoList({"crash-*.txt"}, QDir::Files, QDir::Time))
        out << file.filePath();
    return out;
}

} // namespace garland
