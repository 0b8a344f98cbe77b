// USD as others read it: our files in tests/usd, and what the reference library (0.22, in the npm package
// three-usdz-loader) makes of them, against the reference library's own answers.
#include "support/case.h"
#include "support/files.h"
#include "support/node.h"
#include "support/python.h"

#include "io/sources/open_source.h"

#include <QDirIterator>
#include <QJsonArray>
#include <QJsonObject>
#include <fmt/format.h>

using namespace garland;
using namespace garland::testing;

namespace {

struct Root { // a file whose first comment says which times are asked for
    QString name;
    QStringList times;
    double within = 2e-5;
};

QList<Root> roots() {
    QList<Root> out;
    QDirIterator all(GARLAND_USD_FILES, {"*.usda"}, QDir::Files);
    while (all.hasNext()) {
        QFile file(all.next());
        if (!file.open(QIODevice::ReadOnly)) continue;
        const QString text = QString::fromUtf8(file.read(4000));
        const qsizetype at = text.indexOf("# frames: ");
        if (at < 0) continue;
        const QString times = text.mid(at + 10, text.indexOf('\n', at) - at - 10);
        const qsizetype within = text.indexOf("# within: ");
        out.push_back(
            {QFileInfo(file).fileName(), times.split(", "),
             within < 0 ? 2e-5 : text.mid(within + 10, text.indexOf(' ', within + 10) - within - 10).toDouble()});
    }
    std::sort(out.begin(), out.end(), [](const Root& a, const Root& b) { return a.name < b.name; });
    return out;
}

std::vector<V3d> points_of(const QJsonObject& at) {
    std::vector<V3d> out;
    for (const auto& mesh : at["meshes"].toArray()) {
        const QJsonArray points = mesh.toObject()["points"].toArray();
        for (const auto& p : points) out.emplace_back(p[0].toDouble(), p[1].toDouble(), p[2].toDouble());
    }
    return out;
}

Result<PosePtr> pose_at(const Source& source, double time) {
    if (source.any_time()) return source.exact_at(time, SubFrame::linear, Progress::none());
    const auto whole = static_cast<std::int64_t>(std::floor(time));
    if (static_cast<double>(whole) == time) return source.read(whole, Progress::none());
    Source::Between b;
    b.a = b.before = whole, b.b = b.after = whole + 1, b.weight = time - static_cast<double>(whole);
    return source.between(b, Progress::none());
}

// Whether each point of one has its own of the other; how far apart at most, −1 where the numbers differ.
double apart(const std::vector<V3f>& ours, std::vector<V3d> theirs) {
    if (ours.size() != theirs.size()) return -1;
    double most = 0;
    for (const V3f& p : ours) {
        auto nearest = std::min_element(theirs.begin(), theirs.end(), [&](const V3d& a, const V3d& b) {
            return (a - V3d(p)).length2() < (b - V3d(p)).length2();
        });
        const double off = (*nearest - V3d(p)).length() / (1 + nearest->length());
        most = std::max(most, off);
        theirs.erase(nearest);
    }
    return most;
}

QString fault(const std::string& path, const Root& root, const QJsonArray& reference) {
    const QStringList& times = root.times;
    const auto source = open_source(path);
    if (!source) return said(source.error());
    for (int i = 0; i < times.size(); ++i) {
        const auto pose = pose_at(**source, times[i].toDouble());
        if (!pose) return said(pose.error());
        const std::vector<V3d> theirs = points_of(reference[i].toObject());
        const double off = apart((*pose)->points, theirs);
        if (off < 0 || off > root.within)
            return QString("at %1: %2 points, the reference has %3; %4 apart")
                .arg(times[i])
                .arg((*pose)->points.size())
                .arg(theirs.size())
                .arg(off);
    }
    return {};
}

} // namespace

class UsdReadTest : public QObject {
    Q_OBJECT
  private slots:
    void text_binary_and_packages_are_as_the_reference_library_reads_them() {
        GARLAND_NEEDS_NODE();
        Folder folder;
        QDirIterator all(GARLAND_USD_FILES, {"*.usda"}, QDir::Files);
        while (all.hasNext()) {
            const QString file = all.next();
            QVERIFY(QFile::copy(file, QString::fromStdString(folder / QFileInfo(file).fileName().toStdString())));
        }
        QStringList jobs{"corpus", QString::fromStdString(folder / "")};
        for (const Root& r : roots()) {
            jobs << r.name + "=" + r.times.join(",");
            jobs << r.name + ">flat_" + r.name.chopped(1) + "c";
        }
        QVERIFY(jobs.size() > 30);
        QString error;
        const QJsonObject answers = run_node("usd_points.cjs", jobs, &error).object();
        QVERIFY2(!answers.isEmpty(), qPrintable(error));
        QStringList wrong;
        int right = 0;
        for (const Root& r : roots()) {
            const QJsonArray reference = answers[r.name].toArray();
            QCOMPARE(reference.size(), r.times.size());
            for (const QString& name : {r.name, "flat_" + r.name.chopped(1) + "c"}) {
                const QString what = fault(folder / name.toStdString(), r, reference);
                if (what.isEmpty()) {
                    ++right;
                } else {
                    wrong << name + ": " + what;
                }
            }
        }
        qInfo("USD: %d files read as the reference library reads them", right);
        QVERIFY2(wrong.isEmpty(), qPrintable("\n" + wrong.join("\n")));
    }
};
GARLAND_TEST_CASE(UsdReadTest)
#include "usd_read_test.moc"
