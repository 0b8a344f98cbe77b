// What the fuzzers found worth keeping (tests/corpus, a folder a reader), as plain inputs: each opens or is refused in
// words.
#include "support/case.h"
#include "support/files.h"

#include "io/project/project_file.h"
#include "io/sources/open_source.h"

#include <QDirIterator>
#include <map>
#include <sys/resource.h>

using namespace garland;
using namespace garland::testing;

namespace {

std::string file_of(const QString& kind) {
    return (kind == "gz" ? "f.obj." : "f.") + kind.toStdString();
}

} // namespace

class CorpusTest : public QObject {
    Q_OBJECT
  private slots:
    void every_input_is_read_or_refused() {
        int read = 0, refused = 0;
        QDirIterator all(GARLAND_CORPUS, QDir::Files, QDirIterator::Subdirectories);
        while (all.hasNext()) {
            const QString file = all.next(), kind = QFileInfo(file).dir().dirName();
            Folder folder;
            QVERIFY(QFile::copy(file, QString::fromStdString(folder / file_of(kind))));
            if (kind == "npy") folder.write("f.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
            if (kind == "garland") {
                const auto project = load_project(folder / "f.garland");
                project ? ++read : ++refused;
                QVERIFY2(project || !project.error().message.empty(), qPrintable(file));
                continue;
            }
            const auto source = open_source(folder / file_of(kind));
            if (!source) {
                QVERIFY2(!source.error().message.empty(), qPrintable(file));
                ++refused;
                continue;
            }
            ++read;
            const SourceFacts& f = (*source)->facts();
            for (std::int64_t frame = f.first; frame <= f.last && frame < f.first + 3; ++frame) {
                const auto pose = (*source)->read(frame, Progress::none());
                QVERIFY2(pose || !pose.error().message.empty(), qPrintable(file));
            }
        }
        struct rusage use {};
        getrusage(RUSAGE_SELF, &use);
        qInfo("corpus: %d inputs read, %d refused with a reason; peak memory of all tests so far %ld MB", read, refused,
              use.ru_maxrss / 1024);
        QVERIFY(read > 0 && refused > 0);
    }
    // What becomes of every file there is here, a line a format. That what is read is right is shown where each is
    // compared with another reader: UsdReadTest, GltfTest, RealSizeTest; here nothing may be refused without words.
    void a_table_of_all_formats() {
        struct Row {
            int tried = 0, whole = 0, in_part = 0, refused = 0;
        };
        std::map<QString, Row> rows;
        auto look = [&](const QString& path, const QString& format) {
            Row& row = rows[format];
            ++row.tried;
            const auto source = open_source(path.toStdString());
            if (!source) {
                ++row.refused;
                QVERIFY2(source.error().message.size() > 10, qPrintable(path));
                return;
            }
            const bool told = !(*source)->facts().problems.empty();
            for (const SourceProblem& p : (*source)->facts().problems)
                QVERIFY2(!p.what.empty() && !p.advice.empty(), qPrintable(path));
            ++(told ? row.in_part : row.whole);
        };
        QDirIterator usd(GARLAND_USD_FILES, {"*.usda"}, QDir::Files);
        while (usd.hasNext()) look(usd.next(), "usda");
        const std::pair<const char*, const char*> models[] = {
            {"glTF2", "*.gltf"}, {"glTF2", "*.glb"}, {"OBJ", "*.obj"}, {"PLY", "*.ply"}, {"glTF", "*.gltf"}};
        for (const auto& [folder, pattern] : models) {
            QDirIterator all(QString("/usr/share/assimp/models/") + folder, {pattern}, QDir::Files,
                             QDirIterator::Subdirectories);
            while (all.hasNext()) look(all.next(), QString(pattern).mid(2));
        }
        QDirIterator corpus(GARLAND_CORPUS, QDir::Files, QDirIterator::Subdirectories);
        while (corpus.hasNext()) {
            const QString file = corpus.next(), kind = QFileInfo(file).dir().dirName();
            if (kind == "garland" || kind == "handoff" || kind == "npy") continue;
            Folder folder;
            QVERIFY(QFile::copy(file, QString::fromStdString(folder / file_of(kind))));
            look(QString::fromStdString(folder / file_of(kind)), kind);
        }
        qInfo("format  tried  whole  in part, said  refused, with the reason");
        for (const auto& [format, row] : rows)
            qInfo("%-6s  %5d  %5d  %13d  %7d", qPrintable(format), row.tried, row.whole, row.in_part, row.refused);
        QVERIFY(rows["usda"].whole > 20 && rows["usdc"].whole + rows["usdc"].in_part > 5);
    }
};
GARLAND_TEST_CASE(CorpusTest)
#include "corpus_test.moc"
