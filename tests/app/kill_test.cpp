// The window killed at any moment while it is edited: the project's file stays whole, and all but the last edits are
// offered again. GARLAND_KILLS: how many trials.
#include "app/driving.h"

#include "app/document/autosave.h"
#include "io/project/project_file.h"
#include "support/kills.h"

#include <QElapsedTimer>
#include <QFile>
#include <QProcess>
#include <csignal>
#include <random>

using namespace garland;
using namespace garland::testing;

namespace {
constexpr int keeps_after = 1; // seconds, in place of thirty
}

namespace garland::testing {

// The program that is killed: a window that makes an edit every few milliseconds, notes each in a file, and saves now
// and then.
int edit_until_killed(const QString& folder) {
    MainWindow window;
    window.autosave().set_seconds(keeps_after);
    window.show();
    QSignalSpy opened(&window.document(), &Document::opened);
    window.document().open(folder + "/edited.garland");
    if (!opened.wait(20000)) return 2;
    QFile told(folder + "/told.txt");
    if (!told.open(QIODevice::WriteOnly)) return 3;
    QElapsedTimer clock;
    clock.start();
    for (int i = 1;; ++i) {
        window.document().edit("count", [i](Project& p) -> Result<void> {
            p.arrangements[0].layout.count = i;
            return {};
        });
        const bool saves = i % 150 == 0;
        if (saves && !window.document().try_save(folder + "/edited.garland")) return 4;
        told.write(QByteArray::number(i) + ' ' + QByteArray::number(clock.elapsed()) + (saves ? " saved\n" : "\n"));
        told.flush();
        QTest::qWait(4);
    }
}

} // namespace garland::testing

class KillTest : public QObject {
    Q_OBJECT
  private slots:
    void what_was_edited_comes_back() {
        bool ok = false;
        const int asked = qEnvironmentVariableIntValue("GARLAND_KILLS", &ok), trials = ok ? asked : 4;
        Folder folder;
        write_column(folder);
        Project project;
        add_source(project, "column", folder / "column.0000.ply", {0, 47, Rate{24, 1}});
        const std::string text = project_text(project);
        std::mt19937 random(5);
        std::int64_t most_lost = 0;
        for (int trial = 0; trial < trials; ++trial) {
            QVERIFY(write_file(folder / "edited.garland", text, Existing::replace));
            QFile::remove(QString::fromStdString(folder / "told.txt"));
            QProcess window;
            QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
            environment.insert("XDG_STATE_HOME", QString::fromStdString(folder / "state"));
            window.setProcessEnvironment(environment);
            window.setProcessChannelMode(QProcess::ForwardedChannels);
            window.start(QCoreApplication::applicationFilePath(),
                         {"--edit-until-killed", QString::fromStdString(folder / "")});
            QVERIFY(window.waitForStarted());
            QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(QString::fromStdString(folder / "told.txt")), patience * 30000);
            QTest::qWait(200 + static_cast<int>(random() % 2300));
            ::kill(static_cast<pid_t>(window.processId()), SIGKILL);
            QVERIFY(window.waitForFinished());
            QCOMPARE(window.exitStatus(), QProcess::CrashExit);

            // What it had done by then, and how much of that was older than the time after which it is kept.
            QFile told(QString::fromStdString(folder / "told.txt"));
            QVERIFY(told.open(QIODevice::ReadOnly));
            std::vector<std::pair<int, qint64>> edits;
            int saved = 1;
            for (const QByteArray& line : told.readAll().split('\n')) {
                const QList<QByteArray> parts = line.split(' ');
                if (parts.size() < 2) continue;
                edits.emplace_back(parts[0].toInt(), parts[1].toLongLong());
                if (parts.size() > 2) saved = parts[0].toInt();
            }
            if (edits.empty()) continue; // killed before the first
            const auto on_disk = load_project(folder / "edited.garland");
            QVERIFY2(on_disk, "the project's file is not whole");
            const int there = on_disk->arrangements[0].layout.count;
            QVERIFY(there == saved || there == saved + 150); // the last save may not have been told yet

            qputenv("XDG_STATE_HOME", QByteArray::fromStdString(folder / "state"));
            const std::vector<Recovery> left = Autosave::left_behind();
            int kept = there;
            for (const Recovery& r : left) {
                QCOMPARE(r.path, QString::fromStdString(folder / "edited.garland"));
                kept = std::max(kept, r.project.arrangements[0].layout.count);
                Autosave::forget(r);
            }
            qunsetenv("XDG_STATE_HOME");
            const qint64 end = edits.back().second;
            int due =
                1; // must not be lost: made well before the end (twice the time, for a machine that has much to do)
            for (const auto& [number, at] : edits) {
                if (at < end - 2 * 1000 * keeps_after) due = number;
            }
            QVERIFY2(kept >= due, qPrintable(QString("trial %1: %2 edits, %3 kept, %4 due")
                                                 .arg(trial)
                                                 .arg(edits.back().first)
                                                 .arg(kept)
                                                 .arg(due)));
            most_lost = std::max<std::int64_t>(most_lost, edits.back().first - kept);
        }
        qInfo("killed %d times; at most the last %lld edits were lost, made within two seconds", trials,
              static_cast<long long>(most_lost));
    }
};

GARLAND_TEST_CASE(KillTest)
#include "kill_test.moc"
