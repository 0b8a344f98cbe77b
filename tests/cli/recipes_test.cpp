// The recipes of docs/recipes as their readers run them, and the completions of three shells by those shells.
#include "running.h"
#include "support/files.h"
#include "support/patience.h"

#include <QDir>
#include <QFileInfo>

using namespace garland;
using namespace garland::testing;

namespace {

Answer run_in(const QString& program, const QStringList& words, const QString& folder, const QString& data = {}) {
    QProcess process;
    QProcessEnvironment with = QProcessEnvironment::systemEnvironment();
    with.insert("PATH", QFileInfo(GARLAND_CLI).path() + ':' + with.value("PATH"));
    with.insert("DATA", data);
    process.setProcessEnvironment(with);
    process.setWorkingDirectory(folder);
    process.start(program, words);
    if (!process.waitForFinished(patience * 120000)) return {-1, {}, "did not finish: " + process.errorString()};
    return {process.exitCode(), QString::fromUtf8(process.readAllStandardOutput()),
            QString::fromUtf8(process.readAllStandardError())};
}

} // namespace

class RecipesTest : public QObject {
    Q_OBJECT
    Folder data_, scripts_;

  private slots:
    void initTestCase() {
        const Answer a = run({"demo", q(data_.path()), "--quiet"});
        QVERIFY2(a.code == 0, qPrintable(a.err));
        for (const char* shell : {"bash", "zsh", "fish"}) {
            const Answer made = run({"completions", shell});
            QVERIFY2(made.code == 0, qPrintable(made.err));
            scripts_.write(shell, made.out.toStdString());
        }
    }
    void every_recipe_runs_data() {
        QTest::addColumn<QString>("file");
        for (const QFileInfo& f : QDir(GARLAND_DOCS "/recipes").entryInfoList({"*.sh"}, QDir::Files, QDir::Name))
            QTest::newRow(qPrintable(f.completeBaseName())) << f.filePath();
    }
    void every_recipe_runs() { // each ends with what it promises, as a test of its own
        QFETCH(QString, file);
        const Folder work;
        const Answer a = run_in("bash", {file}, q(work.path()), q(data_.path()));
        QVERIFY2(a.code == 0, qPrintable(a.out.right(2000) + a.err));
    }
    void recipes_are_all_in_the_guide() {
        QFile file(GARLAND_DOCS "/recipes.md");
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QString text = QString::fromUtf8(file.readAll());
        const auto all = QDir(GARLAND_DOCS "/recipes").entryList({"*.sh"}, QDir::Files);
        QCOMPARE(all.size(), 10);
        for (const QString& name : all) QVERIFY2(text.contains("recipes/" + name), qPrintable(name));
    }
    void bash_completes() {
        const QString source = "source " + q(scripts_ / "bash") + "; ";
        auto ask = [&](const QString& words, int at) {
            return run_in("bash",
                          {"-c", source + "COMP_WORDS=(" + words + "); COMP_CWORD=" + QString::number(at) +
                                     "; _garland_cli; echo \"${COMPREPLY[@]}\""},
                          q(scripts_.path()))
                .out.trimmed();
        };
        QCOMPARE(ask("garland-cli hando", 1), QString("handoff"));
        QCOMPARE(ask("garland-cli edit p.garland clos", 3), QString("close"));
        QCOMPARE(ask("garland-cli edit p.garland close --e", 4), QString("--ends"));
        QCOMPARE(ask("garland-cli bake p.garland --as us", 4), QString("usda usdc"));
        QCOMPARE(ask("garland-cli handoff p.garland --what sh", 4), QString("shared-poses"));
        QCOMPARE(ask("garland-cli info zs", 2), QString("zsh")); // a file
    }
    void zsh_and_fish_take_their_scripts() {
        Answer a = run_in("zsh", {"-n", q(scripts_ / "zsh")}, q(scripts_.path()));
        QVERIFY2(a.code == 0 && a.err.isEmpty(), qPrintable(a.err));
        a = run_in("fish", {"-n", q(scripts_ / "fish")}, q(scripts_.path()));
        QVERIFY2(a.code == 0 && a.err.isEmpty(), qPrintable(a.err));
        auto ask = [&](const QString& line) {
            return run_in("fish", {"-c", "source " + q(scripts_ / "fish") + "; complete -C '" + line + "'"},
                          q(scripts_.path()))
                .out;
        };
        QVERIFY2(ask("garland-cli hando").startsWith("handoff\t"), qPrintable(ask("garland-cli hando")));
        QVERIFY2(ask("garland-cli edit p clos").startsWith("close\t"), qPrintable(ask("garland-cli edit p clos")));
        QVERIFY2(ask("garland-cli bake --as us").contains("usdc"), qPrintable(ask("garland-cli bake --as us")));
    }
    void another_shell_is_refused() {
        QCOMPARE(run({"completions", "tcsh"}).code, 2);
        QCOMPARE(run({"completions"}).code, 2);
    }
};

GARLAND_TEST_CASE(RecipesTest)
#include "recipes_test.moc"
