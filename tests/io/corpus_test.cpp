// What the fuzzers found worth keeping (tests/corpus, a folder a reader), as plain inputs: each opens or is refused in
// words.
#include "support/case.h"
#include "support/files.h"

#include "io/project/project_file.h"
#include "io/sources/open_source.h"

#include <QDirIterator>
#include <sys/resource.h>

using namespace garland;
using namespace garland::testing;

class CorpusTest : public QObject {
    Q_OBJECT
  private slots:
    void every_input_is_read_or_refused() {
        int read = 0, refused = 0;
        QDirIterator all(GARLAND_CORPUS, QDir::Files, QDirIterator::Subdirectories);
        while (all.hasNext()) {
            const QString file = all.next(), kind = QFileInfo(file).dir().dirName();
            Folder folder;
            QVERIFY(QFile::copy(file, QString::fromStdString(folder / ("f." + kind.toStdString()))));
            if (kind == "npy") folder.write("f.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
            if (kind == "garland") {
                const auto project = load_project(folder / "f.garland");
                project ? ++read : ++refused;
                QVERIFY2(project || !project.error().message.empty(), qPrintable(file));
                continue;
            }
            const auto source = open_source(folder / ("f." + kind.toStdString()));
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
};
GARLAND_TEST_CASE(CorpusTest)
#include "corpus_test.moc"
