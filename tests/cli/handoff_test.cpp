// garland-cli handoff and verify: good and bad words, kills at any moment, shares.
#include "cli/running.h"
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/patience.h"

#include "io/files/series.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

#include <QDir>
#include <QScopeGuard>
#include <QStandardPaths>
#include <csignal>
#include <unistd.h>

using namespace garland;
using namespace garland::testing;

class CliHandoffTest : public QObject {
    Q_OBJECT
    Folder folder_;
    QString path_;

    Answer handed(const QString& what, const QString& out, const QStringList& words = {}) const {
        QStringList all{"handoff", path_, "--what", what, "--out", q(folder_ / out.toStdString())};
        if (!words.contains("--frames"))
            all << "--frames"
                << "1:30";
        return run(all + words);
    }
    static bool same_files(const QString& a, const QString& b) {
        const QDir x(a), y(b);
        if (x.entryList(QDir::Files | QDir::Hidden) != y.entryList(QDir::Files | QDir::Hidden)) return false;
        for (const QString& name : x.entryList(QDir::Files | QDir::Hidden)) {
            QFile p(x.filePath(name)), r(y.filePath(name));
            if (!p.open(QIODevice::ReadOnly) || !r.open(QIODevice::ReadOnly) || p.readAll() != r.readAll())
                return false;
        }
        return true;
    }

  private slots:
    void initTestCase() {
        for (int f = 0; f < 20; ++f) {
            Pose pose = tetrahedron(f * 0.1);
            QVERIFY(write_ply(folder_ / numbered("lantern.", f, 4, ".ply"), pose, PlyForm::little_endian,
                              Existing::replace));
        }
        Project p;
        p.settings.range = {1, 30};
        add_source(p, "lantern", "lantern.0000.ply", {0, 19, {24, 1}});
        p.timings[0].after.mode = OutsideMode::there_and_back;
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::grid, a.layout.columns = 40, a.layout.rows = 40;
        Spread late;
        late.id = SpreadId(p.next_id++), late.whole_frames = false;
        a.spreads = {late};
        path_ = q(folder_ / "p.garland");
        QVERIFY(save_project(folder_ / "p.garland", p, Existing::refuse));
    }
    void every_output_is_written_and_verified() {
        for (const char* what :
             {"posed-copies", "one-source", "shared-poses", "references", "viewer", "timing", "curves", "camera"}) {
            QStringList words{"--json"};
            if (QString(what) == "one-source")
                words << "--source"
                      << "lantern";
            const auto dry = handed(what, QString("out-") + what, words + QStringList{"--dry-run"});
            QVERIFY2(dry.code == 0, qPrintable(dry.err));
            QVERIFY(dry.json()["bytes"].get<double>() > 0);
            QVERIFY(!QDir(q(folder_ / (std::string("out-") + what))).exists());
            const auto done = handed(what, QString("out-") + what, words);
            QVERIFY2(done.code == 0, qPrintable(done.err));
            const auto manifest = q(done.json()["manifest"].get<std::string>());
            QVERIFY(manifest.endsWith(".handoff.json"));
            const auto verified = run({"verify", manifest, "--json"});
            QCOMPARE(verified.code, 0);
            QCOMPARE(verified.json()["file_count"].get<int>(), static_cast<int>(done.json()["files"].size()));
            QCOMPARE(handed(what, QString("out-") + what, words).code, 1); // nothing that is there is touched
            const auto resumed = handed(what, QString("out-") + what, words + QStringList{"--resume"});
            QVERIFY2(resumed.code == 0, qPrintable(resumed.err));
            QCOMPARE(resumed.json()["kept"].get<std::size_t>(), done.json()["files"].size());
        }
    }
    void another_space_and_handles() {
        const auto done = handed("posed-copies", "space",
                                 {"--as", "usda", "--frames", "5:6", "--handles", "2", "--up", "z", "--unit", "cm",
                                  "--no-velocities", "--json"});
        QVERIFY2(done.code == 0, qPrintable(done.err));
        const std::string text = folder_.read("space/copies.usda");
        for (const char* part :
             {"startTimeCode = 3\n", "endTimeCode = 8\n", "upAxis = \"Z\"", "metersPerUnit = 0.01\n"})
            QVERIFY2(text.find(part) != text.npos, part);
        const auto wrong = [&](const QStringList& words, const char* part) {
            const auto no = handed("posed-copies", "no", words);
            return no.code == 2 && no.err.contains(part);
        };
        QVERIFY(wrong({"--up", "x"}, "no axis that can be up"));
        QVERIFY(wrong({"--unit", "league"}, "no unit of length"));
        QVERIFY(wrong({"--handles", "-1"}, "handles are 0 to"));
        const auto glb = handed("viewer", "no", {"--unit", "cm"});
        QVERIFY2(glb.code != 0 && glb.err.contains("metres with y up"), qPrintable(glb.err));
        QVERIFY(!QDir(q(folder_ / "no")).exists());
        for (const char* as : {"obj", "npy", "glb"}) {
            const auto one = handed("one-source", QString("alone-") + as, {"--source", "lantern", "--as", as});
            QVERIFY2(one.code == 0, qPrintable(one.err));
        }
        const auto volume = handed("one-source", "no", {"--source", "lantern", "--as", "vdb"});
        QVERIFY2(volume.code != 0 && volume.err.contains("cannot be held by vdb files"), qPrintable(volume.err));
    }
    void moments_inside_the_shutter_and_names_with_a_place_for_the_number() {
        const QString folder = q(folder_ / "moments");
        const auto done = handed(
            "posed-copies", "moments",
            {"--as", "ply", "--frames", "10:11", "--name", "lantern_###", "--shutter-samples", "3", "--shutter", "90"});
        QVERIFY2(done.code == 0, qPrintable(done.err));
        QCOMPARE(QDir(folder).entryList({"*.ply"}, QDir::Files, QDir::Name),
                 (QStringList{"lantern_009.875.ply", "lantern_010.125.ply", "lantern_010.875.ply", "lantern_010.ply",
                              "lantern_011.125.ply", "lantern_011.ply"}));
        QCOMPARE(run({"verify", folder + "/lantern.ply.handoff.json"}).code, 0);
        const auto dry = handed("posed-copies", "dry",
                                {"--as", "usdc", "--frames", "10:11", "--shutter-samples", "5", "--dry-run", "--json"});
        QVERIFY(dry.code == 0 && dry.json()["file_count"] == 1);
        for (const QStringList& bad : {QStringList{"--shutter-samples", "4"},
                                       {"--shutter-samples", "3", "--shutter", "360"},
                                       {"--as", "npy", "--shutter-samples", "3"},
                                       {"--as", "usdc", "--name", "x_##"}}) {
            const auto refused = handed("posed-copies", "none", bad);
            QVERIFY2(refused.code != 0 && refused.err.contains("nothing was written", Qt::CaseInsensitive),
                     qPrintable(bad.join(' ')));
            QVERIFY(!QDir(q(folder_ / "none")).exists());
        }
        const auto baked = run({"bake", path_, "--out", q(folder_ / "baked"), "--frames", "1:1", "--name", "b_##"});
        QVERIFY2(baked.code == 0 && file_exists(folder_ / "baked/b_01.ply"), qPrintable(baked.err));
    }
    void killed_at_any_moment_and_resumed() {
        QCOMPARE(handed("posed-copies", "whole").code, 0);
        int killed = 0, kept = 0;
        for (int trial = 0; trial < 12; ++trial) {
            const QString out = q(folder_ / ("kill" + std::to_string(trial)));
            QProcess process;
            process.start(GARLAND_CLI, {"handoff", path_, "--what", "posed-copies", "--out", out, "--frames", "1:30"});
            QVERIFY(process.waitForStarted());
            // When so many files are there.
            QTRY_VERIFY_WITH_TIMEOUT(QDir(out).entryList({"*.ply"}, QDir::Files).size() > trial * 2 ||
                                         process.state() == QProcess::NotRunning,
                                     20000);
            ::kill(static_cast<pid_t>(process.processId()), SIGKILL);
            process.waitForFinished(patience * 30000);
            killed += process.exitStatus() == QProcess::CrashExit;
            const auto resumed = run(
                {"handoff", path_, "--what", "posed-copies", "--out", out, "--frames", "1:30", "--resume", "--json"});
            QVERIFY2(resumed.code == 0, qPrintable(resumed.err));
            kept += resumed.json()["kept"].get<int>() > 0;
            QVERIFY(same_files(out, q(folder_ / "whole")));
        }
        QVERIFY2(killed >= 6 && kept >= 6, qPrintable(QString("%1 killed, %2 went on").arg(killed).arg(kept)));
    }
    void shares_on_their_own() {
        if (!QDir(q(folder_ / "whole")).exists()) QCOMPARE(handed("posed-copies", "whole").code, 0);
        std::vector<std::unique_ptr<QProcess>> all; // at the same time
        for (int k = 1; k <= 5; ++k) {
            all.push_back(std::make_unique<QProcess>());
            all.back()->start(GARLAND_CLI, {"handoff", path_, "--what", "posed-copies", "--out", q(folder_ / "shares"),
                                            "--frames", "1:30", "--chunk", QString("%1/5").arg(k)});
        }
        for (auto& p : all) {
            QVERIFY(p->waitForFinished(patience * 60000));
            QVERIFY2(p->exitCode() == 0, p->readAllStandardError().constData());
        }
        QVERIFY(same_files(q(folder_ / "shares"), q(folder_ / "whole")));
    }
    void a_job_file_and_a_template() {
        const QString out = q(folder_ / "farm");
        const auto made = run({"farm", path_, "--out", out, "--frames", "1:30", "--chunks", "3", "--json"});
        QVERIFY2(made.code == 0, qPrintable(made.err));
        QCOMPARE(made.json()["scripts"].size(), std::size_t(2));
        QCOMPARE(run({"farm", path_, "--out", out, "--frames", "1:30", "--chunks", "3"}).code, 1); // they are there
        const QString job = q(made.json()["job"].get<std::string>());
        QCOMPARE(run({"farm", job, "--state", "--json"}).json()["complete"].get<int>(), 0);
        QCOMPARE(run({"handoff", "--job", job, "--chunk", "2/3"}).code, 0);
        const int part = run({"farm", job, "--state", "--json"}).json()["complete"].get<int>();
        QVERIFY(part > 5 && part < 15);
        QCOMPARE(run({"handoff", "--job", job}).code, 0); // all that is missing
        QVERIFY(run({"farm", job, "--state", "--json"}).json()["whole"].get<bool>());
        // Any engine, by a template; run here by a shell.
        folder_.write("engine.txt", "#!/bin/sh\n# {chunk} of {chunks}\n{command}\n");
        const QString other = q(folder_ / "other farm's");
        const auto scripts = run({"farm", path_, "--out", other, "--frames", "1:30", "--chunks", "3", "--engine",
                                  "template", "--template", q(folder_ / "engine.txt"), "--json"});
        QVERIFY2(scripts.code == 0, qPrintable(scripts.err));
        QCOMPARE(scripts.json()["scripts"].size(), std::size_t(4)); // the last one verifies
        const auto answer = scripts.json();
        for (const auto& script : answer["scripts"])
            QCOMPARE(QProcess::execute("sh", {q(script.get<std::string>())}), 0);
        for (int f = 1; f <= 30; ++f) {
            const QString name = QString("copies.%1.ply").arg(f, 4, 10, QChar('0'));
            QFile a(out + "/" + name), b(other + "/" + name);
            QVERIFY2(a.open(QIODevice::ReadOnly), qPrintable(a.fileName()));
            QVERIFY2(b.open(QIODevice::ReadOnly), qPrintable(b.fileName()));
            QVERIFY(a.readAll() == b.readAll());
        }
        folder_.write("engine.txt", "nothing");
        QCOMPARE(run({"farm", path_, "--out", q(folder_ / "f3"), "--frames", "1:30", "--engine", "template",
                      "--template", q(folder_ / "engine.txt")})
                     .code,
                 1);
        QCOMPARE(run({"farm", path_, "--what", "viewer", "--out", q(folder_ / "f4"), "--frames", "1:30"}).code, 2);
        folder_.write("bad.json", "{\"garland_job\": 1}");
        QVERIFY(run({"handoff", "--job", q(folder_ / "bad.json")}).err.contains("no job file"));
    }
    // 240 frames in 12 tasks, one task killed and run again: all bytes as in one run.
    void a_real_slurm_of_one_node() {
        if (::geteuid() != 0 || QStandardPaths::findExecutable("slurmctld", {"/usr/sbin", "/usr/bin"}).isEmpty())
            QSKIP(
                "Slurm is not here, or this is not root: the batch engine was not tried (./check --deep installs it)");
        const QString node = QString(GARLAND_TEST_SUPPORT) + "/slurm-one-node", place = q(folder_ / "slurm");
        QCOMPARE(QProcess::execute("bash", {node, "start", place}), 0);
        const auto stop = qScopeGuard([&] { QProcess::execute("bash", {node, "stop", place}); });
        qputenv("SLURM_CONF", (place + "/slurm.conf").toUtf8());
        QCOMPARE(handed("posed-copies", "long", {"--frames", "1:240"}).code, 0);
        const QString out = q(folder_ / "cluster");
        const auto made = run({"farm", path_, "--out", out, "--frames", "1:240", "--chunks", "12", "--json"});
        QVERIFY2(made.code == 0, qPrintable(made.err));
        const std::string array = made.json()["scripts"][0], verify = made.json()["scripts"][1];
        // Task 3 is killed while it writes, the first time.
        QFile script(q(array));
        QVERIFY(script.open(QIODevice::ReadOnly));
        const QByteArray text = script.readAll();
        script.close();
        QByteArray killed = text;
        const QByteArray kill = "[ \"$SLURM_ARRAY_TASK_ID\" = 3 ] && { while [ $(ls '" + out.toUtf8() +
                                "' | grep -c ply$) -lt 42 ] ; do sleep 0.01; done; kill -9 $$; } &\nexec ";
        killed.replace("exec ", kill);
        QVERIFY(killed != text && script.open(QIODevice::WriteOnly | QIODevice::Truncate));
        script.write(killed);
        script.close();
        auto sbatch = [&](const QStringList& words) {
            QProcess process;
            process.start("sbatch", QStringList{"--parsable"} + words);
            process.waitForFinished(patience * 20000);
            return QString::fromUtf8(process.readAllStandardOutput()).trimmed();
        };
        auto finished = [] {
            QProcess process;
            process.start("squeue", {"-h"});
            process.waitForFinished(patience * 20000);
            return process.readAllStandardOutput().trimmed().isEmpty();
        };
        QVERIFY(!sbatch({q(array)}).isEmpty());
        QTRY_VERIFY_WITH_TIMEOUT(finished(), 120000);
        const QString job = q(made.json()["job"].get<std::string>());
        const int complete = run({"farm", job, "--state", "--json"}).json()["complete"].get<int>();
        QVERIFY2(complete >= 220 && complete < 240, qPrintable(QString::number(complete)));
        QVERIFY(script.open(QIODevice::WriteOnly | QIODevice::Truncate));
        script.write(text);
        script.close();
        const QString again = sbatch({"--array=3", q(array)});
        QVERIFY(!again.isEmpty());
        QVERIFY(!sbatch({"--dependency=afterok:" + again, q(verify)}).isEmpty());
        QTRY_VERIFY_WITH_TIMEOUT(finished(), 120000);
        QVERIFY(run({"farm", job, "--state", "--json"}).json()["whole"].get<bool>());
        const QDir whole(q(folder_ / "long"));
        for (const QString& name : whole.entryList(QDir::Files)) {
            QFile a(whole.filePath(name)), b(out + "/" + name);
            QVERIFY2(a.open(QIODevice::ReadOnly) && b.open(QIODevice::ReadOnly) && a.readAll() == b.readAll(),
                     qPrintable(name));
        }
        QFile log(out + "/copies.ply.verify.log");
        QVERIFY(log.open(QIODevice::ReadOnly));
        QVERIFY(log.readAll().contains("240 files"));
    }
    void wrong_words_are_said() {
        QCOMPARE(handed("lanterns", "x").code, 2);
        QVERIFY(handed("lanterns", "x").err.contains("shared-poses"));
        QCOMPARE(handed("viewer", "x", {"--as", "ply"}).code, 2);
        QCOMPARE(handed("one-source", "x").code, 2);
        QVERIFY(handed("one-source", "x", {"--source", "boat"}).err.contains("boat"));
        QCOMPARE(handed("shared-poses", "x", {"--poses-per-frame", "0"}).code, 1);
        QCOMPARE(handed("references", "x", {"--tolerance", "-1"}).code, 1);
        QCOMPARE(handed("posed-copies", "x", {"--chunk", "6/5"}).code, 2);
        QCOMPARE(handed("viewer", "x", {"--chunk", "1/5"}).code, 1);
        QCOMPARE(handed("posed-copies", "x", {"--resume", "--replace"}).code, 2);
        QVERIFY(handed("posed-copies", "x", {"--frames", "30:1"}).code != 0);
        QVERIFY(handed("posed-copies", "x", {"--name", "a/b"}).err.contains("not a name"));
        QVERIFY(!QDir(q(folder_ / "x")).exists());
        QCOMPARE(run({"verify", q(folder_ / "none.json")}).code, 1);
    }
};
GARLAND_TEST_CASE(CliHandoffTest)
#include "handoff_test.moc"
