// Moments inside the shutter, names of files, timings as curves and clips, and volumes as shared poses; and our binary
// layers as two more readers find them.
#include "io/handed_off.h"
#include "support/python.h"

#include "io/handoff/file_names.h"
#include "io/handoff/manifest.h"
#include "io/tables/curve_file.h"
#include "io/usd/posed_usd.h"
#include "io/usd/shared_poses.h"
#include "io/vdb/volume_file.h"

#include <QFile>
#include <QJsonDocument>
#include <algorithm>

using namespace garland;
using namespace garland::testing;

namespace {

void swaying(Project& p) {
    p.timings[0].map = parse_map("1:0 60:19");
    Spread late;
    late.id = SpreadId(p.next_id++), late.to = 20, late.whole_frames = false, late.by.seed = 5;
    p.arrangements[0].spreads = {late};
    p.arrangements[0].layout.count = 3;
}

HandoffOrder blurred(const Festival& f, const char* output, const char* ending) {
    HandoffOrder order{output, ending, f.folder / "out", "copies", {{10, 12}, 1}};
    order.frames.shutter = {3, 180}; // a quarter of a frame before and after
    return order;
}

const std::vector<double> quarters{9.75, 10, 10.25, 10.75, 11, 11.25, 11.75, 12, 12.25};

bool close_lists(const std::vector<double>& a, const std::vector<double>& b, double within) {
    return a.size() == b.size() && std::equal(a.begin(), a.end(), b.begin(), [&](double x, double y) {
               return std::abs(x - y) <= within * std::max(1.0, std::abs(y));
           });
}

} // namespace

class HandoffMomentsTest : public QObject {
    Q_OBJECT

  private slots:
    void names_say_where_the_number_goes() {
        const FrameMoment whole{12, OutputFrame(12)}, early{12, OutputFrame(11.75)}, below{0, OutputFrame(-0.25)};
        struct Row {
            const char *name, *stem, *of, *between, *copy;
        };
        for (const Row& r :
             {Row{"copies", "copies", "copies.0012.ply", "copies.0011.750.ply", "copies.c07.0012.ply"},
              Row{"lantern_###", "lantern", "lantern_012.ply", "lantern_011.750.ply", "lantern_c07_012.ply"},
              Row{"a.##.b", "a.b", "a.12.b.ply", "a.11.750.b.ply", "a.c07.12.b.ply"},
              Row{"######", "frames", "000012.ply", "000011.750.ply", "c07.000012.ply"},
              Row{"lantern##", "lantern", "lantern12.ply", "lantern11.750.ply", "lantern.c07.12.ply"},
              Row{"take #1", "take #1", "take #1.0012.ply", "take #1.0011.750.ply", "take #1.c07.0012.ply"}}) {
            const FileNames names(r.name);
            QCOMPARE(names.stem(), r.stem);
            QCOMPARE(names.of(whole, ".ply"), r.of);
            QCOMPARE(names.of(early, ".ply"), r.between);
            QCOMPARE(names.of("c07", whole, ".ply"), r.copy);
        }
        QCOMPARE(FileNames("x").of(below, ".ply"), "x.-0001.750.ply");
        QVERIFY(validate_name("a_####", true));
        for (const char* bad : {"", ".", "..", "a/b", "a##b##", "##########"}) QVERIFY2(!validate_name(bad, true), bad);
        const auto one = validate_name("a_####", false);
        QVERIFY(!one && said(one.error()).contains("without ##"));
    }
    void a_series_is_named_as_asked_and_goes_on() {
        Festival f(swaying);
        HandoffOrder order{"posed-copies", ".ply", f.folder / "out", "fest_#####", {{10, 12}, 1}};
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(3));
        QCOMPARE(done->files[1], f.folder / "out/fest_00011.ply");
        QCOMPARE(done->manifest, f.folder / "out/fest.ply.handoff.json");
        QVERIFY(verify_handoff(done->manifest));
        std::filesystem::remove(done->files[1]);
        order.existing = WhatIsThere::resume;
        const auto again = hand_off(f.input(), order);
        QVERIFY(again && again->kept == 2 && file_exists(f.folder / "out/fest_00011.ply"));
        HandoffOrder usd = order;
        usd.ending = ".usdc";
        QVERIFY(said(hand_off(f.input(), usd).error()).contains("all frames are one file"));
    }
    // The reference library asked at the moments themselves.
    void moments_inside_the_shutter_are_where_the_copies_are() {
        GARLAND_NEEDS_NODE();
        Festival f(swaying);
        for (const char* ending : {".usda", ".usdc"}) {
            HandoffOrder order = blurred(f, "posed-copies", ending);
            order.existing = WhatIsThere::replace;
            const auto done = hand_off(f.input(), order);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QString error;
            const QJsonArray answer =
                run_node("usd_points.cjs", {"points", QString::fromStdString(done->files[0]), words_of(quarters)},
                         &error)
                    .array();
            QVERIFY2(answer.size() == static_cast<int>(quarters.size()), qPrintable(error));
            for (int k = 0; k < answer.size(); ++k) {
                const double t = quarters[static_cast<std::size_t>(k)];
                const double off = apart(read_meshes(answer[k].toObject()["meshes"].toArray()), f.points(t));
                QVERIFY2(off >= 0 && off < 1e-5, qPrintable(QString("%1 at %2").arg(off).arg(t)));
            }
        }
        // As the scene's own points they are no straight lines between the frames: the samples say more than they did.
        float most = 0;
        for (const double t : {10.0, 11.0}) {
            const auto a = f.points(t), b = f.points(t + 0.25), c = f.points(t + 1);
            for (const auto& [copy, points] : a) {
                const V3f straight = points[0] + (c.at(copy)[0] - points[0]) * 0.25f;
                most = std::max(most, (b.at(copy)[0] - straight).length());
            }
        }
        QVERIFY2(most > 1e-4f, qPrintable(QString::number(most)));
    }
    void a_series_has_files_between_its_frames() {
        Festival f(swaying);
        const HandoffOrder order = blurred(f, "posed-copies", ".ply");
        const auto plan = plan_handoff(f.input(), order);
        QVERIFY(plan && plan->files == 9);
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(9));
        const auto between = read_ply(f.folder / "out/copies.0010.750.ply");
        QVERIFY(between);
        std::vector<V3f> should;
        for (const auto& [copy, points] : f.points(10.75)) should.insert(should.end(), points.begin(), points.end());
        QCOMPARE((*between)->points.size(), should.size());
        for (std::size_t i = 0; i < should.size(); ++i) QVERIFY(((*between)->points[i] - should[i]).length() < 1e-5f);
        // Whole frames are the series that they would be without them.
        const auto series = find_series(f.folder / "out/copies.0010.ply");
        QVERIFY(series && series->files.size() == 3 && series->first() == 10 && series->last() == 12);
        const auto verified = verify_handoff(done->manifest);
        QVERIFY(verified && verified->files == 9);
        // Shares of it are the whole, byte for byte.
        const std::string whole = f.folder.read("out/copies.0011.250.ply");
        for (int k = 1; k <= 2; ++k) {
            HandoffOrder share = order;
            share.folder = f.folder / "shared", share.share = {k, 2};
            const auto part = hand_off(f.input(), share);
            QVERIFY2(part, part ? "" : qPrintable(said(part.error())));
            QCOMPARE(part->manifest.empty(), k == 1);
        }
        QVERIFY(f.folder.read("shared/copies.0011.250.ply") == whole);
    }
    void samples_that_cannot_be() {
        Festival f(swaying);
        HandoffOrder order = blurred(f, "posed-copies", ".usdc");
        for (const ShutterSamples bad : {ShutterSamples{2, 180}, ShutterSamples{17, 180}, ShutterSamples{3, 0},
                                         ShutterSamples{3, 360}, ShutterSamples{0, 180}}) {
            order.frames.shutter = bad;
            const auto refused = hand_off(f.input(), order);
            QVERIFY(!refused && said(refused.error()).contains("3, 5"));
        }
        for (const auto& [output, ending] :
             {std::pair{"posed-copies", ".npy"}, {"references", ".usdc"}, {"viewer", ".glb"}, {"timing", ".csv"}}) {
            const auto refused = hand_off(f.input(), blurred(f, output, ending));
            QVERIFY2(!refused && refused.error().code == ErrorCode::unsupported, output);
        }
        QVERIFY(!file_exists(f.folder / "out"));
    }
    void other_outputs_have_them_too() {
        Festival f(swaying);
        HandoffOrder camera = blurred(f, "camera", ".csv");
        const auto table = hand_off(f.input(), camera);
        QVERIFY2(table, table ? "" : qPrintable(said(table.error())));
        const std::string text = f.folder.read("out/copies.csv");
        QCOMPARE(std::count(text.begin(), text.end(), '\n'), 10);
        QVERIFY(text.find("\n11.25,") != text.npos);
        HandoffOrder alone = blurred(f, "one-source", ".usdc");
        alone.source = f.opened.project.sources[0].id, alone.name = "alone";
        const auto one = hand_off(f.input(), alone);
        QVERIFY2(one, one ? "" : qPrintable(said(one.error())));
        const UsdText usd(f.folder / "out/alone.usdc");
        QCOMPARE(std::vector<double>(usd.prim("Mesh")->find("points")->samples.times->begin(),
                                     usd.prim("Mesh")->find("points")->samples.times->end()),
                 quarters);
        HandoffOrder shared = blurred(f, "shared-poses", ".usda");
        shared.name = "shared", shared.poses_per_frame = 64;
        const auto poses = hand_off(f.input(), shared);
        QVERIFY2(poses, poses ? "" : qPrintable(said(poses.error())));
        const UsdText instances(f.folder / "out/shared.usda");
        for (const double t : quarters) {
            const double off = apart(instanced(instances, t, false), f.points(t));
            QVERIFY2(off >= 0 && off < 0.02, qPrintable(QString("%1 at %2").arg(off).arg(t)));
        }
    }

    void timings_as_curves_and_clips() {
        Festival f([](Project& p) {
            swaying(p);
            Arrangement ring = p.arrangements[0];
            for (Spread& s : ring.spreads) s.id = SpreadId(p.next_id++);
            Timing list;
            list.id = TimingId(p.next_id++), list.name = "there / back";
            list.form = TimingForm::phrases;
            list.phrases.list = {Phrase{SourceFrame(0), SourceFrame(9)}, Phrase{SourceFrame(5), SourceFrame(15)}};
            p.timings.push_back(list);
            ring.id = ArrangementId(p.next_id++), ring.name = "ring", ring.timing = list.id;
            p.arrangements.push_back(ring);
        });
        HandoffOrder order{"curves", ".json", f.folder / "out", "fest", {{1, 60}, 1}};
        const auto plan = plan_handoff(f.input(), order);
        QVERIFY(plan && plan->files == 2);
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(2));
        const Timing& first = f.opened.project.timings[0];
        const auto back = read_curve(done->files[0]);
        QVERIFY(back && with_curve(first, *back) == first); // nothing is lost
        QVERIFY(verify_handoff(done->manifest));
        order.ending = ".otio";
        const auto clips = hand_off(f.input(), order);
        QVERIFY2(clips, clips ? "" : qPrintable(said(clips.error())));
        QCOMPARE(clips->files, std::vector<std::string>{f.folder / "out/fest.there _ back.otio"});
        QCOMPARE(clips->left_out.size(), std::size_t(1));
        const QJsonDocument otio =
            QJsonDocument::fromJson(QByteArray::fromStdString(f.folder.read("out/fest.there _ back.otio")));
        QCOMPARE(otio.object()["OTIO_SCHEMA"].toString(), QString("Timeline.1"));
        order.ending = ".csv";
        const auto rows = hand_off(f.input(), order);
        QVERIFY(rows && rows->files.size() == 2 && rows->words.size() >= 2);
        QCOMPARE(hand_off(f.input(), order).error().code, ErrorCode::exists);
    }

    // Files of 24³ voxels that OpenVDB wrote, as prototypes; read again by OpenVDB where the layer says they are.
    void volumes_are_shared_poses_too() {
        GARLAND_NEEDS_PYTHON("pyopenvdb");
        QString error;
        Festival f(
            [&](const Folder& to) {
                run_python("output_files.py", {"write", QString::fromStdString(to.path())}, &error);
            },
            "mist.0000.vdb", [](Project& p) { p.timings[0].map = parse_map("1:0 20:19"); });
        QVERIFY2(f.show->copies() == 9, qPrintable(error));
        HandoffOrder order{"shared-poses", ".usda", f.folder / "out", "copies", {{3, 5}, 1}};
        const auto plan = plan_handoff(f.input(), order);
        QVERIFY2(plan, plan ? "" : qPrintable(said(plan.error())));
        QCOMPARE(plan->files, std::int64_t(4)); // three poses and the layer
        const auto done = hand_off(f.input(), order);
        QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
        QCOMPARE(done->files.size(), std::size_t(4));
        QCOMPARE(done->files[0], f.folder / "out/copies.usda");
        QVERIFY(done->left_out.empty());
        const UsdText usd(f.folder / "out/copies.usda");
        const UsdSpec& instancer = *usd.prim("PointInstancer");
        for (int t = 3; t <= 5; ++t) {
            const auto picks = usd.wholes(instancer, "protoIndices", t);
            QCOMPARE(picks.size(), std::size_t(9));
            QVERIFY(std::all_of(picks.begin(), picks.end(), [&](auto p) { return p == picks[0]; }));
            const std::string pose = "pose_" + std::to_string(picks[0]);
            const UsdSpec* volume = usd.prim("Volume", pose);
            QVERIFY(volume);
            QCOMPARE(volume->find("field:density")->targets.items.size(), std::size_t(1));
            QVERIFY(!volume->find("field:v")); // velocities differ from copy to copy
            const UsdSpec* field = usd.layer->spec(volume->find("field:density")->targets.items[0]);
            QVERIFY(field && field->type == "OpenVDBAsset");
            QCOMPARE(usd.layer->words(field->find("fieldName")->value)->front(), "density");
            const std::string file = usd.layer->words(field->find("filePath")->value)->front();
            QVERIFY(file.starts_with("./"));
            auto read = [&](const std::string& path) {
                const QJsonObject all = run_python("output_files.py", {"read", QString::fromStdString(path)}, &error);
                return all.begin().value().toObject()["density"].toObject();
            };
            const QJsonObject is = read(f.folder / ("out/" + file.substr(2))),
                              was = read(f.folder / numbered("mist.", t - 1, 4, ".vdb"));
            QVERIFY2(is["active"].toInt() == 24 * 24 * 24, qPrintable(error));
            QCOMPARE(is, was);
        }
        QVERIFY(verify_handoff(done->manifest));
        // All files or none: a name in the way.
        order.name = "other";
        f.folder.write("out/other.mist.0002.vdb", "mine");
        const auto refused = hand_off(f.input(), order);
        QVERIFY(!refused && refused.error().code == ErrorCode::exists);
        QVERIFY(!file_exists(f.folder / "out/other.usda") && !file_exists(f.folder / "out/other.mist.0001.vdb"));
        QCOMPARE(f.folder.read("out/other.mist.0002.vdb"), "mine");
    }

    // At working size, by what others wrote: NumPy's quarter of a million points at a moment between two frames, as the
    // reference USD library finds them and as the writer's formula says; OpenVDB's 128³ voxels, number by number.
    void at_working_size() {
        GARLAND_NEEDS_NODE();
        GARLAND_NEEDS_PYTHON("pyopenvdb, numpy");
        QString error;
        const Folder large;
        run_python("output_files.py", {"write_large", QString::fromStdString(large.path())}, &error);
        auto alone = [](Project& p) {
            p.timings[0].map = parse_map("1:0 2:1");
            p.arrangements[0].layout.kind = ArrangementKind::line, p.arrangements[0].layout.count = 1;
            p.arrangements[0].size = 1;
        };
        Festival swell([](const Folder&) {}, large / "swell.npy", alone);
        HandoffOrder order{"posed-copies", ".usdc", swell.folder / "out", "copies", {{1, 1}, 1}};
        order.frames.shutter = {3, 180};
        const auto posed = hand_off(swell.input(), order);
        QVERIFY2(posed, qPrintable(posed ? error : said(posed.error())));
        const QJsonArray answer =
            run_node("usd_points.cjs", {"points", QString::fromStdString(posed->files[0]), "1.25"}, &error).array();
        QVERIFY2(answer.size() == 1, qPrintable(error));
        const auto found = read_meshes(answer[0].toObject()["meshes"].toArray());
        QCOMPARE(found.size(), std::size_t(1));
        const std::vector<V3f>& points = found.begin()->second;
        QCOMPARE(points.size(), std::size_t(250'000));
        double most = 0;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const double x = 0.01 * static_cast<double>(i % 500), z = 0.01 * static_cast<double>(i / 500);
            const V3d should(x, 0.75 * std::sin(3 * x) + 0.25 * std::sin(3 * x + 1), z);
            most = std::max(most, (V3d(points[i]) - should).length());
        }
        QVERIFY2(most < 2e-6, qPrintable(QString::number(most)));

        Festival dense([](const Folder&) {}, large / "dense.0000.vdb", alone);
        order = {"shared-poses", ".usdc", dense.folder / "out", "copies", {{2, 2}, 1}};
        const auto shared = hand_off(dense.input(), order);
        QVERIFY2(shared, shared ? "" : qPrintable(said(shared.error())));
        QCOMPARE(shared->files.size(), std::size_t(2));
        const QJsonObject same = run_python(
            "output_files.py",
            {"same", QString::fromStdString(large / "dense.0001.vdb"), "1", QString::fromStdString(shared->files[1])},
            &error);
        QVERIFY2(same["same"].toBool(), qPrintable(error));
    }

    // Every attribute and sample of a binary layer, as two readers find them that know nothing of this project. The
    // first has no arrays of 64-bit whole numbers and keeps quaternions as they lie in the file, the real part last;
    // the second writes six digits.
    void two_more_readers_of_binary_layers() {
        GARLAND_NEEDS_NODE();
        Festival f(swaying);
        for (const char* output : {"posed-copies", "shared-poses", "references"}) {
            HandoffOrder order{output, ".usdc", f.folder / output, "copies", {{1, 20}, 1}};
            const auto done = hand_off(f.input(), order);
            QVERIFY2(done, done ? "" : qPrintable(said(done.error())));
            QString error;
            const QString text = QString::fromStdString(f.folder / "second.usda");
            const QJsonObject answer =
                run_node("read_crate.mjs", {QString::fromStdString(done->files[0]), text}, &error).object();
            QVERIFY2(answer["read"].toBool(), qPrintable(error + answer["error"].toString()));
            const QJsonObject found = answer["found"].toObject();
            const UsdText own(done->files[0]), second(text.toStdString());
            int values = 0;
            for (const UsdSpec& p : own.layer->specs()) {
                const UsdSpec* twin = second.layer->spec(p.path);
                QVERIFY2(twin && twin->type == p.type, p.path.c_str());
                for (const UsdProperty& a : p.properties) {
                    if (a.type == "rel" || !a.targets.items.empty()) continue;
                    const QString path = QString::fromStdString(p.path + ".").append(std::string(a.name).c_str());
                    QVERIFY2(found.contains(path), qPrintable(path));
                    const QJsonObject first = found[path].toObject();
                    QCOMPARE(first["type"].toString(), QString::fromStdString(std::string(a.type)));
                    const UsdProperty* b = twin->find(a.name);
                    QVERIFY2(b && b->samples.size() == a.samples.size(), qPrintable(path));
                    QCOMPARE(first["times"].toArray().size(), static_cast<int>(a.samples.size()));
                    auto compare = [&](const UsdRef& is, const UsdRef& also, const QJsonValue& third) {
                        const auto numbers = own.layer->numbers(is), others = second.layer->numbers(also);
                        if (!numbers || numbers->empty()) return true;
                        ++values;
                        if (!others || !close_lists(*others, *numbers, 1e-5)) return false;
                        const std::string_view type = a.type;
                        if (type == "int64[]") return true;
                        std::vector<double> list;
                        for (const auto& v : third.toArray()) list.push_back(v.isBool() ? v.toBool() : v.toDouble());
                        if (type.starts_with("quat"))
                            for (std::size_t i = 0; i + 3 < list.size(); i += 4)
                                std::rotate(list.begin() + static_cast<std::ptrdiff_t>(i),
                                            list.begin() + static_cast<std::ptrdiff_t>(i + 3),
                                            list.begin() + static_cast<std::ptrdiff_t>(i + 4));
                        return close_lists(list, *numbers, 1e-7);
                    };
                    if (a.has_value) QVERIFY2(compare(a.value, b->value, first["value"]), qPrintable(path));
                    for (std::size_t k = 0; k < a.samples.size(); ++k) {
                        const int i = static_cast<int>(k);
                        QCOMPARE(first["times"].toArray()[i].toDouble(), (*a.samples.times)[k]);
                        QVERIFY2(compare(a.samples.ref(k), b->samples.ref(k), first["samples"].toArray()[i]),
                                 qPrintable(path));
                    }
                }
            }
            QVERIFY2(values > 5, qPrintable(QString("%1: %2").arg(output).arg(values)));
        }
    }
};

GARLAND_TEST_CASE(HandoffMomentsTest)
#include "handoff_moments_test.moc"
