// One retimed source as USD text: against the show it was written from, and against two parsers that know nothing of
// it.
#include "support/case.h"
#include "support/files.h"
#include "support/node.h"
#include "support/notation.h"

#include "core/project/alone.h"
#include "demo/quay.h"
#include "io/files/series.h"
#include "io/ply/ply.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"
#include "io/usd/usd_cache.h"
#include "io/vdb/volume_file.h"

#include <cmath>

using namespace garland;
using namespace garland::testing;

namespace {

// A source of twenty frames at 24 a second that rises one unit a frame, in a project of 25 a second.
struct Rising {
    Folder folder;
    OpenedProject opened;
    PoseCache cache{1 << 24};

    explicit Rising(const char* map, const std::function<void(Pose&, int)>& with = {}) {
        for (int f = 0; f < 20; ++f) {
            Pose pose = tetrahedron(static_cast<float>(f));
            pose.velocities.assign(4, V3f(0, 24, 0));
            if (with) with(pose, f);
            if (!write_ply(folder / numbered("s", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse))
                qFatal("no room");
        }
        Project p;
        p.settings.range = {1, 40};
        p.settings.rate = {25, 1};
        add_source(p, "s", "s0000.ply", {0, 19, {24, 1}});
        p.sources[0].join = Join::frame_for_frame;
        p.timings[0].map = parse_map(map);
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::ring, a.layout.count = 7, a.layout.radius = 5,
        a.size = 3; // none of which is in the result
        Spread s;
        s.id = SpreadId(p.next_id++);
        a.spreads = {s};
        if (!save_project(folder / "p.garland", p, Existing::refuse)) qFatal("no room");
        opened = *open_project(folder / "p.garland");
    }
    ShowPtr show() {
        const auto project = alone(opened.project, opened.project.sources[0].id);
        return make_show(*project, opened.sources, cache);
    }
    Result<UsdCacheDone> write(std::int64_t first, std::int64_t last, const char* name = "s") {
        return write_usd_cache(*show(),
                               {folder / (std::string(name) + ".usda"), name, {first, last}, Existing::replace});
    }
};

QJsonObject named(const QJsonArray& list, const QString& key, const QString& name) {
    for (const auto& one : list) {
        if (one.toObject()[key].toString() == name) return one.toObject();
    }
    return {};
}

} // namespace

class UsdCacheTest : public QObject {
    Q_OBJECT
  private slots:
    void every_frame_is_what_the_map_says() {
        Rising r("1:0 11:5 21:5 31:15 35:13");
        const auto done = r.write(1, 35);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->frames, 35);
        const SourcePtr back = *open_source(r.folder / "s.usda");
        QCOMPARE(back->facts().first, 1);
        QCOMPARE(back->facts().last, 35);
        QCOMPARE(*back->facts().says.rate, (Rate{25, 1}));
        QVERIFY(back->facts().carries.velocities);
        const TimeMap map = parse_map("1:0 11:5 21:5 31:15 35:13");
        const ShowPtr show = r.show();
        QCOMPARE(show->copies(), 1);
        for (std::int64_t f = 1; f <= 35; ++f) {
            const PosePtr pose = *back->read(f, Progress::none());
            const auto posed = *pose_all(*show, OutputFrame(static_cast<double>(f)));
            QCOMPARE(pose->points, posed[0].poses[posed[0].picks.copies[0]].pose->points);
            // A frame of the map is a frame of the files: units a frame, 25 of them a second.
            const double speed = posed[0].moments[0].speed;
            QVERIFY(std::abs(pose->velocities[0].y - speed * 25) < 1e-3);
        }
        // Held: between samples that are equal nothing moves, and the second of the two is not repeated eight times.
        QVERIFY(done->samples < 35 - 6);
        QCOMPARE((*back->read(15, Progress::none()))->points, (*back->read(11, Progress::none()))->points);
        static_cast<void>(map);
    }
    void what_does_not_change_is_written_once() {
        Rising r("1:0 20:19", [](Pose& pose, int f) {
            pose.uvs = {{0, 0}, {1, 0}, {0, 1}, {1, 1}};
            pose.colours.assign(4, V3f(1, 0.5f, 0));
            pose.attributes = {{"heat", 1, {0, 1, 2, static_cast<float>(f)}}, {"knot", 1, {}, {1, 2, 3, 4}}};
            auto faces = std::make_shared<Faces>(*pose.faces);
            faces->materials = {"paper", "frame"};
            faces->material_of = {0, 0, 1, 1};
            faces->attributes = {{"pane", 1, {}, {4, 3, 2, 1}}};
            pose.faces = faces;
        });
        QVERIFY(r.write(1, 20));
        const std::string text = r.folder.read("s.usda");
        auto has = [&](const char* words) { return text.find(words) != std::string::npos; };
        QVERIFY(has("int[] faceVertexCounts = [") && has("texCoord2f[] primvars:st = [") &&
                has("color3f[] primvars:displayColor = [") && has("int[] primvars:knot = ["));
        QVERIFY(has("point3f[] points.timeSamples") && has("float[] primvars:heat.timeSamples"));
        QVERIFY(!has("visibility.timeSamples"));
        const PosePtr pose = *(*open_source(r.folder / "s.usda"))->read(7, Progress::none());
        QCOMPARE(pose->attributes.size(), std::size_t(2));
        QCOMPARE(pose->attributes[0].values[3], 6.0f);
        QCOMPARE(pose->faces->materials, (std::vector<std::string>{"paper", "frame"}));
        QCOMPARE(pose->faces->material_of, (std::vector<std::uint32_t>{0, 0, 1, 1}));
        QCOMPARE(pose->faces->attributes.size(), std::size_t(1));
        QCOMPARE(pose->faces->attributes[0].whole, (std::vector<std::int32_t>{4, 3, 2, 1}));
    }
    void absence_is_invisible() {
        Rising r("5:0 20:15");
        r.opened.project.timings[0].before.mode = OutsideMode::absent;
        const auto done = r.write(1, 20);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        const std::string text = r.folder.read("s.usda");
        const auto at = text.find("token visibility.timeSamples = {");
        QVERIFY(at != std::string::npos);
        const std::string list = text.substr(at, text.find('}', at) - at);
        QVERIFY(list.find("1: \"invisible\"") != std::string::npos &&
                list.find("5: \"inherited\"") != std::string::npos);
    }
    void changing_faces_and_particles() {
        Rising r("1:0 20:19", [](Pose& pose, int f) {
            if (f < 10) return;
            pose.points.push_back(V3f(9, 9, 9));
            pose.velocities.push_back(V3f(0));
        });
        QVERIFY(r.write(1, 20));
        const SourcePtr back = *open_source(r.folder / "s.usda");
        QCOMPARE((*back->read(10, Progress::none()))->points.size(), std::size_t(4));
        QCOMPARE((*back->read(11, Progress::none()))->points.size(), std::size_t(5));

        Folder folder;
        for (int f = 40; f < 46; ++f)
            QVERIFY(write_ply(folder / numbered("p.", f, 4, ".ply"), *drift_petals(f), PlyForm::little_endian,
                              Existing::refuse));
        Project p;
        p.settings.range = {1, 6};
        add_source(p, "p", folder / "p.0040.ply", {40, 45, {24, 1}});
        OpenSources sources;
        sources[p.sources[0].id] = {*open_source(folder / "p.0040.ply"), PoseCache::new_serial()};
        PoseCache cache(1 << 24);
        const ShowPtr show = make_show(*alone(p, p.sources[0].id), sources, cache);
        const auto done = write_usd_cache(*show, {folder / "p.usda", "petals", {1, 6}, Existing::refuse});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        const SourcePtr petals = *open_source(folder / "p.usda");
        QCOMPARE(petals->facts().kind, SourceKind::particles);
        for (int f = 1; f <= 6; ++f) {
            QCOMPARE((*petals->read(f, Progress::none()))->ids, drift_petals(39 + f)->ids);
        }
        QVERIFY(said(write_usd_cache(*show, {folder / "p.usda", "petals", {1, 6}, Existing::refuse}).error())
                    .contains("already exists"));
    }
    // Nothing at first, then some, then none again: the usual life of fire and spray.
    void particles_that_begin_empty() {
        Folder folder;
        for (int f = 1; f <= 4; ++f) {
            std::string text = "id,x,y,z\n";
            for (int i = 0; f > 1 && f < 4 && i < f; ++i)
                text += std::to_string(i) + "," + std::to_string(f) + ",0.5," + std::to_string(i) + "\n";
            folder.write(numbered("spray.", f, 4, ".csv"), text);
        }
        Project p;
        p.settings.range = {1, 4};
        add_source(p, "spray", "spray.0001.csv", {1, 4, {24, 1}});
        QVERIFY(save_project(folder / "p.garland", p, Existing::refuse));
        auto opened = open_project(folder / "p.garland");
        QVERIFY(opened && opened->missing.empty());
        PoseCache cache(std::size_t(1) << 24);
        const ShowPtr show = make_show(opened->project, opened->sources, cache);
        const auto done = write_usd_cache(*show, {folder / "spray.usda", "spray", {1, 4}});
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        const auto back = open_source(folder / "spray.usda");
        QVERIFY2(back, back ? "" : qPrintable(said(back.error())));
        QCOMPARE((*back)->facts().kind, SourceKind::particles);
        const int counts[] = {0, 2, 3, 0};
        for (int f = 1; f <= 4; ++f)
            QCOMPARE((*(*back)->read(f, Progress::none()))->points.size(), static_cast<std::size_t>(counts[f - 1]));
    }
    void what_cannot_be_written_is_said() {
        Rising r("1:0 20:19");
        const ShowPtr crowd = make_show(r.opened.project, r.opened.sources, r.cache);
        QVERIFY(
            said(write_usd_cache(*crowd, {r.folder / "x.usda", "x", {1, 2}}).error()).contains("one retimed source"));
        QCOMPARE(alone(r.opened.project, SourceId(999)).error().code, ErrorCode::not_found);
        Project unshown = r.opened.project;
        unshown.arrangements.clear();
        QVERIFY(said(alone(unshown, unshown.sources[0].id).error()).contains("no arrangement shows"));
        struct Stop : Progress {
            int frames = 0;
            void report(double, std::string_view) override { ++frames; }
            bool cancelled() const override { return frames > 3; }
        } stop;
        QCOMPARE(write_usd_cache(*r.show(), {r.folder / "x.usda", "x", {1, 20}}, stop).error().code,
                 ErrorCode::cancelled);
        QVERIFY(!file_exists(r.folder / "x.usda"));
        const auto nowhere = write_usd_cache(*r.show(), {r.folder / "none/x.usda", "x", {1, 2}});
        QVERIFY(!nowhere && nowhere.error().path == r.folder / "none/x.usda");
        QVERIFY(*usd_cache_bytes(*r.show(), {r.folder / "x.usda", "x", {1, 20}}) > 1000);
    }
    // tinyusdz and @kroxilon/usda-parser, pinned in tests/node.
    void two_other_parsers_read_it() {
        GARLAND_NEEDS_NODE();
        Rising r("1:0 11:5 21:5 31:15",
                 [](Pose& pose, int f) { pose.colours.assign(4, V3f(1, 0.5f, static_cast<float>(f) / 20)); });
        QVERIFY(r.write(1, 31));
        QString error;
        const QJsonObject out =
            run_node("check_usda.mjs", {QString::fromStdString(r.folder / "s.usda")}, &error).object();
        QVERIFY2(out["read"].toBool(), qPrintable(error + out["layer"].toString()));
        const QJsonArray top =
            named(out["tree"].toObject()["statements"].toArray(), "name", "s")["statements"].toArray();
        const QJsonArray mesh = named(top, "name", "mesh")["statements"].toArray();
        QVERIFY(!mesh.isEmpty());
        const QJsonObject points = named(mesh, "reference", "points.timeSamples");
        QCOMPARE(points["defineType"].toString(), QString("point3f[]"));
        const QJsonArray samples = points["value"].toObject()["declarations"].toObject()["values"].toArray();
        QVERIFY(samples.size() > 20 && samples.size() < 31);
        double before = -1e9;
        const SourcePtr own = *open_source(r.folder / "s.usda");
        for (const auto& sample : samples) {
            const double code = sample.toObject()["index"].toDouble();
            QVERIFY(code > before && code == std::round(code)); // rising whole output frames
            before = code;
            const QJsonArray list = sample.toObject()["value"].toArray();
            QCOMPARE(list.size(), 4); // as many points as the faces need
            const PosePtr pose = *own->read(static_cast<std::int64_t>(code), Progress::none());
            for (int i = 0; i < 4; ++i) {
                for (int k = 0; k < 3; ++k)
                    QVERIFY(std::abs(list[i].toArray()[k].toDouble() - pose->points[static_cast<std::size_t>(i)][k]) <
                            1e-6);
            }
        }
        int corners = 0;
        for (const auto& n : named(mesh, "reference", "faceVertexCounts")["value"].toArray()) corners += n.toInt();
        const QJsonArray indices = named(mesh, "reference", "faceVertexIndices")["value"].toArray();
        QCOMPARE(indices.size(), corners);
        for (const auto& i : indices)
            QVERIFY(i.toInt() >= 0 && i.toInt() < 4 && i.toDouble() == std::round(i.toDouble()));
        r.folder.write("again.usda", out["layer"].toString().toStdString());
        const auto again = open_source(r.folder / "again.usda");
        QVERIFY2(again, again ? "" : qPrintable(said(again.error())));
        for (std::int64_t f : {1, 9, 16, 31})
            QCOMPARE((*(*again)->read(f, Progress::none()))->points, (*own->read(f, Progress::none()))->points);
    }
};
GARLAND_TEST_CASE(UsdCacheTest)
#include "usd_cache_test.moc"
