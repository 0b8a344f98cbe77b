// USD as others read it: our files in tests/usd, and what the reference library (0.22, in the npm package
// three-usdz-loader) makes of them, against the reference library's own answers.
#include "io/usda_texts.h"
#include "support/case.h"
#include "support/files.h"
#include "support/node.h"
#include "support/patience.h"
#include "support/python.h"
#include "support/volume_writer.h"

#include "io/sources/open_source.h"

#include <Eigen/Geometry>
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

std::string problems_of(const Source& source) {
    std::string out;
    for (const SourceProblem& p : source.facts().problems) out += p.what + " → " + p.advice + "; ";
    return out;
}

const Attribute* named(const std::vector<Attribute>& list, std::string_view name) {
    for (const Attribute& a : list) {
        if (a.name == name) return &a;
    }
    return nullptr;
}

bool near(const V3f& a, double x, double y, double z) {
    return (V3d(a) - V3d(x, y, z)).length() < 1e-3 * (1 + V3d(x, y, z).length());
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
    // UsdGeomPointInstancer: scale, then orientation, then position; each instance has the prototype's own transform
    // before these, and the instancer's after them. Here with Eigen's column vectors.
    void instancers_stand_where_the_schema_says() {
        Folder folder;
        folder.write("a.usda", instancer_text);
        const auto source = open_source(folder / "a.usda");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::mesh_sequence);
        QCOMPARE((*source)->facts().last, 5);
        using namespace Eigen;
        for (const double time : {1.0, 2.0, 4.0, 4.5, 5.0}) {
            const auto pose = pose_at(**source, time);
            QVERIFY2(pose, pose ? "" : qPrintable(said(pose.error())));
            std::vector<V3d> wanted;
            const double w = (time - 1) / 4;
            for (int i = 0; i < 4; ++i) {
                if (i == 2 && time >= 3) continue; // id 9 is invisible from 3 on
                Affine3d m = Affine3d(Translation3d(100, 0, 0)) * Translation3d(i, i == 0 ? 4 * w : 0, 0);
                if (i == 1) m = m * Quaterniond(0.5, 0.5, 0.5, 0.5) * Scaling(2.0, 3.0, 4.0);
                if (i % 2 == 1) m = m * Translation3d(0, 0, 8 * w);
                for (int k = 0; k < 3; ++k) {
                    const Vector3d p = m * Vector3d(Vector3d::Unit(k));
                    wanted.emplace_back(p.x(), p.y(), p.z());
                }
            }
            const double off = apart((*pose)->points, wanted);
            QVERIFY2(off >= 0 && off < 1e-5, qPrintable(QString("%1: %2").arg(time).arg(off)));
        }
        QVERIFY(problems_of(**source).find("instancer is shown as geometry") != std::string::npos);
        std::string wrong = instancer_text;
        wrong.replace(wrong.find("[0, 1, 0, 1]"), 12, "[0, 1, 0, 5]");
        folder.write("b.usda", wrong);
        const auto bad = open_source(folder / "b.usda");
        QVERIFY(!bad && said(bad.error()).contains("shows prototype 5, but there are only 2"));
    }
    // Ids in the metadata of an instancer are never there (UsdGeomPointInstancer, "inactiveIds"); lists of layers add
    // up.
    void instances_that_are_not_active() {
        Folder folder;
        std::string inactive = instancer_text;
        inactive.replace(inactive.find("PointInstancer \"lamps\""), 22,
                         "PointInstancer \"lamps\" ( inactiveIds = [8, 12] )");
        folder.write("a.usda", inactive);
        folder.write("b.usda", "#usda 1.0\n( subLayers = [@a.usda@] )\nover \"quay\"\n{\n    over \"lamps\" (\n        "
                               "append inactiveIds = [7]\n        delete inactiveIds = [12]\n    )\n    {\n    }\n}\n");
        const auto source = open_source(folder / "a.usda"), layered = open_source(folder / "b.usda");
        QVERIFY2(source && layered, qPrintable(source ? "" : said(source.error())));
        auto points = [](const SourcePtr& s, double time) { return (*pose_at(*s, time))->points; };
        QCOMPARE(points(*source, 1).size(), std::size_t(6));
        QCOMPARE(points(*source, 1)[0], V3f(101, 0, 0));      // of id 7
        QCOMPARE(points(*source, 1)[3], V3f(103, 0, 0));      // of id 9
        QCOMPARE(points(*source, 4).size(), std::size_t(3));  // 9 is invisible then
        QCOMPARE(points(*layered, 1).size(), std::size_t(6)); // 9 and 12
        GARLAND_NEEDS_NODE();
        QString error;
        run_node("usd_points.cjs",
                 {"convert", QString::fromStdString(folder / "a.usda"), QString::fromStdString(folder / "c.usdc")},
                 &error);
        const auto binary = open_source(folder / "c.usdc");
        QVERIFY2(binary, qPrintable(error + (binary ? "" : said(binary.error()))));
        QCOMPARE(points(*binary, 1), points(*source, 1));
    }
    // Volumes (UsdVol): the files are OpenVDB's own, places by hand.
    void volumes_name_their_files() {
        Folder folder;
        write_ball(folder / "smoke.1.vdb", 30);
        write_ball(folder / "smoke.2.vdb", 128);
        folder.write("a.usda", volume_text);
        const auto source = open_source(folder / "a.usda");
        QVERIFY2(source, qPrintable(source ? "" : said(source.error())));
        const SourceFacts& f = (*source)->facts();
        QCOMPARE(f.kind, SourceKind::volume);
        QCOMPARE(f.first, 1);
        QCOMPARE(f.last, 2);
        QCOMPARE(f.carries.attributes, (std::vector<std::string>{"soot (float)"}));
        QCOMPARE((*source)->files().size(), std::size_t(3));
        const VolumePtr one = (*(*source)->read(1, Progress::none()))->volume,
                        two = (*(*source)->read(2, Progress::none()))->volume;
        // A voxel (x, y, z) of 1 + x + 2y + 3z lies at half of that, times two, and where its prims are.
        QVERIFY(std::abs(value_at(*one, "soot", V3f(103, 4, 5)) - (1 + 3 + 8 + 15)) < 1e-3f);
        QVERIFY(std::abs(value_at(*two, "soot", V3f(103, 34, 5)) - (1 + 3 + 8 + 15)) < 1e-3f);
        QVERIFY(std::abs(value_at(*two, "soot", V3f(139, 69, 39)) - (1 + 39 + 78 + 117)) < 1e-2f);
        QCOMPARE(value_at(*one, "soot", V3f(139, 39, 39)), 0.0f); // the first file is smaller
        QVERIFY(problems_of(**source).find("1 further volume was passed over") != std::string::npos);
        const auto mist = open_source(folder / "a.usda", Progress::none(), {{"volume", "/quay/mist"}});
        QVERIFY2(mist, qPrintable(mist ? "" : said(mist.error())));
        QVERIFY(std::abs(value_at(*(*(*mist)->read(1, Progress::none()))->volume, "density", V3f(101.5f, 2, 2.5f)) -
                         (1 + 3 + 8 + 15)) < 1e-3f);
        QFile::remove(QString::fromStdString(folder / "smoke.2.vdb"));
        const auto cut = open_source(folder / "a.usda");
        QVERIFY(cut && problems_of(**cut).find("frame 2 cannot be read") != std::string::npos);
        QVERIFY(said((*cut)->read(2, Progress::none()).error()).contains("smoke.2.vdb"));
        std::string wrong = volume_text;
        wrong.replace(wrong.find("fieldName = \"density\""), 21, "fieldName = \"heat\"   ");
        folder.write("b.usda", wrong);
        const auto bad = open_source(folder / "b.usda");
        QVERIFY(!bad && said(bad.error()).contains("there is no grid \"heat\""));
        GARLAND_NEEDS_NODE();
        write_ball(folder / "smoke.2.vdb", 128);
        QString error;
        run_node("usd_points.cjs",
                 {"convert", QString::fromStdString(folder / "a.usda"), QString::fromStdString(folder / "c.usdc")},
                 &error);
        const auto binary = open_source(folder / "c.usdc"); // the reference library's crate of the same
        QVERIFY2(binary, qPrintable(error + (binary ? "" : said(binary.error()))));
        const auto again = (*binary)->read(1, Progress::none());
        QVERIFY2(again, again ? "" : qPrintable(said(again.error())));
        QCOMPARE(furthest(*(*again)->volume, *one), 0.0);
    }
    // UsdSkel, "Skinning": Σ weight · (point · geomBindTransform · bind⁻¹ · joint), in the skeleton's space; the mesh's
    // own transform does not count. Worked by hand: at 5 the tip is turned by 90° about z at (2, 0, 0).
    void skeletons_and_blend_shapes_move_their_meshes() {
        Folder folder;
        folder.write("a.usda", skeleton_text);
        const auto source = open_source(folder / "a.usda");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        QCOMPARE((*source)->facts().kind, SourceKind::mesh_cache);
        const PosePtr rest = *pose_at(**source, 1), bent = *pose_at(**source, 5), half = *pose_at(**source, 3);
        QVERIFY(near(rest->points[2], 4, 0, 3));
        QVERIFY(near(bent->points[0], 0, 0, 3));
        QVERIFY(near(bent->points[1], 2, 0, 3)); // in the joint
        QVERIFY(near(bent->points[2], 2, 2, 8)); // turned, and 5 up by its shape
        QVERIFY(near(bent->points[3], 1, 0, 3)); // half of (1, 1) and half of (1, −1)
        const double s = std::sqrt(0.5);         // at 3 the shortest arc is at 45°
        QVERIFY(near(half->points[2], 2 + 2 * s, 2 * s, 3 + 2.5));
        std::string wrong = skeleton_text;
        wrong.replace(wrong.find("[0, 0, 0, 1, 1, 0, 0, 1]"), 24, "[0, 0, 0, 1, 7, 0, 0, 1]");
        folder.write("b.usda", wrong);
        const auto bad = open_source(folder / "b.usda");
        QVERIFY(!bad && said(bad.error()).contains("bound to joint 7, but there are only 2"));
    }
    // The reference library wrote these as binary from the texts above (tests/corpus/usdc).
    void the_binary_form_of_schemas_is_the_text_form() {
        Folder folder;
        const std::pair<const char*, const char*> pairs[] = {{"skeleton", skeleton_text},
                                                             {"instancer", instancer_text},
                                                             {"primvars", primvars_text},
                                                             {"shapes", shapes_text},
                                                             {"purposes", purposes_text}};
        for (const auto& [name, text] : pairs) {
            folder.write("a.usda", text);
            QFile::remove(QString::fromStdString(folder / "a.usdc"));
            QVERIFY(QFile::copy(QString("%1/usdc/%2").arg(GARLAND_CORPUS, name),
                                QString::fromStdString(folder / "a.usdc")));
            const auto a = open_source(folder / "a.usda"), b = open_source(folder / "a.usdc");
            QVERIFY2(b, b ? "" : qPrintable(said(b.error())));
            QCOMPARE(problems_of(**b), problems_of(**a));
            for (const double t : {1.0, 2.5, 3.0}) {
                const PosePtr x = *pose_at(**a, t), y = *pose_at(**b, t);
                QCOMPARE(x->points, y->points);
                QCOMPARE(x->attributes, y->attributes);
                QCOMPARE(x->normals, y->normals);
                QCOMPARE(x->colours, y->colours);
                QVERIFY(*x->faces == *y->faces);
            }
        }
    }
    void values_of_every_spread_are_kept_or_said() {
        Folder folder;
        folder.write("a.usda", primvars_text);
        const auto source = open_source(folder / "a.usda");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const PosePtr pose = *pose_at(**source, 0);
        QCOMPARE(pose->points.size(), std::size_t(7));
        QCOMPARE(pose->colours[0], V3f(0.25f, 0.5f, 0.75f)); // of what it stands in
        QCOMPARE(pose->colours[6], V3f(1, 0, 0));
        const Faces& faces = *pose->faces;
        QCOMPARE(faces.corner_uvs.size(), std::size_t(9));
        QCOMPARE(faces.corner_uvs[2], V2f(0.5f, 1));
        QCOMPARE(faces.corner_uvs[5], V2f(0, 0));
        QCOMPARE(named(faces.attributes, "heat")->values, (std::vector<float>{1, 2, 0}));
        QCOMPARE(named(pose->attributes, "glow")->values, (std::vector<float>{0.5f, 0.5f, 0.5f, 0.5f, 0, 0, 0}));
        QCOMPARE(named(pose->attributes, "age")->values, (std::vector<float>{1, 2, 3, 4, 9, 9, 9}));
        QCOMPARE(named(pose->attributes, "lit")->whole, (std::vector<std::int32_t>{1, 0, 1, 0, 0, 0, 0}));
        QCOMPARE(named(pose->attributes, "pair")->width, 2);
        QCOMPARE(named(pose->attributes, "pair")->values[0], 3.0f);
        const Attribute& wind = *named(pose->attributes, "wind");
        QVERIFY(wind.vector && std::abs(wind.values[0] - 1) < 1e-6f);
        QVERIFY(std::abs(wind.values[4 * 3]) < 1e-6f &&
                std::abs(wind.values[4 * 3 + 1] - 1) < 1e-6f); // turned with its mesh
        QVERIFY(!named(pose->attributes, "corner") && !named(pose->attributes, "count"));
        QVERIFY(named(faces.corner_attributes, "corner"));
        QCOMPARE(faces.materials[faces.material_of[0]], std::string("red"));
        QCOMPARE(faces.materials[faces.material_of[1]], std::string("blue"));
        QCOMPARE(faces.materials[faces.material_of[2]], std::string(""));
        const std::string told = problems_of(**source);
        for (const char* words : {"\"count\" that are too wide", "\"name\", which is no number"})
            QVERIFY2(told.find(words) != told.npos, told.c_str());
        QVERIFY2(told.find("normals") == told.npos, told.c_str()); // corners agree: normals of points
    }
    // Volumes of the bodies that are meant (Euclid; a mesh inside them is a little smaller), by the divergence theorem.
    void shapes_have_the_size_the_schemas_say() {
        Folder folder;
        folder.write("a.usda", shapes_text);
        const auto source = open_source(folder / "a.usda");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const PosePtr pose = *pose_at(**source, 2);
        double volumes[6] = {};
        const auto triangles = pose->faces->triangles();
        for (std::size_t t = 0; t + 2 < triangles.size(); t += 3) {
            const auto which = static_cast<int>(std::lround(pose->points[triangles[t]].x / 20));
            V3d p[3];
            for (std::size_t k = 0; k < 3; ++k) p[k] = V3d(pose->points[triangles[t + k]]) - V3d(20.0 * which, 0, 0);
            volumes[which] += p[0].dot(p[1].cross(p[2])) / 6;
        }
        const double wanted[] = {4.0 / 3 * M_PI * 8, 64, M_PI * 0.25 * 6, M_PI * 2 / 3, M_PI * 2 + 4.0 / 3 * M_PI, 0};
        for (int i = 0; i < 6; ++i)
            QVERIFY2(std::abs(volumes[i] - wanted[i]) <= 0.03 * wanted[i] + 1e-9,
                     qPrintable(QString("%1: %2, %3").arg(i).arg(volumes[i]).arg(wanted[i])));
        float tall = 0, far = 0;
        for (const V3f& p : pose->points) {
            if (std::abs(p.x - 40) < 5) tall = std::max(tall, p.y);
            far = std::max(far, p.x);
        }
        QCOMPARE(tall, 3.0f); // along y
        QCOMPARE(far, 103.0f);
    }
    void purposes_are_heeded_and_what_is_left_out_is_said() {
        Folder folder;
        folder.write("a.usda", purposes_text);
        const auto source = open_source(folder / "a.usda");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        const PosePtr pose = *pose_at(**source, 0);
        QCOMPARE(pose->points.size(), std::size_t(3));
        QCOMPARE(pose->points[1], V3f(2, 0, 0)); // the whole, not its stand-in
        const std::string told = problems_of(**source);
        for (const char* words : {"1 set of curves was passed over", "1 volume was passed over"})
            QVERIFY2(told.find(words) != told.npos, told.c_str());
    }
    // A quay of 3000 lanterns: references with times and variants of their own, against the reference library by value.
    void three_thousand_references_are_as_the_reference_library_composes_them() {
        GARLAND_NEEDS_NODE();
        Folder folder;
        QVERIFY(
            QFile::copy(QString(GARLAND_USD_FILES) + "/lantern.usda", QString::fromStdString(folder / "lantern.usda")));
        std::string text = "#usda 1.0\n(\n    endTimeCode = 40\n    startTimeCode = 1\n)\ndef Xform \"quay\"\n{\n";
        constexpr int copies = 3000, apart_by = 100;
        for (int i = 0; i < copies; ++i)
            text += fmt::format("    def \"c{0}\" (\n        references = @./lantern.usda@ (offset = {1}; scale = "
                                "{2})\n        variants = "
                                "{{\n            string paper = \"{3}\"\n        }}\n    )\n    {{\n        double3 "
                                "xformOp:translate = ({4}, 0, 0)\n"
                                "        uniform token[] xformOpOrder = [\"xformOp:translate\"]\n    }}\n",
                                i, i % 17, 1 + i % 3, i % 2 ? "long" : "round", i * apart_by);
        folder.write("many.usda", text + "}\n");
        const QStringList times{"1", "9.5", "23"};
        QString error;
        const QJsonArray answer = run_node("usd_points.cjs",
                                           {"points", QString::fromStdString(folder / "many.usda"), times.join(","),
                                            QString::fromStdString(folder / "lantern.usda")},
                                           &error)
                                      .array();
        QVERIFY2(answer.size() == times.size(), qPrintable(error));
        const auto source = open_source(folder / "many.usda");
        QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
        for (int k = 0; k < times.size(); ++k) {
            std::vector<std::vector<V3f>> ours(copies);
            std::vector<std::vector<V3d>> theirs(copies); // a lantern reaches no further than 20 to either side
            auto copy_of = [](double x) {
                return static_cast<std::size_t>(std::clamp(std::lround(x / apart_by), 0L, copies - 1L));
            };
            const PosePtr pose = *pose_at(**source, times[k].toDouble());
            const std::vector<V3d> reference = points_of(answer[k].toObject());
            for (const V3f& p : pose->points) ours[copy_of(p.x)].push_back(p);
            for (const V3d& p : reference) theirs[copy_of(p.x)].push_back(p);
            for (std::size_t i = 0; i < copies; ++i) {
                const double off = apart(ours[i], theirs[i]);
                QVERIFY2(off >= 0 && off < 2e-5 && ours[i].size() == (i % 2 ? 9u : 6u),
                         qPrintable(QString("copy %1 at %2: %3 of %4 points, %5")
                                        .arg(i)
                                        .arg(times[k])
                                        .arg(ours[i].size())
                                        .arg(theirs[i].size())
                                        .arg(off)));
            }
        }
    }
    // A plain cache is mixed from poses that are kept; only what is not straight between frames is read anew.
    void poses_between_are_made_only_where_they_must() {
        const std::pair<const char*, bool> files[] = {
            {"none.usda", false}, {"fractional.usda", true}, {"clips.usda", true}};
        for (const auto& [name, own] : files) {
            const auto source = open_source(std::string(GARLAND_USD_FILES) + "/" + name);
            QVERIFY2(source, source ? "" : qPrintable(said(source.error())));
            QCOMPARE((*source)->makes_between(SubFrame::linear), own);
            QVERIFY(!(*source)->makes_between(SubFrame::smooth));
        }
    }
    // Python's own zip writer packs them; names inside refer to one another.
    void packages_hold_what_they_refer_to() {
        GARLAND_NEEDS_PYTHON("zipfile");
        Folder folder;
        QProcess python;
        python.start("/usr/bin/python3", {"-c",
                                          "import sys, zipfile\n"
                                          "out, files = sys.argv[1], sys.argv[2]\n"
                                          "z = zipfile.ZipFile(out, 'w', zipfile.ZIP_STORED)\n"
                                          "z.write(files + '/variants.usda', 'variants.usda')\n"
                                          "z.write(files + '/lantern.usda', 'lantern.usda')\n"
                                          "z.close()\n"
                                          "z = zipfile.ZipFile(out + '.packed.usdz', 'w', zipfile.ZIP_DEFLATED)\n"
                                          "z.write(files + '/variants.usda', 'variants.usda')\n"
                                          "z.close()\n",
                                          QString::fromStdString(folder / "a.usdz"), GARLAND_USD_FILES});
        QVERIFY(python.waitForFinished(patience * 60000) && python.exitCode() == 0);
        const auto package = open_source(folder / "a.usdz"),
                   loose = open_source(std::string(GARLAND_USD_FILES) + "/variants.usda");
        QVERIFY2(package, package ? "" : qPrintable(said(package.error())));
        QVERIFY((*package)->facts().format.starts_with("USD package"));
        for (const double t : {1.0, 5.5, 9.0})
            QCOMPARE((*pose_at(**package, t))->points, (*pose_at(**loose, t))->points);
        const auto packed = open_source(folder / "a.usdz.packed.usdz");
        QVERIFY(!packed && said(packed.error()).contains("packed or encrypted"));
        folder.write("cut.usdz", folder.read("a.usdz").substr(0, 900));
        const auto cut = open_source(folder / "cut.usdz");
        QVERIFY(!cut && said(cut.error()).contains("its end is missing"));
        folder.write("refers.usda",
                     "#usda 1.0\ndef \"a\" (references = @a.usdz[lantern.usda]@) {}\ndef \"b\" (references = "
                     "@https://canal.test/lantern.usda@</x>) {}\n");
        const auto refers = open_source(folder / "refers.usda");
        QVERIFY2(refers, refers ? "" : qPrintable(said(refers.error())));
        QVERIFY(problems_of(**refers).find("nothing is fetched") != std::string::npos);
    }
    void what_leads_in_circles_or_is_missing_is_said() {
        Folder folder;
        const std::string sheet = "point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\nint[] faceVertexCounts = "
                                  "[3]\nint[] faceVertexIndices = [0, 1, 2]\n";
        auto told = [&](const std::string& text) {
            folder.write("a.usda", "#usda 1.0\n" + text + "def Mesh \"own\" {\n" + sheet + "}\n");
            const auto source = open_source(folder / "a.usda");
            return source ? problems_of(**source) : describe(source.error());
        };
        auto has = [](const std::string& all, const char* words) { return all.find(words) != all.npos; };
        QVERIFY(has(told("def \"a\" (references = </a>) {}\n"), "in a circle"));
        QVERIFY(has(told("def \"a\" (references = </b>) {}\ndef \"b\" (references = </a>) {}\n"), "in a circle"));
        QVERIFY(has(told("def \"a\" (references = @gone.usda@) {}\n"),
                    "gone.usda, which \"a\" refers to, could not be read"));
        QVERIFY(has(told("def \"a\" (references = </nowhere>) {}\n"), "there is no /nowhere in"));
        folder.write("empty.usda", "#usda 1.0\n");
        QVERIFY(has(told("def \"a\" (references = @empty.usda@) {}\n"), "names no default prim"));
        const std::string inside = told("def \"a\" {\n def \"b\" (references = </a>) {}\n}\n");
        QVERIFY2(has(inside, "in a circle") || has(inside, "inside each other"), inside.c_str());
        folder.write("below.usda", "#usda 1.0\n( subLayers = [@a.usda@] )\n");
        folder.write("a.usda", "#usda 1.0\n( subLayers = [@below.usda@] )\ndef Mesh \"own\" {\n" + sheet + "}\n");
        const auto circle = open_source(folder / "a.usda");
        QVERIFY(!circle && said(circle.error()).contains("in a circle"));
    }
};
GARLAND_TEST_CASE(UsdReadTest)
#include "usd_read_test.moc"
